// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/job.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/bench/bench.h"
#include "core/bench/cores/core_memory.h"
#include "core/bench/memory_kinds.h"
#include "core/configure/vector_procedure.h"

namespace imprimo::run {
namespace {

/// Of a file, to see whether it is text.
constexpr std::size_t kTextLookedAt = 65536;

/// What the memory's route loads, where it does; that the file is there is better known beforehand.
std::optional<plan::BridgeLoad> loadFor(const sheet::Sheet& sheet, const sheet::MemoryEntry& entry) {
  const sheet::RoutePtr& route = entry.route;
  if (!route->load) return std::nullopt;
  std::error_code failure;
  const std::uintmax_t size = std::filesystem::file_size(sheet.folder() / *route->load, failure);
  if (failure) {
    throw Error(ErrorKind::BadFile,
                fmt::format("{}{}{}: the bridge for {} cannot be read: {}", route->loadFrom.where,
                            route->loadFrom.where.empty() ? "" : ": ", *route->load, entry.name, failure.message()),
                "Correct \"load\" in the memory's route, or take it out.");
  }
  Amount amount{8 * size, Amount::Bits};
  if (configure::isVectorFile(*route->load))
    amount = {configure::VectorStage(sheet.folder() / *route->load, sheet.clockHz.value_or(1'000'000)).clocks(),
              Amount::Clocks};
  return plan::BridgeLoad{sheet.chain[route->position - 1].name, *route->load, amount};
}

/// A text that was taken as raw binary because it is nothing else is hardly meant to be written into a flash.
void refuseText(const std::vector<Piece>& pieces) {
  for (const Piece& piece : pieces) {
    const Placement& p = piece.placement;
    if (piece.format != ImageFormat::Raw || p.format || p.pattern || !p.wrapper.empty() || !piece.source) continue;
    if (piece.image.empty() || !isMostlyText(piece.headAsInFile(kTextLookedAt))) continue;
    throw Error(ErrorKind::BadFile, fmt::format("{} is text, and no format that has addresses is seen in it", p.file),
                "If the text itself is to be written, read it as raw binary (format=bin).");
  }
}

/// Where a core begins in what is loaded into its RAM: by the vector table in front, or where a file says. Throws Usage
/// where neither is known.
plan::StartFrom startOf(const sheet::Sheet& sheet, const std::string& memory, const plan::Wanted& wanted) {
  const sheet::CoreRoute* route = sheet::coreRoute(*sheet.memory(memory).route);
  plan::StartFrom start;
  if (route != nullptr) start.core = route->core;
  const AddressRange extent = wanted.image.extent();
  const AddressRange head{extent.begin, extent.begin + 8};
  if (wanted.image.covers(head) &&
      looksLikeVectors(wanted.image.bytes(head), bench::ramOnPaper(sheet, sheet.memory(memory)).value_or(kUsualRam))) {
    const Bytes words = wanted.image.bytes(head);
    start.stack = loadLe32(words.data());
    start.at = loadLe32(words.data() + 4);
    start.table = static_cast<std::uint32_t>(extent.begin);
    if (wanted.image.at(start.at & ~1u)) return start;
    start.stack = start.table = std::nullopt;
  }
  for (const Piece& piece : wanted.pieces) {
    if (!piece.source || !piece.source->file.entry) continue;
    start.at = static_cast<std::uint32_t>(*piece.source->file.entry);
    if (wanted.image.at(start.at & ~1u)) return start;
  }
  throw Error(ErrorKind::Usage,
              fmt::format("{} is started after it was loaded, and no file says where it begins", memory),
              "Give it an ELF or a vector table, or take \"restart\" out of \"after\".");
}

/// Bytes of a unit go where nothing else is planned and nothing is kept. Throws Usage.
void writeUnitBytes(const sheet::Sheet& sheet, const sheet::UnitBytes& bytes, plan::Wanted& wanted) {
  const AddressRange range = bytes.range();
  if (const auto there = wanted.image.segmentsIn(range); !there.empty()) {
    std::string what = "other bytes";
    for (const Piece& piece : wanted.pieces) {
      if (!piece.image.segmentsIn(range).empty())
        what = piece.placement.file.empty() ? "a pattern" : piece.placement.file;
    }
    throw Error(ErrorKind::Usage,
                fmt::format("field {} of a unit is at {}, where {} has {}", bytes.field, rangeText(range), what,
                            rangeText(there.front().range())),
                "Give the field another address, or cut the file.");
  }
  for (const AddressRange& kept : sheet.keptIn(bytes.memory)) {
    if (kept.overlaps(range))
      throw Error(ErrorKind::Usage, fmt::format("field {} of a unit is at {}, in the kept range {}", bytes.field,
                                                rangeText(range), rangeText(kept)));
  }
  wanted.image.write(bytes.at, bytes.bytes);
  if (bytes.secret) wanted.secret.push_back(range);
}

/// A core whose configuration words are written behind its memories starts again behind those.
bool wordsFollow(const sheet::Sheet& sheet, const std::string& memory) {
  const sheet::CoreRoute* route = sheet::coreRoute(*sheet.memory(memory).route);
  return route != nullptr && !sheet.core(route->core).words.empty();
}

}  // namespace

plan::Wanted wantedFor(const sheet::Sheet& sheet, const std::string& memory, plan::Task task,
                       const std::optional<std::vector<Placement>>& given, const ReadRules& reading) {
  plan::Wanted wanted;
  wanted.task = task;
  wanted.memory = sheet.memory(memory).name;
  wanted.keep = sheet.keptIn(memory);
  wanted.waitSeconds = sheet.waitSeconds;
  wanted.onlySwd = sheet.onlySwd();
  wanted.restart = sheet.restartAfter && (task == plan::Task::Program || task == plan::Task::Erase) &&
                   !(task == plan::Task::Program && wordsFollow(sheet, memory));
  if (const sheet::CoreRoute* route = sheet::coreRoute(*sheet.memory(memory).route); route && wanted.restart) {
    wanted.speech = sheet.core(route->core).console;
    if (!wanted.speech.waitFor.empty()) wanted.hear = route->core;
  }
  wanted.boot = sheet.memory(memory).boot;
  wanted.load = loadFor(sheet, sheet.memory(memory));
  for (const sheet::Bookmark& b : sheet.bookmarks) {
    if (b.memory == memory) wanted.lookAt.push_back({b.at, b.name, b.expected()});
  }
  if (task != plan::Task::Program && task != plan::Task::Verify) return wanted;
  const std::vector<Placement> placements = given ? *given : sheet.placementsIn(memory);
  if (placements.empty() && (given || (sheet.editsIn(memory).empty() && sheet.unitBytesIn(memory).empty()))) {
    throw Error(ErrorKind::Usage, "no file is placed in " + memory, "Add one to the sheet.").setHelp(Help::PlaceFile);
  }
  LayoutRules rules;
  rules.reading = reading;
  const auto geometry = bench::geometryOnPaper(sheet, memory);
  if (geometry) rules.block = geometry->blockSize();
  wanted.pieces = readPieces(placements, given ? std::filesystem::path() : sheet.folder(), rules);
  if (task == plan::Task::Program) refuseText(wanted.pieces);
  if (!given) writeSums(wanted.pieces, sheet.sumsIn(memory), kBlankByte, reading.stop);
  wanted.image = combine(wanted.pieces);
  if (!given) {
    for (const sheet::Edit& edit : sheet.editsIn(memory)) wanted.image.write(edit.at, edit.bytes);
    for (const sheet::UnitBytes& bytes : sheet.unitBytesIn(memory)) writeUnitBytes(sheet, bytes, wanted);
  }
  if (wanted.restart && geometry && geometry->overwrites) wanted.start = startOf(sheet, memory, wanted);
  return wanted;
}

plan::Wanted wantedToRestore(const sheet::Sheet& sheet, const std::string& memory, const StoredCopy& copy,
                             MemoryImage contents) {
  plan::Wanted wanted;
  wanted.task = plan::Task::Program;
  wanted.memory = sheet.memory(memory).name;
  wanted.waitSeconds = sheet.waitSeconds;
  wanted.onlySwd = sheet.onlySwd();
  wanted.load = loadFor(sheet, sheet.memory(memory));
  wanted.image = std::move(contents);
  wanted.restores = copy.of;
  wanted.boot = sheet.memory(memory).boot;
  wanted.restart = sheet.restartAfter;
  // What the sheet expects at its bookmarks is of its own files, not of what was there before.
  for (const sheet::Bookmark& b : sheet.bookmarks) {
    if (b.memory == memory) wanted.lookAt.push_back({b.at, b.name, {}});
  }
  if (copy.ranges.empty()) throw Error(ErrorKind::BadFile, copy.path.string() + ": the copy is of nothing");
  return wanted;
}

void requireFitting(const memory::CopyOf& copy, std::uint64_t end, const memory::Identity& part, bool anyPart) {
  if (end > part.geometry.whole().end) {
    throw Error(
        ErrorKind::Refused,
        fmt::format("the copy is of a part of {} and reaches to {}; this part ends at {} ({})", sizeText(copy.size),
                    hexAddress(end - 1), hexAddress(part.geometry.whole().end - 1), sizeText(part.geometry.size)),
        "Choose a copy that was made of this part.");
  }
  if (anyPart || (copy.identity == part.id && copy.bank == part.bank)) return;
  throw Error(ErrorKind::Refused,
              fmt::format("the copy is of a part with ID {} (bank {}), this one has {} (bank {})", copy.identity,
                          copy.bank, part.id, part.bank),
              "Choose a copy that was made of this part.")
      .setHelp(Help::AnyPart);
}

void requireFitting(const StoredCopy& copy, const memory::Identity& part, bool anyPart) {
  requireFitting(copy.of, copy.ranges.back().end, part, anyPart);
}

std::vector<Finding> lookedOver(const sheet::Sheet& sheet, const plan::Wanted& wanted) {
  LookOverRules rules;
  rules.use = bench::memoryKind(sheet.memory(wanted.memory)).use;
  rules.memory = wanted.memory;
  rules.keep = wanted.keep;
  rules.sync = sheet.memory(wanted.memory).sync;
  if (const auto geometry = bench::geometryOnPaper(sheet, wanted.memory)) {
    rules.size = geometry->whole().end;
    rules.block = geometry->blockSize();
  }
  rules.ram = bench::ramOnPaper(sheet, sheet.memory(wanted.memory));
  return lookOver(wanted.pieces, rules);
}

bool isOnlyMemoryOf(const sheet::Sheet& sheet, const std::string& core, const std::string& memory) {
  return std::none_of(sheet.memories.begin(), sheet.memories.end(), [&](const sheet::MemoryEntry& other) {
    const sheet::CoreRoute* route = sheet::coreRoute(*other.route);
    return other.name != memory && route != nullptr && route->core == core && !sheet.placementsIn(other.name).empty();
  });
}

std::vector<std::string> memoriesWithPlacements(const sheet::Sheet& sheet) {
  std::vector<std::string> names;
  for (const sheet::MemoryEntry& memory : sheet.memories) {
    if (sheet.memories.size() == 1 || !sheet.placementsIn(memory.name).empty() ||
        !sheet.unitBytesIn(memory.name).empty())
      names.push_back(memory.name);
  }
  return names;
}

}  // namespace imprimo::run
