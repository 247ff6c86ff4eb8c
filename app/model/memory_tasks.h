// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>

#include "app/model/run_model.h"
#include "core/run/word_runs.h"
#include "core/store/copy_store.h"

namespace imprimo::app {

/// Other things to do with the memory that is looked at, and with the board; each is one run.
class MemoryTasks : public QObject {
  Q_OBJECT
 public:
  explicit MemoryTasks(Workbench& bench);

  bool canAsk() const;
  void readToFile(const AddressRange& range, const QString& file, bool twice);
  void compareWithFile(const QString& file, std::optional<std::uint64_t> at);
  void lookIfBlank();
  void tryBench(std::optional<AddressRange> scratch);
  void putBack(const run::StoredCopy& copy, bool anyPart);
  /// Loads the bridge that the memory needs, and asks the memory who it is.
  void loadBridge();
  /// A range of the memory that is looked at is kept from now on, in the place of the sheet's `index`th or as one more;
  /// as it is typed. False where it is none: told.
  bool keepRange(std::size_t index, const QString& text);
  void keepRange(const AddressRange& range);
  /// "A..B", as a range is typed.
  static QString typedRange(const AddressRange& range);
  void keepNoLonger(std::size_t index);
  void restartBoard();
  /// Samples the core of the memory for a second without halting it.
  void watchCore();
  /// Opens a locked core, as a run, and looks at the bench anew.
  void unlockCore(const std::string& core);
  /// Writes its configuration words, or closes it; the bench is looked at anew where it may have become closed.
  void writeWords(const run::WordsWanted& wanted);
  void lockCore(const std::string& core);
  /// The card describes the memory from now on: the sheet names it, and the part is asked again.
  void usePartCard(const QString& file);
  /// The card describes the device from now on: the sheet names it, and the bench is looked at again.
  void useConfigCard(std::size_t position, const QString& file);
  /// Where what is planned differs from what was read, in order; at most `most` ranges.
  std::vector<AddressRange> differences(std::size_t most) const;

 private:
  plan::Wanted wantedHere(plan::Task task) const;
  void start(plan::Wanted wanted);
  void keepReadBytes(const run::Record& record);
  bool mayStart() const;
  void startThenLookAnew(const std::function<void()>& act);

  Workbench& bench_;
  QString readInto_;
  AddressRange readRange_;
};

}  // namespace imprimo::app
