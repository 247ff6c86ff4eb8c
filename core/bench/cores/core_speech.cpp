// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/cores/core_speech.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "core/bench/cores/core_console.h"
#include "core/bench/listening_time.h"
#include "core/bench/swo/swo_source.h"
#include "core/console/heard_text.h"
#include "core/console/styled_text.h"

namespace imprimo::bench {

using std::chrono::nanoseconds;

std::unique_ptr<console::Source> openSerial(const std::string& port, const console::SerialSettings& settings,
                                            const OpenSerial& open) {
  if (open) return open(port, settings);
  throw Error(ErrorKind::Refused, "there are no serial ports here");
}

std::unique_ptr<console::Source> makeConsoleSource(const std::string& name, BenchCore& core,
                                                   const sheet::CoreSpeech& speech) {
  if (name == "ring") return std::make_unique<RingSource>(core);
  if (name == "itm") return std::make_unique<SwoSource>(core, speech.swo);
  if (name == "semihosting") return std::make_unique<SemihostingSource>(core);
  if (const auto port = sheet::serialPortOf(name)) return openSerial(*port, speech.serial, core.serial());
  throw Error(ErrorKind::Usage, fmt::format("there is no source {}", name),
              "Give ring, itm, semihosting, serial or serial:PORT.");
}

void strikeRings(BenchCore& core) {
  CoreBus bus(core);
  constexpr std::uint8_t kNothing[4] = {};
  for (const console::ConsoleRing& ring : console::findRings(bus, ramOf(core.card()), [] { return true; }))
    bus.write(ring.at(), kNothing);
}

console::Speech hearSpeech(BenchCore& core, const sheet::CoreSpeech& wanted, const std::stop_token& stop) {
  std::vector<std::unique_ptr<console::Source>> sources;
  for (const std::string& name : wanted.sources) sources.push_back(makeConsoleSource(name, core, wanted));
  // What is not kept in RAM is listened to from here on, and has to be said again. Without debug enabled a call of the
  // host is a fault, and it may come with the first instructions.
  const auto isRing = [](const std::string& source) { return source == "ring"; };
  const auto isHost = [](const std::string& source) { return source == "semihosting"; };
  if (!std::all_of(wanted.sources.begin(), wanted.sources.end(), isRing)) {
    core.core().resetHalted();
    core.core().forgetFound();
    SemihostingSource::letRun(core, std::any_of(wanted.sources.begin(), wanted.sources.end(), isHost));
  }
  // By channel, since several speak at once.
  std::map<std::string, console::HeardText> texts;
  std::string speaker;
  console::Speech speech;
  speech.wanted = wanted.waitFor;
  const nanoseconds limit(static_cast<std::int64_t>(wanted.seconds * 1e9));
  const auto byWall = [](const auto& source) { return source->byWallClock(); };
  const ListeningTime time(&core, std::any_of(sources.begin(), sources.end(), byWall));
  while (!stop.stop_requested()) {
    for (const auto& source : sources) {
      for (const console::Heard& heard : source->hear()) {
        console::HeardText& text = texts.try_emplace(heard.channel, wanted.waitFor).first->second;
        if (!heard.bytes.empty() && !speech.seen) speaker = heard.channel;
        speech.seen = text.add(heard.bytes) || speech.seen;
        speech.lost += heard.lost;
        if (heard.exit) speech.exit = heard.exit;
      }
    }
    const nanoseconds took = time.passed();
    speech.seconds = static_cast<double>(took.count()) * 1e-9;
    if (speech.seen || speech.exit || took >= limit) break;
    time.rest();
  }
  for (const auto& source : sources) source->end();
  if (!speech.seen && stop.stop_requested()) throw Error(ErrorKind::Stopped, "stopped while it was listened to");
  if (!speaker.empty()) speech.text = console::readableText(texts.at(speaker).end());
  return speech;
}

}  // namespace imprimo::bench
