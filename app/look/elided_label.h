// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <algorithm>

namespace imprimo::app {

/// A line that is shortened where it has too little room, and then has all of it as a tooltip. Readers get all of it.
class ElidedLabel : public QLabel {
 public:
  explicit ElidedLabel(QWidget* parent = nullptr) : QLabel(parent) {
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
  }
  void setWhole(const QString& text) {
    if (text == whole_) return;
    whole_ = text;
    setAccessibleName(text);
    updateGeometry();
    fit();
  }
  const QString& whole() const { return whole_; }
  QSize sizeHint() const override { return {fontMetrics().horizontalAdvance(whole_) + 2, QLabel::sizeHint().height()}; }
  QSize minimumSizeHint() const override {
    return {std::min(sizeHint().width(), fontMetrics().averageCharWidth() * kLeast),
            QLabel::minimumSizeHint().height()};
  }

 protected:
  void resizeEvent(QResizeEvent* event) override {
    QLabel::resizeEvent(event);
    fit();
  }

 private:
  static constexpr int kLeast = 8;  // characters
  void fit() {
    const QString shown = fontMetrics().elidedText(whole_, Qt::ElideRight, std::max(0, width()));
    if (shown != text()) setText(shown);
    setToolTip(shown == whole_ ? QString() : whole_);
  }

  QString whole_;
};

}  // namespace imprimo::app
