// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <chrono>
#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/bench/pins/probe_pins.h"
#include "core/store/folders.h"
#include "core/svf/survey.h"
#include "core/vectors/play.h"
#include "ctl/command.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/outcome_json.h"
#include "ctl/runs.h"
#include "ctl/session.h"
#include "ctl/survey_file.h"
#include "ctl/terminal.h"
#include "records/store_seams.h"

namespace imprimo::ctl {
namespace {

struct PlayOptions : CommonOptions {
  std::string file, sheet, fromPause;
  std::optional<std::uint64_t> fromLine;
  bool keepGoing = false, anyChain = false;
};

class TerminalWatch : public vectors::PlayWatch {
 public:
  TerminalWatch(const PlayOptions& options, const Context& context, const svf::Survey& survey)
      : keepGoing_(options.keepGoing),
        line_(context.err, context.terminal, !options.json),
        err_(context.err),
        survey_(survey) {}

  void advanced(const svf::Played& played) override {
    const auto now = std::chrono::steady_clock::now();
    if (!line_.moves() || now - shown_ < std::chrono::milliseconds(100)) return;
    shown_ = now;
    open_ = true;
    line_.restart();
    err_ << fmt::format("line {} of {}, {} of {}, {:.1f} of {:.1f} s", played.place.line, survey_.end.line,
                        sizeText(played.place.offset), sizeText(survey_.end.offset),
                        survey_.timeOf(played.place.offset), survey_.seconds)
         << std::flush;
  }
  bool goesOnPast(const svf::Mismatch& mismatch, const vectors::MismatchStory& story) override {
    if (keepGoing_ && told_++ < kMostTold) {
      close();
      err_ << fmt::format("imprimoctl: line {}: {}{}\n", mismatch.place.line, mismatch.text(),
                          story.doing.empty() ? "" : "; " + story.doing);
    }
    return keepGoing_;
  }
  void close() {
    if (open_) line_.restart();
    open_ = false;
  }

 private:
  static constexpr int kMostTold = 50;
  bool keepGoing_;
  LiveLine line_;
  std::ostream& err_;
  const svf::Survey& survey_;
  std::chrono::steady_clock::time_point shown_{};
  bool open_ = false;
  int told_ = 0;
};

/// The last safe point up to a line.
svf::Place safePoint(const svf::Survey& survey, std::uint64_t line) {
  if (line > survey.end.line) {
    throw Error(ErrorKind::Usage, fmt::format("--from-line {} is past the end of the file, which has {}", line,
                                              countText(survey.end.line, "line")));
  }
  svf::Place found{0, 0, 0};
  for (const svf::Survey::Mark& mark : survey.marks) {
    if (mark.point.place.line <= line) found = mark.point.place;
  }
  if (found.line != 0) return found;
  throw Error(ErrorKind::Usage, fmt::format("up to line {} nothing resets the TAP and no step is marked", line),
              "Play it from the start.");
}

/// Throws Refused for the first thing that a probe with these pins does not have.
void requirePins(const svf::Survey& survey, const std::string& file, const std::vector<std::string>& pins) {
  const svf::Survey::Need* need = bench::missing(survey, pins);
  if (need == nullptr) return;
  throw Error(
      ErrorKind::Refused,
      fmt::format("{}:{}:{}: needs {}, which the probe does not have", std::filesystem::path(file).filename().string(),
                  need->place.line, need->place.column, need->what),
      "Nothing was sent.");
}

Json mismatchJson(const svf::Mismatch& m, const vectors::MismatchStory& story) {
  Json json = {{"line", m.place.line},
               {"column", m.place.column},
               {"scan", m.into == jtag::Register::Instruction ? "SIR" : "SDR"},
               {"length", m.length},
               {"compared", m.compared},
               {"differing", m.differing},
               {"first_bit", static_cast<std::int64_t>(m.first) - static_cast<std::int64_t>(m.header)},
               {"matched_before", m.comparesBefore}};
  if (m.expected.size() <= 4096) {
    json["expected"] = m.expected.digits();
    json["found"] = m.found.digits();
    json["mask"] = m.mask.digits();
  }
  if (story.device) json["part"] = {{"position", *story.device + 1}, {"name", story.deviceName}};
  if (story.address) json["address"] = hexAddress(*story.address);
  if (!story.doing.empty()) json["doing"] = story.doing;
  if (!m.comment.text.empty()) json["comment"] = {{"line", m.comment.place.line}, {"text", m.comment.text}};
  return json;
}

void addOptions(OptionList& own, PlayOptions& options) {
  own.option("FILE", options.file, "the file").required().typeName("FILE.svf");
  own.option("--sheet", options.sheet, "names and descriptions of the parts").typeName("SHEET");
  own.option("--from-line", options.fromLine, "begin at the last safe point up to this line")
      .typeName("N")
      .number(1, UINT64_MAX);
  own.flag("--keep-going", options.keepGoing, "continue after a mismatch");
  own.option("--from-pause", options.fromPause,
             "a scan that begins in the pause state of its own register goes on through Update (default), or "
             "straight into Shift")
      .oneOf({"shift", "update"})
      .typeName("shift|update");
  own.flag("--any-chain", options.anyChain, "even if the chain does not match the file");
}

int runPlay(const PlayOptions& options, const Context& context) {
  std::optional<sheet::Sheet> sheet;
  if (!options.sheet.empty()) sheet = openSheet(options.sheet, options, context);
  const auto clock = sheet ? sheet->clockHz : std::nullopt;

  // Everything that can be wrong with the file is found before the probe is touched.
  const auto fromPause = options.fromPause == "shift" ? svf::FromPause::Shift : svf::FromPause::Update;
  const probe::ProbeOptions settings = probeOptions(options, context, clock);
  const double hz = options.speed || clock ? settings.clockHz : 1e9;
  const svf::Survey survey = surveyFile(options.file, hz, context.stop, fromPause);
  const std::vector<std::string> remarks = remarksOn(survey, fromPause);
  requirePins(survey, options.file, {"TRST", "RESET"});  // others no probe has
  vectors::PlayWish wish;
  wish.file = options.file;
  wish.anyChain = options.anyChain;
  wish.fromPause = fromPause;
  if (options.fromLine) wish.from = safePoint(survey, *options.fromLine).offset;
  // Without a wish for a clock the file's own is as fast as it may go.
  wish.highestHz =
      options.speed || clock || !survey.hz ? settings.clockHz : static_cast<std::uint32_t>(std::min(*survey.hz, 1e9));

  const auto probe = openProbe(options, context, clock);
  requirePins(survey, options.file, probe->info().pins);
  const bsdl::Library library = openLibrary(options, context);
  const jtag::Describe describe = [&](std::uint32_t idcode) { return library.find(idcode); };
  awaitTarget(options, context, probe::tapOf(*probe), sheet ? sheet->waitSeconds : std::nullopt,
              [&] { jtag::examine(probe::tapOf(*probe), describe); });
  if (!options.json) {
    context.err << fmt::format("{}: {} clocks, {} at {:g} MHz, of which {} are waits; {} compared\n",
                               std::filesystem::path(options.file).filename().string(), survey.clocks,
                               durationText(survey.seconds), std::min(survey.hz.value_or(1e9), hz) / 1e6,
                               durationText(survey.waitSeconds), countText(survey.compares, "scan"));
    for (const std::string& remark : remarks) context.err << remark << "\n";
  }
  records::StoreSink records(context.store);
  TerminalWatch watch(options, context, survey);
  const vectors::PlayReport report =
      vectors::playVectors(wish, *probe, sheet ? &*sheet : nullptr, describe, records, watch, context.stop);
  watch.close();
  tell(report.record, options, context);
  if (options.json) {
    Json json = outcomeJson(report.record);
    json["line"] = report.result.played.place.line;
    json["compares"] = report.result.played.compares;
    json["mismatches"] = report.result.mismatches;
    if (!remarks.empty()) json["remarks"] = remarks;
    if (report.result.first) json["mismatch"] = mismatchJson(*report.result.first, report.story);
    print(context, json);
  }
  return exitCodeOf(report.record);
}

}  // namespace

CommandRow playCommand() {
  return commandRow<PlayOptions>("play", "run an SVF file on the chain", addOptions, runPlay);
}

}  // namespace imprimo::ctl
