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

struct VectorsOptions : CommonOptions {
  std::string file, memory, output;
  std::vector<std::string> pieces;
};

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

const vectors::VectorContents::Memory& memoryOf(const vectors::VectorContents& contents,
                                                const VectorsOptions& options) {
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

void addOptions(OptionList& own, VectorsOptions& options) {
  own.option("FILE", options.file, "the file").required().typeName("FILE.svf");
  own.option("--memory", options.memory, "which one, where the file has several").typeName("NAME");
  own.option("-o,--output", options.output, "the image that it writes, taken out").typeName("IMAGE");
  own.option("--compare", options.pieces, "FILE[@ADDRESS][,option]... that it should write; can be repeated")
      .typeName("PIECE")
      .oneEach();
}

Json surveyJson(const svf::Survey& survey, const std::vector<std::string>& remarks) {
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
  if (!remarks.empty()) json["remarks"] = remarks;
  json["memories"] = Json::array();
  return json;
}

void tellSurvey(const svf::Survey& survey, const std::vector<std::string>& remarks, std::ostream& out) {
  out << fmt::format("{}, {} lines: {}, {} ({} compared, {} bits)\n", sizeText(survey.end.offset), survey.end.line,
                     countText(survey.irScans, "instruction scan"), countText(survey.drScans, "data scan"),
                     survey.compares, survey.comparedBits);
  out << fmt::format("{} clocks; {}, of which {} are waits\n", survey.clocks, durationText(survey.seconds),
                     durationText(survey.waitSeconds));
  for (const auto& need : survey.needs) out << fmt::format("line {} needs {}\n", need.place.line, need.what);
  for (const std::string& remark : remarks) out << remark << "\n";
}

/// The image that the file writes, into a file of the format that its name says.
void saveHeld(const MemoryImage& held, const VectorsOptions& options, const Context& context) {
  const std::string extension = std::filesystem::path(options.output).extension().string();
  const auto format = outputFormat(extension);
  if (!format) {
    throw Error(ErrorKind::Usage, fmt::format("the name {} does not say in which format to write", options.output),
                "End it in .bin, .hex, .s19, .s28 or .s37.");
  }
  const std::string widened = widening(held, *format, {});
  saveImage(held, *format, {}, options.output);
  if (!widened.empty() && !options.json) context.err << widened << "\n";
}

/// Does it write what these files have?
bool compareHeld(const vectors::VectorContents::Memory& memory, const VectorsOptions& options, const Context& context,
                 Json& json) {
  const MemoryImage build = combine(piecesOf(options.pieces, {}, options.large, context.stop));
  const MemoryImage held = heldWhere(build, memory.held());
  const Differences found = compareImages(build, held);
  json["differences"] = found.bytes;
  if (found.bytes > 0) json["first"] = hexAddress(found.ranges.front().begin);
  if (!options.json) {
    context.out << (found.bytes == 0
                        ? std::string("it writes what the files have\n")
                        : fmt::format("it differs from the files in {}, first at {}\n", countText(found.bytes, "byte"),
                                      hexAddress(found.ranges.front().begin)));
  }
  return found.bytes == 0;
}

int runVectors(const VectorsOptions& options, const Context& context) {
  std::vector<std::string> pieces = options.pieces;
  pieces.push_back(options.file);
  requireNoInput(options.output, options, {{}, pieces});
  const double hz = options.speed.value_or(0) > 0 ? *options.speed : 1e9;
  const svf::Survey survey = surveyFile(options.file, hz, context.stop);
  const auto again = svf::Reader::open(options.file);
  const vectors::VectorContents contents =
      vectors::contentsOf(*again, [&](std::uint64_t) { return !context.stop.stop_requested(); });
  if (context.stop.stop_requested())
    throw Error(ErrorKind::Stopped, fmt::format("stopped while {} was read; nothing was written", options.file));
  const std::vector<std::string> remarks = remarksOn(survey, svf::FromPause::Update);
  Json json = surveyJson(survey, remarks);
  if (!options.json) tellSurvey(survey, remarks, context.out);
  for (const auto& memory : contents.memories) {
    json["memories"].push_back(memoryJson(memory));
    if (!options.json) tellMemory(memory, context.out);
  }
  if (!options.memory.empty()) memoryOf(contents, options);  // a name that it does not have is told in any case
  if (!options.output.empty()) saveHeld(memoryOf(contents, options).held(), options, context);
  const bool agrees = options.pieces.empty() || compareHeld(memoryOf(contents, options), options, context, json);
  if (options.json) print(context, json);
  return agrees ? 0 : 1;
}

}  // namespace

CommandRow vectorsCommand() {
  return commandRow<VectorsOptions>("vectors",
                                    "what is in an SVF file: its scans and waits, and the plan that it carries out",
                                    addOptions, runVectors);
}

}  // namespace imprimo::ctl
