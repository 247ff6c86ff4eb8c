// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPlainTextEdit>
#include <QPushButton>

#include "app/session/bench_session.h"
#include "core/packs/chip_card.h"
#include "core/packs/pack_library.h"
#include "core/sheet/sheet.h"

namespace imprimo::app {

/// A chip of the library of packs, chosen by typing a few letters: what it has, and what its sequences do, is said
/// before it is used.
class ChipDialog : public QDialog {
  Q_OBJECT
 public:
  /// `port`: the debug port that answers, where one was looked for; devices that fit it stand first.
  explicit ChipDialog(const std::optional<FoundPort>& port, QWidget* parent = nullptr);
  /// A sheet with the chosen chip as its one core on SWD, and its regions as memories. Throws BadFile.
  sheet::Sheet sheet() const;
  /// Writes a core card of the chosen chip, with its algorithms beside it, and ends with a sheet that has the card
  /// instead of the pack.
  void useCard(const QString& path);

 private:
  void search();
  void show(int row);
  void askForCard();
  QString introduction() const;

  std::optional<FoundPort> port_;
  packs::PackLibrary library_;
  std::vector<packs::PackLibrary::Found> fitting_, found_;
  QLineEdit* letters_;
  QListWidget* list_;
  QPlainTextEdit* what_;
  QLabel* words_;
  QPushButton *use_, *card_;
  std::shared_ptr<const packs::Chip> chip_;
  std::string file_, name_, cardPath_;
};

}  // namespace imprimo::app
