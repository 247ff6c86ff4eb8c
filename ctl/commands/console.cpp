// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/bench/cores/core_speech.h"
#include "core/bench/listening_time.h"
#include "core/console/heard_text.h"
#include "core/console/styled_text.h"
#include "ctl/command.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/session.h"
#include "serial/serial_source.h"

namespace imprimo::ctl {
namespace {

using std::chrono::nanoseconds;

struct ConsoleOptions : SheetOptions {
  std::vector<std::string> sources;
  std::string expect, until, send, seconds;
};

void addOptions(OptionList& own, ConsoleOptions& options) {
  addSheet(own, options.sheet);
  addCore(own, options);
  own.option(
         "--source", options.sources,
         "what is listened to: ring, itm, semihosting, serial or serial:PORT; the sheet's, or ring, if not given; can "
         "be repeated")
      .oneEach()
      .typeName("SOURCE");
  own.option("--expect", options.expect, "ends when TEXT was seen; not seen in time is exit 1").typeName("TEXT");
  own.option("--until", options.until, "the same, but not seen is no failure").typeName("TEXT");
  own.option("--for", options.seconds, "ends after so many seconds").typeName("SECONDS");
  own.option("--send", options.send, "says TEXT and a line feed to the target first").typeName("TEXT");
}

std::optional<nanoseconds> limitOf(const ConsoleOptions& options) {
  if (options.seconds.empty()) return std::nullopt;
  char* end = nullptr;
  const double seconds = std::strtod(options.seconds.c_str(), &end);
  if (*end != '\0' || !(seconds > 0) || seconds > 1e9)
    throw Error(ErrorKind::Usage, fmt::format("--for {} is not a number of seconds", options.seconds),
                "For example 10 or 0.5.");
  return nanoseconds(static_cast<std::int64_t>(seconds * 1e9));
}

/// What was heard, as it goes to the terminal and into the answer.
class Listening {
 public:
  Listening(const ConsoleOptions& options, const Context& context)
      : options_(options), context_(context), wanted_(options.expect.empty() ? options.until : options.expect) {}

  void take(const console::Heard& heard) {
    auto& text = texts_.try_emplace(heard.channel, wanted_).first->second;
    const bool before = text.seen();
    text.add(heard.bytes);
    if (text.seen() && !before) seenOn_ = heard.channel;
    if (last_ != heard.channel && !heard.bytes.empty()) {
      // Where several speak, whoever does now is named.
      if (!last_.empty() && !options_.json) context_.err << fmt::format("imprimoctl: {}:\n", heard.channel);
      last_ = heard.channel;
    }
    if (!options_.json) context_.out << std::string(heard.bytes.begin(), heard.bytes.end()) << std::flush;
    lost_ += heard.lost;
    if (heard.lost > 0)
      say(heard.channel,
          fmt::format("{} found no room and {} lost", countText(heard.lost, "byte"), heard.lost == 1 ? "is" : "are"));
    if (heard.began) say(heard.channel, "the target has begun anew");
    if (!heard.note.empty()) say(heard.channel, heard.note);
    if (heard.exit) {
      say(heard.channel, fmt::format("the program has ended with {}", *heard.exit));
      ended_ = true;
    }
  }
  bool seen() const { return !seenOn_.empty(); }
  bool ended() const { return ended_; }

  /// `over`: the time is; otherwise it was ended from outside.
  int conclude(bool over) const {
    const bool looked = !wanted_.empty();
    const char* result = seen() ? "seen" : looked && (over || ended_) ? "not-seen" : "ended";
    if (options_.json) {
      const std::string channel = seen() ? seenOn_ : last_;
      const auto found = texts_.find(channel);
      Json json = {{"result", result}, {"source", channel}};
      json["bytes"] = found == texts_.end() ? 0 : found->second.count();
      json["lost"] = lost_;
      json["text"] = found == texts_.end() ? std::string() : console::readableText(found->second.end());
      print(context_, json);
    } else if (looked && !seen()) {
      context_.err << fmt::format("imprimoctl: \"{}\" was not seen\n", wanted_);
    }
    return !options_.expect.empty() && !seen() ? 1 : 0;
  }

 private:
  void say(const std::string& channel, const std::string& what) {
    context_.err << fmt::format("imprimoctl: {}: {}\n", channel, what);
  }

  const ConsoleOptions& options_;
  const Context& context_;
  std::string wanted_, seenOn_, last_;
  std::map<std::string, console::HeardText> texts_;
  std::uint64_t lost_ = 0;
  bool ended_ = false;
};

using Sources = std::vector<std::unique_ptr<console::Source>>;

/// Listens until what was waited for was said, or it is over. Returns whether the time was.
bool listen(const ConsoleOptions& options, const Context& context, const Sources& sources, bench::BenchCore* core,
            Listening& listening) {
  const std::optional<nanoseconds> limit = limitOf(options);
  Bytes toSay(options.send.begin(), options.send.end());
  if (!options.send.empty()) toSay.push_back('\n');
  const auto byWall = [](const auto& source) { return source->byWallClock(); };
  const bench::ListeningTime time(core, std::any_of(sources.begin(), sources.end(), byWall));
  bool over = false;
  while (!over && !context.stop.stop_requested()) {
    for (const auto& source : sources) {
      const std::size_t said = toSay.empty() ? 0 : source->tell(toSay);
      toSay.erase(toSay.begin(), toSay.begin() + static_cast<std::ptrdiff_t>(said));
      for (const console::Heard& heard : source->hear()) listening.take(heard);
    }
    if (listening.seen() || listening.ended()) break;
    over = limit && time.passed() >= *limit;
    time.rest();
  }
  for (const auto& source : sources) source->end();
  if (!toSay.empty())
    context.err << fmt::format(
        "imprimoctl: {} did not take {} of what --send says: its ring is full, or takes no input\n",
        core != nullptr ? core->name() : "the port", countText(toSay.size(), "byte"));
  return over;
}

int runConsole(const ConsoleOptions& options, const Context& context) {
  if (!options.expect.empty() && !options.until.empty())
    throw Error(ErrorKind::Usage, "--expect and --until exclude each other", "Give one of them.");
  limitOf(options);
  const sheet::Sheet sheet = openSheet(options.sheet, options, context);
  const std::string name = oneCore(options, sheet);
  const sheet::CoreSpeech& speech = sheet.core(name).console;
  const std::vector<std::string>& wanted = options.sources.empty() ? speech.sources : options.sources;
  Listening listening(options, context);
  Sources sources;
  // A serial port needs no probe.
  if (std::all_of(wanted.begin(), wanted.end(),
                  [](const auto& each) { return sheet::serialPortOf(each).has_value(); })) {
    const bench::OpenSerial open =
        serial::opener(context.system, options.probe, probeOptions(options, context, std::nullopt).libraries);
    for (const std::string& each : wanted) sources.push_back(open(*sheet::serialPortOf(each), speech.serial));
    return listening.conclude(listen(options, context, sources, nullptr, listening));
  }
  const auto bench = openBench(options, context, sheet);
  bench->onlyAttach();
  awaitTarget(options, context, *bench, sheet.waitSeconds);
  bench->checkChain();
  bench::BenchCore& core = bench->core(name);
  if (core.wasResetToAttach())
    context.err << fmt::format("imprimoctl: {} did not answer, and was connected under reset\n", name);
  for (const std::string& each : wanted) sources.push_back(bench::makeConsoleSource(each, core, speech));
  return listening.conclude(listen(options, context, sources, &core, listening));
}

}  // namespace

CommandRow consoleCommand() {
  return commandRow<ConsoleOptions>("console", "what a core says, as it comes; it is not halted for that", addOptions,
                                    runConsole);
}

}  // namespace imprimo::ctl
