// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QFrame>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/vectors/vector_document.h"

namespace imprimo::app {

/// Beside a file of vectors: what it takes, where it stands, the one button, and what it writes.
class VectorSide : public QWidget {
  Q_OBJECT
 public:
  explicit VectorSide(Workbench& bench, VectorDocument& document, QWidget* parent = nullptr);

 private:
  QFrame* card(QVBoxLayout* column, const QString& title, QLabel** heading = nullptr);
  void addFacts(QVBoxLayout* column);
  void addNow(QVBoxLayout* column);
  void addButtons(QVBoxLayout* column);
  void addChoices(QVBoxLayout* column);
  void addContents(QVBoxLayout* column);
  QLabel* fact(QGridLayout* grid, const QString& name, const char* object);
  void refresh();
  void refreshFacts();
  void refreshNow();
  void refreshContents();
  QString goText() const;
  /// What the file has done to memories up to a line.
  QString soFar(std::uint64_t line) const;
  /// Reads the file's beginning, so it is done when file or chain are others, and not each time.
  void refreshFit();
  void choose();
  void takeOut();
  void copyMismatch();
  void saveAs();

  Workbench& bench_;
  VectorDocument& document_;
  QLabel *scans_, *clocks_, *waits_, *compares_, *longest_, *expects_, *fits_, *odd_, *fromPauseText_;
  QComboBox* fromPause_;
  QFrame *nowCard_, *choiceCard_, *contentsCard_;
  QLabel *nowTitle_, *now_, *contents_, *differs_, *choiceTitle_, *contentsTitle_;
  QPushButton* go_;
  QWidget* links_;
  QToolButton *fromStart_, *past_, *copy_, *pause_, *takeOut_;
  QCheckBox *verify_, *load_, *short_, *known_;
  QLineEdit* clock_;
};

}  // namespace imprimo::app
