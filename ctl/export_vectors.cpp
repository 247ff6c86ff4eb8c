// SPDX-License-Identifier: GPL-3.0-or-later
//
// The same work as vectors, and what is in a file of them.
#include <fmt/format.h>

#include <algorithm>
#include <ostream>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/base/stoppable_progress.h"
#include "core/image/compare.h"
#include "core/image/image_writer.h"
#include "core/run/job.h"
#include "core/svf/survey.h"
#include "core/vectors/contents.h"
#include "core/vectors/export.h"
#include "ctl/commands.h"
#include "ctl/image_options.h"
#include "ctl/output_file.h"
#include "ctl/session.h"
#include "ctl/survey_file.h"

namespace imprimo::ctl {
namespace {

constexpr std::uint32_t kDefaultHz = 1'000'000;

std::vector<std::uint32_t> lengthsOption(const std::string& text, const char* option) {
  std::vector<std::uint32_t> lengths;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t comma = std::min(text.find(',', at), text.size());
    const auto length = parseNumber(text.substr(at, comma - at));
    if (!length || *length < 2 || *length > 1024) {
      throw Error(ErrorKind::Usage,
                  fmt::format("{} takes instruction lengths with commas between, not '{}'", option, text),
                  "For example 8,4: two parts, the first next to TDI. \"none\" if there is none.");
    }
    lengths.push_back(static_cast<std::uint32_t>(*length));
    at = comma + 1;
  }
  return lengths;
}

std::optional<vectors::VectorWish::Elsewhere> elsewhereOption(const Options& options) {
  if (options.before.empty() && options.after.empty()) return std::nullopt;
  const auto lengths = [](const std::string& text, const char* name) {
    return text.empty() || text == "none" ? std::vector<std::uint32_t>() : lengthsOption(text, name);
  };
  return vectors::VectorWish::Elsewhere{lengths(options.before, "--before"), lengths(options.after, "--after")};
}

/// What the memory holds now, as it was read out.
MemoryImage contentsOption(const std::string& text, bool large) {
  Placement placement = parsePiece(text);
  placement.large = large;
  if (!placement.at) placement.at = 0;
  return readPiece(placement, {}).image;
}

plan::Task taskOption(const std::string& only) {
  return only == "blank" ? plan::Task::Blank : only == "verify" ? plan::Task::Verify : plan::Task::Program;
}

plan::Wanted wantedOf(const Options& options, const sheet::Sheet& sheet, const std::string& name,
                      const std::optional<std::vector<Placement>>& given, const std::stop_token& stop) {
  const plan::Task task = taskOption(options.only);
  const bool asks = options.only == "id" || options.only == "chain";
  plan::Wanted wanted = run::wantedFor(sheet, name, asks ? plan::Task::Reach : task, given, stop);
  wanted.all = task == plan::Task::Blank;
  wanted.noVerify = options.noVerify;
  wanted.waitSeconds.reset();
  return wanted;
}

}  // namespace

int exportVectors(const Options& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options, context);
  requireNoInput(options.output, options, &sheet);
  vectors::VectorWish wish;
  wish.scope = options.only == "chain" ? vectors::VectorWish::Scope::Chain
               : options.only == "id"  ? vectors::VectorWish::Scope::Id
                                       : vectors::VectorWish::Scope::Work;
  wish.load = !options.noLoad;
  wish.elsewhere = elsewhereOption(options);
  wish.writer.hz = options.frequency.value_or(options.speed.value_or(sheet.clockHz.value_or(kDefaultHz)));
  wish.writer.shortDigits = options.shortDigits;
  if (options.lineLength) wish.writer.lineLength = *options.lineLength;

  std::vector<std::string> names;
  const bool files = options.only.empty() || options.only == "verify";
  if (!options.memory.empty() || !options.places.empty()) {
    names = {oneMemory(options, sheet)};
  } else if (files) {
    names = run::memoriesWithPlacements(sheet);
  } else if (options.only != "chain" || wish.elsewhere) {
    names = {oneMemory(options, sheet)};
  }
  if (names.empty() && files)
    throw Error(ErrorKind::Usage, "the sheet places no file in any memory", "Add placements, or use --place.");
  std::optional<std::vector<Placement>> given;
  for (const std::string& place : options.places) {
    if (!given) given.emplace();
    given->push_back(parsePiece(place));
    given->back().memory = names.front();
    given->back().large = options.large;
  }
  for (const std::string& name : names) wish.memories.push_back(wantedOf(options, sheet, name, given, context.stop));
  if (!options.contents.empty()) {
    if (names.size() != 1)
      throw Error(ErrorKind::Usage, "--contents is of one memory, and several are written", "Name the memory.");
    wish.contents = contentsOption(options.contents, options.large);
  }

  AtomicFile file(options.output);
  StoppableProgress progress(context.stop);
  const vectors::VectorFile written = vectors::writeVectors(
      sheet, wish, cardFinder(options), [&](std::string_view text) { file.write(text); }, progress);
  file.commitSoon();
  if (options.json) {
    print(context, {{"result", "exported"},
                    {"file_bytes", written.bytes},
                    {"bytes", written.written},
                    {"erased", written.erased},
                    {"compared", written.compared},
                    {"play_seconds", written.seconds}});
    return 0;
  }
  context.out << fmt::format(
      "{}: {}; erases {}, writes {}, compares {}; takes {} at {:g} MHz, every wait at its longest\n", options.output,
      sizeText(written.bytes), sizeText(written.erased), sizeText(written.written), sizeText(written.compared),
      durationText(written.seconds), wish.writer.hz / 1e6);
  return 0;
}

namespace {

Json memoryJson(const vectors::VectorContents::Memory& memory) {
  Json json = {{"name", memory.name}, {"before", memory.before}, {"after", memory.after}};
  json["plan"] = Json::array();
  for (const auto& action : memory.actions) {
    json["plan"].push_back({{"kind", nameOf(action.kind)},
                            {"from", hexAddress(action.range.begin)},
                            {"to", hexAddress(action.range.end - 1)},
                            {"bytes", action.bytes},
                            {"line", action.line}});
  }
  json["erased"] = memory.erased.size();
  json["written"] = memory.written.size();
  json["compared"] = memory.compared.size();
  if (const auto at = memory.contradiction()) json["contradiction"] = hexAddress(*at);
  return json;
}

void tellMemory(const vectors::VectorContents::Memory& memory, std::ostream& out) {
  out << fmt::format("{}, through a bridge with {} before and {} after it: erases {}, writes {}, compares {}\n",
                     memory.name, memory.before, memory.after, sizeText(memory.erased.size()),
                     sizeText(memory.written.size()), sizeText(memory.compared.size()));
  for (const auto& action : memory.actions) {
    out << fmt::format("    {:<8}{}  {:>10}  line {}\n", nameOf(action.kind), rangeText(action.range),
                       sizeText(action.bytes), action.line);
  }
  if (const auto at = memory.contradiction())
    out << fmt::format("    what is compared at {} is not what is written there\n", hexAddress(*at));
}

const vectors::VectorContents::Memory& oneOf(const vectors::VectorContents& contents, const Options& options) {
  if (contents.memories.empty()) {
    throw Error(ErrorKind::Refused, fmt::format("{} writes nothing through a bridge of ours", options.file),
                "Only such files have an image that can be taken out.");
  }
  for (const auto& memory : contents.memories) {
    if (memory.name == options.memory) return memory;
  }
  if (options.memory.empty() && contents.memories.size() == 1) return contents.memories.front();
  std::string names;
  for (const auto& memory : contents.memories) names += (names.empty() ? "" : ", ") + memory.name;
  throw Error(ErrorKind::Usage, fmt::format("{} has several memories: {}", options.file, names),
              "Name one with --memory.");
}

}  // namespace

int vectors(const Options& options, const Context& context) {
  requireNoInput(options.output, options);
  const double hz = options.speed.value_or(0) > 0 ? *options.speed : 1e9;
  const svf::Survey survey = surveyFile(options.file, hz, context.stop);
  const auto again = svf::Reader::open(options.file);
  const vectors::VectorContents contents =
      vectors::contentsOf(*again, [&](std::uint64_t) { return !context.stop.stop_requested(); });
  if (context.stop.stop_requested())
    throw Error(ErrorKind::Stopped, fmt::format("stopped while {} was read; nothing was written", options.file));
  Json json = {{"file_bytes", survey.end.offset},
               {"lines", survey.end.line},
               {"instruction_scans", survey.irScans},
               {"data_scans", survey.drScans},
               {"clocks", survey.clocks},
               {"compares", survey.compares},
               {"compared_bits", survey.comparedBits},
               {"longest_scan", survey.longestScan},
               {"wait_seconds", survey.waitSeconds},
               {"play_seconds", survey.seconds}};
  for (const auto& need : survey.needs) json["needs"].push_back({{"line", need.place.line}, {"what", need.what}});
  const std::vector<std::string> remarks = remarksOn(survey, svf::FromPause::Update);
  if (!remarks.empty()) json["remarks"] = remarks;
  json["memories"] = Json::array();
  if (!options.json) {
    context.out << fmt::format("{}, {} lines: {}, {} ({} compared, {} bits)\n", sizeText(survey.end.offset),
                               survey.end.line, countText(survey.irScans, "instruction scan"),
                               countText(survey.drScans, "data scan"), survey.compares, survey.comparedBits);
    context.out << fmt::format("{} clocks; {}, of which {} are waits\n", survey.clocks, durationText(survey.seconds),
                               durationText(survey.waitSeconds));
    for (const auto& need : survey.needs) context.out << fmt::format("line {} needs {}\n", need.place.line, need.what);
    for (const std::string& remark : remarks) context.out << remark << "\n";
  }
  for (const auto& memory : contents.memories) {
    json["memories"].push_back(memoryJson(memory));
    if (!options.json) tellMemory(memory, context.out);
  }
  if (!options.memory.empty()) oneOf(contents, options);  // a name that it does not have is told in any case
  int exitCode = 0;
  if (!options.output.empty()) {
    const std::string extension = std::filesystem::path(options.output).extension().string();
    const auto format = outputFormat(extension);
    if (!format) {
      throw Error(ErrorKind::Usage, fmt::format("the name {} does not say in which format to write", options.output),
                  "End it in .bin, .hex, .s19, .s28 or .s37.");
    }
    const MemoryImage held = oneOf(contents, options).held();
    const std::string widened = widening(held, *format, {});
    saveImage(held, *format, {}, options.output);
    if (!widened.empty() && !options.json) context.err << widened << "\n";
  }
  if (!options.pieces.empty()) {
    const auto& memory = oneOf(contents, options);
    const MemoryImage build = combine(piecesOf(options, context.stop));
    const MemoryImage held = heldWhere(build, memory.held());
    const Differences found = compareImages(build, held);
    exitCode = found.bytes == 0 ? 0 : 1;
    json["differences"] = found.bytes;
    if (found.bytes > 0) json["first"] = hexAddress(found.ranges.front().begin);
    if (!options.json) {
      context.out << (found.bytes == 0
                          ? std::string("it writes what the files have\n")
                          : fmt::format("it differs from the files in {}, first at {}\n",
                                        countText(found.bytes, "byte"), hexAddress(found.ranges.front().begin)));
    }
  }
  if (options.json) print(context, json);
  return exitCode;
}

}  // namespace imprimo::ctl
