// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/run/runner.h"

namespace imprimo::run {

/// Notes of runs that did not end and that may be about the memory that is described by `now`, the oldest first.
std::vector<RunNote> earlierRuns(const NoteStore& notes, const memory::CopyOf& now);

/// "a run that began 2026-11-28T10:00:00Z did not end: block 0x003000 – 0x003FFF is to be finished …"
std::string earlierText(const RunNote& note);

/// The step that finishes them.
plan::Step finishStep(const std::vector<RunNote>& notes);
/// Puts that step into a plan that changes the memory, after the memory is identified; nothing for no notes.
void addFinishStep(plan::Plan& plan, const plan::Wanted& wanted, const std::vector<RunNote>& notes);

/// Finishes what `note` is about, as far as a memory that was identified needs it: bytes that nobody planned to change
/// go back, from the copy; so do protection and modes. Then the note is closed. Returns what was done, for people.
/// Where it is another board, or may be one and `choice` does not say what to do, nothing is changed: throws Refused
/// for the sheet's own memory, and otherwise leaves the note alone.
std::string finishEarlier(const RunNote& note, const plan::Wanted& wanted, bench::Bench& bench, const RunSeams& seams,
                          const std::stop_token& stop);

/// Whether the bytes fit a run that ended in the middle of what `note` is about. `old` is its copy.
bool fits(const RunNote& note, const MemoryImage& old, const memory::KnownContents& now);

}  // namespace imprimo::run
