// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/job.h"

#include <algorithm>

#include "core/base/error.h"
#include "core/run/bench.h"

namespace imprimo::run {

Wanted wantedFor(const sheet::Sheet& sheet, const std::string& memory, Task task,
                 const std::optional<std::vector<Placement>>& given) {
  Wanted wanted;
  wanted.task = task;
  wanted.memory = sheet.memory(memory).name;
  wanted.keep = sheet.keptIn(memory);
  wanted.waitSeconds = sheet.waitSeconds;
  wanted.restart = sheet.restartAfter && (task == Task::Program || task == Task::Erase);
  if (task != Task::Program && task != Task::Verify) return wanted;
  const std::vector<Placement> placements = given ? *given : sheet.placementsIn(memory);
  if (placements.empty()) {
    throw Error(ErrorKind::Usage, "no file is placed in " + memory,
                "Add one to the sheet, or name it with --place FILE@ADDRESS.");
  }
  LayoutRules rules;
  if (const auto geometry = geometryOnPaper(sheet, memory)) rules.block = geometry->blockSize();
  wanted.pieces = readPieces(placements, given ? std::filesystem::path() : sheet.folder(), rules);
  if (!given) writeSums(wanted.pieces, sheet.sumsIn(memory));
  wanted.image = combine(wanted.pieces);
  return wanted;
}

std::vector<Finding> lookedOver(const sheet::Sheet& sheet, const Wanted& wanted) {
  LookOverRules rules;
  rules.use = MemoryUse::Configuration;  // what an FPGA's bridge or pins lead to
  rules.memory = wanted.memory;
  rules.keep = wanted.keep;
  rules.sync = sheet.memory(wanted.memory).sync;
  if (const auto geometry = geometryOnPaper(sheet, wanted.memory)) {
    rules.size = geometry->size;
    rules.block = geometry->blockSize();
  }
  return lookOver(wanted.pieces, rules);
}

std::vector<std::string> memoriesWithPlacements(const sheet::Sheet& sheet) {
  std::vector<std::string> names;
  for (const sheet::MemoryEntry& memory : sheet.memories) {
    if (sheet.memories.size() == 1 || !sheet.placementsIn(memory.name).empty()) names.push_back(memory.name);
  }
  return names;
}

}  // namespace imprimo::run
