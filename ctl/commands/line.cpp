// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <cerrno>
#include <cstring>
#include <fstream>
#include <iostream>
#include <list>
#include <ostream>
#include <thread>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/base/visible_text.h"
#include "ctl/command.h"
#include "ctl/json_out.h"
#include "ctl/outcome_json.h"
#include "ctl/session.h"
#include "ctl/unit_work.h"
#include "line/health.h"
#include "line/operator_words.h"
#include "line/station.h"
#include "records/database.h"
#include "records/store_address.h"
#include "serial/serial_source.h"

namespace imprimo::ctl {
namespace {

struct LineOptions : CommonOptions {
  std::string release, codes, operatorName;
  std::vector<std::string> places;
  std::optional<std::uint64_t> units;
};

constexpr std::size_t kMostPlaces = 16;

void addOptions(OptionList& own, LineOptions& options) {
  own.option("RELEASE", options.release, "a release that this station trusts").required();
  own.option("--units", options.units, "so many boards at each place; without it until it is stopped")
      .number(1, UINT32_MAX);
  own.option("--at", options.places, "the probe of a place; can be repeated, up to 16 times")
      .typeName("ADDRESS")
      .oneEach();
  own.option("--codes", options.codes, "what a scanner would read, a line each; - is standard input").typeName("FILE");
  own.option("--operator", options.operatorName, "who works there, where the release asks for it").typeName("NAME");
}

/// Gives each place the next line when it asks for one.
class Codes {
 public:
  explicit Codes(const std::string& file) {
    if (file.empty() || file == "-") return;
    file_.open(file);
    if (!file_)
      throw Error(ErrorKind::BadFile, fmt::format("--codes {}: it cannot be opened: {}", file, std::strerror(errno)),
                  "It has a code in each line; - is standard input.");
  }
  std::optional<std::string> next() {
    const std::lock_guard lock(mutex_);
    std::string line;
    if (!std::getline(file_.is_open() ? static_cast<std::istream&>(file_) : std::cin, line)) return std::nullopt;
    return line;
  }

 private:
  std::mutex mutex_;
  std::ifstream file_;
};

/// What all places tell, a line at a time.
struct Told {
  std::mutex mutex;
  int failedUntouched = 0, failedChanged = 0;
  std::optional<ErrorKind> halted;
};

class PlaceWork : public line::Watcher {
 public:
  PlaceWork(const release::Release& release, const sheet::Sheet& sheet, line::Place place, const LineOptions& options,
            const Context& context, Codes& codes, Told& told)
      : probe_(place.bench.address),
        options_(options),
        context_(context),
        codes_(codes),
        told_(told),
        station_(release, sheet, std::move(place), *this) {}

  void work() {
    const std::stop_callback stops(context_.stop, [this] { own_.request_stop(); });
    station_.work(options_.units, own_.get_token());
  }

  void entered(line::Phase phase, const std::string& sentence) override {
    if (phase == line::Phase::Halted) own_.request_stop();  // nobody is here to put it right
    if (phase != line::Phase::AsksField && phase != line::Phase::AwaitsKey) return;
    if (phase == line::Phase::AsksField && sentence.find(' ') != std::string::npos) say(sentence);
    const auto line =
        phase == line::Phase::AwaitsKey && !options_.codes.empty() ? std::optional<std::string>("") : codes_.next();
    if (!line) return static_cast<void>(own_.request_stop());
    phase == line::Phase::AwaitsKey ? station_.press() : station_.give(*line);
  }

  void finished(const line::BoardResult& result) override {
    const std::lock_guard lock(told_.mutex);
    using Kind = line::BoardResult::Kind;
    if (result.kind == Kind::Failed || result.kind == Kind::Stopped)
      ++(result.changed ? told_.failedChanged : told_.failedUntouched);
    if (result.kind == Kind::Halted) told_.halted = result.error.value_or(ErrorKind::Internal);
    if (options_.json) {
      Json json = {{"result", result.kind == Kind::Good     ? "good"
                              : result.kind == Kind::Halted ? "halted"
                                                            : "failed"},
                   {"probe", probe_},
                   {"seconds", result.seconds},
                   {"changed", result.changed}};
      if (result.unit) json["unit"] = unitJson(result.unit->id, result.unit->state, result.unit->fields);
      if (result.cameBack) json["again"] = true;
      if (!result.sentence.empty()) json["message"] = result.sentence;
      if (!result.details.empty()) json["details"] = result.details;
      if (result.error) json["kind"] = nameOf(*result.error);
      print(context_, json);
      context_.out.flush();
      return;
    }
    context_.out << fmt::format("{}  {}{}{}\n", probe_, line::answerOf(result.kind),
                                result.unit ? fmt::format("  unit {}", result.unit->id) : "",
                                result.sentence.empty() ? "" : "  " + result.sentence);
    context_.out.flush();
    if (result.kind != Kind::Good && !result.details.empty())
      context_.err << fmt::format("imprimoctl: {}\n", result.details.back());
  }

 private:
  void say(const std::string& sentence) {
    const std::lock_guard lock(told_.mutex);
    context_.err << "imprimoctl: " << sentence << "\n";
  }

  std::string probe_;
  const LineOptions& options_;
  const Context& context_;
  Codes& codes_;
  Told& told_;
  std::stop_source own_;
  line::Station station_;
};

int runLine(const LineOptions& options, const Context& context) {
  const release::Release release = release::readRelease(options.release, release::trustedKeys());
  if (release.manifest.line.signOn && options.operatorName.empty())
    throw Error(ErrorKind::Usage, "this release asks who works there", "Say it with --operator NAME.");
  const sheet::Sheet sheet = release::sheetOf(release, release::releasesFolder(), release::secretsFolder());
  std::vector<std::string> places = options.places;
  if (places.empty()) places.push_back(probeAddress(options, context));
  if (places.size() > kMostPlaces)
    throw Error(ErrorKind::Usage, fmt::format("a line has at most {} places", kMostPlaces));
  const probe::ProbeOptions settings = probeOptions(options, context, sheet.clockHz);
  context.err << fmt::format("imprimoctl: release {} of {}, signed by {}\n", release.manifest.number,
                             release.manifest.title, release.signer.name);
  // On this thread first: what Qt needs for it has to outlive those that work.
  static_cast<void>(records::Database(records::chosenStore(context.store)));
  Codes codes(options.codes);
  Told told;
  std::list<PlaceWork> work;
  for (const std::string& address : places) {
    line::Place place;
    place.bench = {address,        "imprimoctl",      settings,
                   context.system, options.libraries, serial::opener(context.system, address, settings.libraries)};
    place.store = context.store;
    place.name = options.operatorName;
    work.emplace_back(release, sheet, std::move(place), options, context, codes, told);
  }
  {
    std::vector<std::jthread> threads;
    for (PlaceWork& each : work) threads.emplace_back([&each] { each.work(); });
  }
  if (told.halted) return exitCodeOf(*told.halted);
  if (context.stop.stop_requested()) return exitCodeOf(ErrorKind::Stopped);
  return told.failedChanged > 0 ? 4 : told.failedUntouched > 0 ? 3 : 0;
}

}  // namespace

CommandRow lineCommand() {
  return commandRow<LineOptions>("line", "do boards one after another with a release, at one place or several",
                                 addOptions, runLine);
}

}  // namespace imprimo::ctl
