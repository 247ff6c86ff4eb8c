// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDialog>
#include <QLabel>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QToolButton>
#include <QTreeWidget>

#include "app/device/status_bits.h"
#include "app/model/workbench.h"

namespace imprimo::app {

/// A configuration card being written, and tried on the live device step by step: what each step did to its status bits
/// is shown beside it. Nothing is saved until the button says so.
class CardTrial : public QDialog {
  Q_OBJECT
 public:
  explicit CardTrial(Workbench& bench, QWidget* parent = nullptr);
  /// A card for a device that has none, to begin with.
  static QString beginning(const bsdl::BoundaryDescription& device);

 private:
  struct Tried {
    bool done = false;
    CardStepNews news;
    std::vector<bench::DeviceReport::Bit> before, after;
  };

  QWidget* left();
  QWidget* right();
  void connectTrial();
  void look();
  void tell(const QString& words, bool trouble);
  void startOver();
  void tryNext();
  void take(const CardStepNews& news);
  void showSteps();
  void save();
  std::vector<bench::DeviceReport::Bit> bitsOf(const BitVector& status) const;
  QString effectOf(const Tried& tried) const;
  const std::vector<configure::CardStep>& steps() const;

  Workbench& bench_;
  std::size_t position_;
  std::shared_ptr<const bsdl::BoundaryDescription> device_;
  std::optional<configure::ConfigCard> card_;
  QString path_;
  std::vector<Tried> tried_;
  std::vector<bench::DeviceReport::Bit> now_;
  std::size_t next_ = 0;
  bool waiting_ = false, all_ = false, restart_ = false;
  QPlainTextEdit* text_;
  QTreeWidget* list_;
  StatusBits* status_;
  QLabel* problem_;
  QToolButton *configureSteps_, *restartSteps_;
  QPushButton *tryStep_, *tryAll_, *again_, *save_;
};

}  // namespace imprimo::app
