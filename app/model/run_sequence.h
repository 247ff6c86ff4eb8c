// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QStringList>
#include <deque>

#include "app/session/bench_session.h"
#include "app/session/file_reading.h"
#include "core/run/after_memories.h"

namespace imprimo::app {

class Workbench;

/// Runs that follow one another as one piece of work: all memories of the sheet, and after them what the sheet wants of
/// its cores. The first run that is not good ends it.
class RunSequence : public QObject {
  Q_OBJECT
 public:
  explicit RunSequence(Workbench& bench);

  /// The memories that have files, in the sheet's order.
  std::vector<std::string> memories() const;
  /// Whether there are several of them, and they may be written now.
  bool canWriteAll() const;
  /// "Write all 2 memories, and lock sensor"
  QString writeAllText() const;
  /// Reads all files and asks all memories before any of them is changed.
  void writeAll();
  /// "Write unit 7 whole, and lock sensor"
  QString writeUnitText() const;
  /// All that the sheet has, for a unit whose fields lie in more than one memory. `earlier` is for the memory that is
  /// looked at.
  void writeUnit(plan::Wanted::Earlier earlier);
  /// It goes on, or its files are being read.
  bool isUnderWay() const { return reading_.isReading() || !left_.empty() || waitsForRun_; }
  /// Nothing follows the run that goes on.
  void stop();
  /// What the sheet wants of a core after a run on the memory that is looked at, in sentences; empty for nothing.
  QStringList afterTheMemory() const;

 private:
  struct Each {
    enum class Kind { Reach, Memory, Words, Restart, Lock } kind;
    std::string name;          // of the memory, or core
    plan::WantedPtr wanted{};  // of a memory
    bool restarts = false;     // the core, after its words
  };

  QString andLock(const QString& text) const;
  void readAll();
  void take(const std::vector<plan::WantedPtr>& all);
  void add(const run::AfterMemories& after);
  void takeRecord(const run::Record& record);
  /// A run of one memory, which nobody here began.
  void takeOther(const run::Record& record);
  void next();
  void carryOut(const Each& each);
  void requireFitting() const;
  void end(const QString& message, bool trouble);

  Workbench& bench_;
  FileReading reading_;
  std::deque<Each> left_;
  bool waitsForRun_ = false;  // one of these runs goes on
  bool ofCores_ = false;      // cores may have become closed
  std::string earlierOf_;     // the memory with an earlier run, and what is done about that
  plan::Wanted::Earlier earlier_ = plan::Wanted::Earlier::Refuse;
  QString done_;  // what is said at the end
};

}  // namespace imprimo::app
