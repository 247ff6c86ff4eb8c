// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/core_speech.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/bench/core_console.h"
#include "core/console/heard_text.h"
#include "core/console/styled_text.h"

namespace imprimo::bench {

using std::chrono::nanoseconds;

std::unique_ptr<console::Source> makeConsoleSource(const std::string& name, BenchCore& core) {
  if (name == "ring") return std::make_unique<RingSource>(core);
  if (name == "semihosting") return std::make_unique<SemihostingSource>(core);
  throw Error(ErrorKind::Usage, fmt::format("there is no source {}", name), "Give ring or semihosting.");
}

void strikeRings(BenchCore& core) {
  CoreBus bus(core);
  constexpr std::uint8_t kNothing[4] = {};
  for (const console::ConsoleRing& ring : console::findRings(bus, ramOf(core.card()), [] { return true; }))
    bus.write(ring.at(), kNothing);
}

console::Speech hearSpeech(BenchCore& core, const sheet::CoreSpeech& wanted, const std::stop_token& stop) {
  std::vector<std::unique_ptr<console::Source>> sources;
  for (const std::string& name : wanted.sources) sources.push_back(makeConsoleSource(name, core));
  // Without debug enabled a call of the host is a fault, and it may come with the first instructions.
  if (std::find(wanted.sources.begin(), wanted.sources.end(), "semihosting") != wanted.sources.end()) {
    core.core().resetHalted();
    core.core().forgetFound();
    SemihostingSource::letRun(core);
  }
  console::HeardText text(wanted.waitFor);
  console::Speech speech;
  speech.wanted = wanted.waitFor;
  const nanoseconds begin = core.now(), limit(static_cast<std::int64_t>(wanted.seconds * 1e9));
  while (!stop.stop_requested()) {
    for (const auto& source : sources) {
      for (const console::Heard& heard : source->hear()) {
        text.add(heard.bytes);
        speech.lost += heard.lost;
        if (heard.exit) speech.exit = heard.exit;
      }
    }
    const nanoseconds took = core.now() - begin;
    speech.seconds = static_cast<double>(took.count()) * 1e-9;
    speech.seen = text.seen();
    if (speech.seen || speech.exit || took >= limit) break;
    core.pass(std::chrono::milliseconds(1));
  }
  for (const auto& source : sources) source->end();
  if (!speech.seen && stop.stop_requested()) throw Error(ErrorKind::Stopped, "stopped while it was listened to");
  speech.text = console::readableText(text.end());
  return speech;
}

}  // namespace imprimo::bench
