// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDialog>
#include <QLabel>
#include <QPlainTextEdit>
#include <QPushButton>

#include "core/image/wrapper_card.h"

namespace imprimo::app {

/// A wrapper card being written, live: the file's first bytes with each field marked, the card's text beside them, and
/// the fields that they become. Nothing is saved until the button says so.
class WrapperEditor : public QDialog {
  Q_OBJECT
 public:
  /// `cardPath` is where the card is or will be; empty: it is asked for.
  WrapperEditor(const QString& filePath, const QString& cardPath, QWidget* parent = nullptr);

  /// Where the card was saved; empty when it was not.
  QString savedAs() const { return savedAs_; }
  /// What the text stands for now; nothing while it is no card.
  const std::optional<WrapperCard>& card() const { return card_; }
  const Unwrapped& result() const { return result_; }

 private:
  void look();
  void showBytes();
  void save();
  static QString beginning(const QString& name);

  Bytes bytes_;
  QString cardPath_, savedAs_;
  std::optional<WrapperCard> card_;
  Unwrapped result_;
  QPlainTextEdit* text_;
  QPlainTextEdit* dump_;
  QLabel *fields_, *problem_;
  QPushButton* save_;
};

}  // namespace imprimo::app
