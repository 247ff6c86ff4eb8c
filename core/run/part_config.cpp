// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/part_config.h"

#include <fmt/format.h>

#include "core/base/error.h"

namespace imprimo::run {

PartConfigPtr partConfig(const sheet::Sheet& sheet, std::size_t position, const ConfigCardFinder& find) {
  const sheet::Part& part = sheet.chain.at(position - 1);
  if (!part.description) {
    throw Error(ErrorKind::Usage, fmt::format("{} has no BSDL file in the sheet, so its instructions are not known", part.name),
                "Give it one: \"bsdl\" in the sheet's chain.");
  }
  auto config = std::make_shared<PartConfig>();
  config->description = part.description;
  config->target = {position, part.name, config->description.get()};
  config->idcodes = part.idcodes;
  if (!part.configCard.empty()) {
    config->card = configure::readConfigCard(sheet.folder() / part.configCard, *part.description);
  } else if (find) {
    if (const auto found = find(part.description->entity))
      config->card = configure::parseConfigCard(found->second, found->first, *part.description);
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

PartReport reportOf(const PartConfig& config, const configure::PartState& state) {
  PartReport report;
  report.name = config.target.name;
  report.usercode = state.usercode;
  report.runs = state.runs;
  report.text = configure::stateText(state, config.cardOrNull());
  if (!state.status || !config.card || !config.card->status) return report;
  for (const configure::StatusRegister::Bit& bit : config.card->status->bits)
    report.bits.push_back({bit.number, bit.name, (*state.status)[bit.number], bit.trouble});
  return report;
}

std::optional<std::uint32_t> plannedUsercode(const PartConfig& config, const std::vector<Piece>& pieces) {
  constexpr std::size_t kHead = 8192;
  if (!config.card || !config.card->designCode) return std::nullopt;
  // The part begins with the lowest bitstream.
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

}  // namespace imprimo::run
