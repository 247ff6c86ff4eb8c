// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sheet/speech_reader.h"

#include <fmt/format.h>

namespace imprimo::sheet {
namespace {

constexpr std::string_view kSerial = "serial";

std::uint32_t upTo(const JsonNode& node, std::uint64_t least, std::uint64_t most) {
  const std::uint64_t value = node.number();
  if (value < least || value > most) node.fail(fmt::format("should be {} to {}", least, most));
  return static_cast<std::uint32_t>(value);
}

std::pair<unsigned, console::ItmPort> itmPort(const JsonNode& node, const NoteUnknown& note) {
  note(node, "cores[].console.swo.ports[]");
  constexpr std::uint64_t kLast = 31;
  console::ItmPort port;
  if (node.has("name")) port.name = node["name"].string();
  if (node.has("as")) {
    const auto as = console::itmPortAs(node["as"].string());
    if (!as) node["as"].fail("should be \"text\", \"unsigned\", \"signed\", \"hex\" or \"float\"");
    port.as = *as;
  }
  return {upTo(node["port"], 0, kLast), port};
}

SwoWish swo(const JsonNode& node, const NoteUnknown& note) {
  note(node, "cores[].console.swo");
  SwoWish wish;
  if (node.has("coding")) {
    const std::string coding = node["coding"].string();
    if (coding != "uart" && coding != "manchester") node["coding"].fail("should be \"uart\" or \"manchester\"");
    wish.manchester = coding == "manchester";
  }
  constexpr std::uint64_t kFastest = 100'000'000, kFastestClock = 1'000'000'000;
  if (node.has("rate")) wish.rate = upTo(node["rate"], 1000, kFastest);
  if (node.has("clock")) wish.clock = upTo(node["clock"], 1000, kFastestClock);
  if (node.has("ports")) {
    for (const JsonNode& each : node["ports"].elements()) {
      if (!wish.ports.insert(itmPort(each.object(), note)).second) each["port"].fail("is there twice");
    }
  }
  return wish;
}

console::SerialSettings serial(const JsonNode& node, const NoteUnknown& note) {
  note(node, "cores[].console.serial");
  console::SerialSettings settings;
  constexpr std::uint64_t kFastest = 12'000'000;
  if (node.has("baud")) settings.baud = upTo(node["baud"], 50, kFastest);
  if (node.has("bits")) settings.bits = upTo(node["bits"], 5, 8);
  if (node.has("stop")) settings.stop = upTo(node["stop"], 1, 2);
  if (node.has("parity")) {
    const auto parity = console::parityOf(node["parity"].string());
    if (!parity) node["parity"].fail("should be \"none\", \"even\" or \"odd\"");
    settings.parity = *parity;
  }
  if (node.has("ending")) {
    const auto ending = console::endingOf(node["ending"].string());
    if (!ending) node["ending"].fail("should be \"lf\", \"cr\" or \"crlf\"");
    settings.ending = *ending;
  }
  return settings;
}

}  // namespace

std::optional<std::string> serialPortOf(const std::string& source) {
  if (source == kSerial) return std::string();
  if (!source.starts_with(kSerial) || source[kSerial.size()] != ':' || source.size() == kSerial.size() + 1)
    return std::nullopt;
  return source.substr(kSerial.size() + 1);
}

bool isConsoleSource(const std::string& source) {
  return source == "ring" || source == "itm" || source == "semihosting" || serialPortOf(source);
}

CoreSpeech readSpeech(const JsonNode& node, const NoteUnknown& note) {
  note(node, "cores[].console");
  CoreSpeech speech;
  if (node.has("sources")) {
    speech.sources.clear();
    for (const JsonNode& each : node["sources"].elements()) {
      speech.sources.push_back(each.string());
      if (!isConsoleSource(speech.sources.back()))
        each.fail("should be \"ring\", \"itm\", \"semihosting\", \"serial\" or \"serial:PORT\"");
    }
    if (speech.sources.empty()) node["sources"].fail("names no source");
  }
  if (node.has("wait_for")) {
    speech.waitFor = node["wait_for"].string();
    if (speech.waitFor.empty()) node["wait_for"].fail("is a text");
  }
  if (node.has("seconds")) {
    constexpr double kMost = 3600;
    speech.seconds = node["seconds"].real();
    if (!(speech.seconds > 0 && speech.seconds <= kMost))
      node["seconds"].fail("should be more than 0 and at most 3600");
  }
  if (node.has("swo")) speech.swo = swo(node["swo"].object(), note);
  if (node.has("serial")) speech.serial = serial(node["serial"].object(), note);
  return speech;
}

}  // namespace imprimo::sheet
