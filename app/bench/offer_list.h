// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>
#include <vector>

#include "app/look/spoken.h"
#include "app/look/theme.h"
#include "app/model/way_model.h"

namespace imprimo::app {

/// Where each offer's card is; painting, hit testing and keys read the same.
struct OfferLayout {
  struct Card {
    QRect rect, ask;  ///< `ask`: the word that asks it; empty where it is not to be asked
  };
  std::vector<Card> cards;
  int bottom = 0;
  std::optional<std::size_t> at(QPoint point) const;
};
OfferLayout layOutOffers(const WayModel& ways, int width);

/// The ways to a memory, each with what came of asking it. Up and Down choose, Return does what the one button does.
class OfferList : public QWidget, public Spoken {
  Q_OBJECT
 public:
  explicit OfferList(WayModel& ways, QWidget* parent = nullptr);
  const OfferLayout& layoutOfOffers() const { return layout_; }
  QSize sizeHint() const override { return {400, layout_.bottom}; }
  QSize minimumSizeHint() const override { return {200, layout_.bottom}; }

  int spokenCount() const override;
  SpokenItem spokenItem(int index) const override;
  int spokenCurrent() const override;
  void spokenPress(int index) override;

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  void rebuild();
  void draw(QPainter& painter, std::size_t index, const Theme& theme) const;

  WayModel& ways_;
  OfferLayout layout_;
};

}  // namespace imprimo::app
