// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>

#include "core/run/record.h"
#include "core/run/run_notes.h"

namespace imprimo::run {

/// How far a run goes: asked before each step.
struct RunExtent {
  enum Next { CarryOut, Skip, End };
  std::function<Next(const plan::Step&)> next = [](const plan::Step&) { return CarryOut; };
  std::optional<Outcome> outcome = {};  ///< whatever came of it; nothing: what the steps came to
};

/// A run that must leave nothing behind.
class NoRecords : public RecordSink {
 public:
  void keep(const Record&) override {}
};

/// Shows the notes that there are, and keeps none.
class ReadOnlyNotes : public NoteStore {
 public:
  explicit ReadOnlyNotes(const NoteStore& notes) : notes_(notes) {}
  void put(RunNote&) override {}
  void close(const RunNote&) override {}
  std::vector<RunNote> open(std::vector<std::string>* unreadable) const override { return notes_.open(unreadable); }

 private:
  const NoteStore& notes_;
};

}  // namespace imprimo::run
