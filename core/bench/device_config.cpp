// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/device_config.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/bsdl/lexer.h"

namespace imprimo::bench {

DeviceConfigPtr deviceConfig(const sheet::Sheet& sheet, std::size_t position, const ConfigCardFinder& find) {
  const sheet::Device& device = sheet.chain.at(position - 1);
  if (!device.description) {
    throw Error(ErrorKind::Usage,
                fmt::format("{} has no BSDL file in the sheet, so its instructions are not known", device.name),
                "Give it one: \"bsdl\" in the sheet's chain.");
  }
  auto config = std::make_shared<DeviceConfig>();
  config->description = device.description;
  config->target = {position, device.name, config->description.get()};
  config->idcodes = device.idcodes;
  if (!device.configCard.empty()) {
    config->card = readReferred(device.configCardFrom, [&] {
      return configure::readConfigCard(sheet.folder() / device.configCard, *device.description);
    });
  } else if (find) {
    if (const auto found = find(device.description->entity))
      config->card = configure::parseConfigCard(found->second, found->first, *device.description);
  }
  return config;
}

std::size_t positionOf(const sheet::Sheet& sheet, const std::string& name) {
  std::string names;
  for (std::size_t i = 0; i < sheet.chain.size(); ++i) {
    if (sheet.chain[i].name == name) return i + 1;
    names += (names.empty() ? "" : ", ") + sheet.chain[i].name;
  }
  throw Error(ErrorKind::Usage, fmt::format("the sheet's chain has no part named {}", name), "It has " + names + ".");
}

std::optional<std::uint32_t> usercodeIn(const DeviceConfig& config, const configure::ConfigData& data) {
  if (config.card && config.card->designCode) {
    if (const auto code = configure::numberIn(*config.card, *config.card->designCode, data.bytes))
      return static_cast<std::uint32_t>(*code);
  }
  const configure::ConfigData::Section* own = data.section("USERCODE");
  return own == nullptr ? std::nullopt : std::optional(static_cast<std::uint32_t>(own->bits.bits(0, 32)));
}

std::uint64_t rowBitsOf(const bsdl::IscDescription& isc) {
  std::uint64_t bits = 0;
  for (const bsdl::IscFlow& flow : isc.flows) {
    if (!flow.writesInput() || bsdl::sameWord(flow.name.data, "USERCODE")) continue;
    for (const bsdl::IscBlock& block : flow.blocks) {
      for (const bsdl::IscElement& e : block.elements) {
        for (const bsdl::IscActivity& a : e.activities) {
          for (const bsdl::IscField& f : a.updates) {
            if (f.value.kind != bsdl::IscValue::Kind::Input) continue;
            if (bits != 0 && bits != f.length) return 0;
            bits = f.length;
          }
        }
      }
    }
  }
  return bits;
}

DeviceReport reportOf(const DeviceConfig& config, const configure::DeviceState& state) {
  DeviceReport report;
  report.name = config.target.name;
  report.usercode = state.usercode;
  report.runs = state.runs;
  report.text = configure::stateText(state, config.cardOrNull());
  if (!state.status || !config.card || !config.card->status) return report;
  for (const configure::StatusRegister::Bit& bit : config.card->status->bits)
    report.bits.push_back({bit.number, bit.name, (*state.status)[bit.number], bit.trouble});
  return report;
}

std::optional<std::uint32_t> plannedUsercode(const DeviceConfig& config, const std::vector<Piece>& pieces) {
  constexpr std::size_t kHead = 8192;
  if (!config.card || !config.card->designCode) return std::nullopt;
  // The device begins with the lowest bitstream.
  const Piece* lowest = nullptr;
  std::optional<std::uint32_t> code;
  for (const Piece& piece : pieces) {
    if (piece.image.empty() && !piece.source) continue;
    const auto found = configure::numberIn(*config.card, *config.card->designCode, piece.headAsInFile(kHead));
    const auto begins = [](const Piece& p) { return p.placement.at.value_or(0); };
    if (!found || (lowest != nullptr && begins(*lowest) < begins(piece))) continue;
    lowest = &piece;
    code = static_cast<std::uint32_t>(*found);
  }
  return code;
}

}  // namespace imprimo::bench
