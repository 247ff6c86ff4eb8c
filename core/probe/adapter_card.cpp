// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/adapter_card.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/input_file.h"
#include "core/base/json_text.h"

namespace imprimo::probe {
namespace {

int pinNumber(const JsonNode& node, const std::string& name) {
  if (name.size() != 2 || (name[0] != 'D' && name[0] != 'C') || name[1] < '0' || name[1] > '7' ||
      (name[0] == 'D' && name[1] < '4')) {
    node.fail(fmt::format("'{}' is no pin: D4 to D7 and C0 to C7 are", name));
  }
  return (name[0] == 'C' ? 8 : 0) + (name[1] - '0');
}

bool level(const JsonNode& node) {
  const std::string text = node.string();
  if (text != "high" && text != "low") node.fail("should be high or low");
  return text == "high";
}

std::uint16_t usbNumber(const JsonNode& node) {
  const std::uint64_t value = node.number();
  if (value > 0xFFFF) node.fail("should have 16 bits");
  return static_cast<std::uint16_t>(value);
}

}  // namespace

AdapterCard parseAdapterCard(std::string_view text, const std::string& name) {
  const JsonText json = JsonText::parse(text, name);
  const JsonNode root(json);
  root.onlyKnown({"imprimo_adapter", "name", "usb", "channel", "drive", "reset", "sense", "swd", "highest_clock"});
  if (root["imprimo_adapter"].number() != 1)
    root["imprimo_adapter"].fail("this program reads adapter cards of version 1");
  AdapterCard card;
  card.name = root["name"].string();
  if (root.has("usb")) {
    for (const JsonNode& node : root["usb"].elements()) {
      node.onlyKnown({"vendor", "product", "text"});
      card.usb.push_back(
          {usbNumber(node["vendor"]), usbNumber(node["product"]), node.has("text") ? node["text"].string() : ""});
    }
  }
  if (root.has("channel")) {
    const std::string channel = root["channel"].string();
    if (channel.size() != 1 || channel[0] < 'A' || channel[0] > 'D') root["channel"].fail("should be A, B, C or D");
    card.channel = channel[0];
  }
  if (root.has("drive")) {
    const JsonNode drive = root["drive"].object();
    for (const std::string& pin : drive.keys()) card.drive.push_back({pinNumber(drive, pin), level(drive[pin])});
  }
  if (root.has("reset")) {
    const JsonNode reset = root["reset"];
    reset.onlyKnown({"pin", "asserted", "released"});
    card.reset = AdapterCard::Pin{pinNumber(reset["pin"], reset["pin"].string()), level(reset["asserted"])};
    if (reset.has("released")) {
      const std::string how = reset["released"].string();
      if (how != "open" && how != "driven") reset["released"].fail("should be open or driven");
      card.resetOpenDrain = how == "open";
    }
  }
  if (root.has("sense")) {
    const JsonNode sense = root["sense"];
    sense.onlyKnown({"pin", "powered"});
    card.sense = AdapterCard::Pin{pinNumber(sense["pin"], sense["pin"].string()), level(sense["powered"])};
  }
  if (root.has("swd")) {
    const JsonNode swd = root["swd"].object();
    swd.onlyKnown({"enable", "driving"});
    card.swd.emplace();
    if (swd.has("enable"))
      card.swd->enable = AdapterCard::Pin{pinNumber(swd["enable"], swd["enable"].string()), level(swd["driving"])};
  }
  if (root.has("highest_clock")) {
    const std::uint64_t hz = root["highest_clock"].number();
    if (hz < 1000 || hz > 30'000'000) root["highest_clock"].fail("should be 1000 to 30000000 Hz");
    card.highestClock = static_cast<std::uint32_t>(hz);
  }
  return card;
}

AdapterCard readAdapterCard(const std::filesystem::path& file) {
  AdapterCard card = parseAdapterCard(readTextFile(file, kCardFile), file.string());
  card.file = file;
  return card;
}

AdapterCard genericAdapter() {
  // The vendor's own numbers for the one-, two- and four-channel high-speed chips.
  AdapterCard card;
  card.usb = {{0x0403, 0x6014, ""}, {0x0403, 0x6010, ""}, {0x0403, 0x6011, ""}};
  return card;
}

std::vector<AdapterCard> adapterCards(const std::vector<std::filesystem::path>& folders) {
  std::vector<AdapterCard> cards;
  for (const auto& folder : folders) {
    std::error_code ignored;
    std::vector<std::filesystem::path> files;
    for (const auto& entry : std::filesystem::directory_iterator(folder, ignored)) {
      if (entry.path().extension() == ".json") files.push_back(entry.path());
    }
    std::sort(files.begin(), files.end());
    for (const auto& file : files) {
      const std::string text = readTextFile(file, kCardFile);
      if (text.find("\"imprimo_adapter\"") == std::string::npos) continue;
      cards.push_back(parseAdapterCard(text, file.string()));
      cards.back().file = file;
    }
  }
  cards.push_back(genericAdapter());
  return cards;
}

const AdapterCard* cardFor(const std::vector<AdapterCard>& cards, std::uint16_t vendor, std::uint16_t product,
                           const std::string& productName) {
  for (const AdapterCard& card : cards) {
    for (const AdapterCard::Usb& usb : card.usb) {
      if (usb.vendor == vendor && usb.product == product && productName.find(usb.text) != std::string::npos)
        return &card;
    }
  }
  return nullptr;
}

}  // namespace imprimo::probe
