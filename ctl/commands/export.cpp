// SPDX-License-Identifier: GPL-3.0-or-later
//
// The same work as vectors, and what is in a file of them.
#include <fmt/format.h>

#include <algorithm>
#include <ostream>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/base/stoppable_progress.h"
#include "core/image/compare.h"
#include "core/image/image_writer.h"
#include "core/run/job.h"
#include "core/svf/survey.h"
#include "core/vectors/contents.h"
#include "core/vectors/export.h"
#include "ctl/command.h"
#include "ctl/image_options.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/output_file.h"
#include "ctl/session.h"
#include "ctl/survey_file.h"

namespace imprimo::ctl {
namespace {

struct ExportOptions : SheetOptions {
  std::vector<std::string> places;
  std::string only, contents, before, after, output;
  std::optional<std::uint32_t> frequency, lineLength;
  bool shortDigits = false, noLoad = false, noVerify = false;
};

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

std::optional<vectors::VectorWish::Elsewhere> elsewhereOption(const ExportOptions& options) {
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

plan::Wanted wantedOf(const ExportOptions& options, const sheet::Sheet& sheet, const std::string& name,
                      const std::optional<std::vector<Placement>>& given, const std::stop_token& stop) {
  const plan::Task task = taskOption(options.only);
  const bool asks = options.only == "id" || options.only == "chain";
  plan::Wanted wanted = run::wantedFor(sheet, name, asks ? plan::Task::Reach : task, given, {false, stop});
  wanted.all = task == plan::Task::Blank;
  wanted.noVerify = options.noVerify;
  wanted.waitSeconds.reset();
  return wanted;
}

void addOptions(OptionList& own, ExportOptions& options) {
  addSheetAndMemory(own, options);
  addPlaces(own, options.places);
  own.option("--only", options.only, "not all of it: chain, id, blank or verify")
      .typeName("WHAT")
      .oneOf({"chain", "id", "blank", "verify"});
  own.option("--contents", options.contents, "what the memory holds: a file that was read back").typeName("FILE");
  own.flag("--no-verify", options.noVerify, "do not compare what was written");
  own.flag("--no-load", options.noLoad, "assume the bridge is loaded");
  own.flag("--short-digits", options.shortDigits, "TDI without leading zeros; shorter, and some players refuse it");
  own.option("--frequency", options.frequency, "of TCK in the file; the sheet's if not given")
      .typeName("HZ")
      .number(1, 1'000'000'000);
  own.option("--line-length", options.lineLength, "characters in a line, at most; 250 if not given")
      .typeName("N")
      .number(80, 255);
  own.option("--before", options.before,
             "for another chain: instruction lengths of the parts between TDI and the bridge, or none")
      .typeName("N,N...");
  own.option("--after", options.after, "the same of the parts between the bridge and TDO").typeName("N,N...");
  own.option("-o,--output", options.output, "the file").required().typeName("FILE.svf");
}

int runExport(const ExportOptions& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options.sheet, options, context);
  std::vector<std::string> pieces = options.places;
  pieces.push_back(options.contents);
  requireNoInput(options.output, options, {{}, pieces}, &sheet);
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

}  // namespace

CommandRow exportCommand() {
  return commandRow<ExportOptions>(
      "export", "the same work as program, as vectors for any SVF player; needs no hardware", addOptions, runExport);
}

}  // namespace imprimo::ctl
