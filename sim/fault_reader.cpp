// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/fault_reader.h"

#include <utility>

#include "sim/json_help.h"

namespace imprimo::sim {
namespace {

using Kind = BoardFault::Kind;

double rate(const JsonNode& node) {
  const double value = node.real();
  if (!(value > 0 && value < 1)) node.fail("should be above 0 and below 1");
  return value;
}

Time seconds(const JsonNode& node) {
  const double value = node.real();
  if (!(value >= 0 && value < 1e6)) node.fail("should be 0 to a million seconds");
  return fromSeconds(value);
}

bool level(const JsonNode& node, bool otherwise) {
  return node.has("level") ? numberUpTo(node["level"], 0, 1) != 0 : otherwise;
}

std::size_t position(const JsonNode& node, const std::vector<DeviceEntry>& devices) {
  return numberUpTo(node, 1, devices.size());
}

}  // namespace

void readBoardFaults(const JsonNode& faults, std::vector<DeviceEntry>& devices, Board& board) {
  for (const JsonNode& node : faults.elements()) {
    const std::string kind = node["kind"].string();
    BoardFault fault;
    if (kind == "swapped") {
      node.onlyKnown({"kind", "positions"});
      const auto both = node["positions"].elements();
      if (both.size() != 2) node["positions"].fail("should be two positions");
      std::swap(devices[position(both[0], devices) - 1], devices[position(both[1], devices) - 1]);
      continue;
    }
    if (kind == "other-die") {
      node.onlyKnown({"kind", "position", "idcode"});
      devices[position(node["position"], devices) - 1].model.idcode =
          static_cast<std::uint32_t>(numberUpTo(node["idcode"], 0, UINT32_MAX));
      continue;
    }
    if (kind == "no-power" || kind == "late-power" || kind == "power-loss") {
      node.onlyKnown({"kind", "seconds", "level"});
      fault.kind = Kind::NoPower;
      fault.level = level(node, false);
      if (kind == "no-power") fault.from = UINT64_MAX;
      if (kind == "late-power") fault.from = seconds(node["seconds"]);
      if (kind == "power-loss") fault.until = seconds(node["seconds"]);
    } else if (kind == "cut") {
      node.onlyKnown({"kind", "after", "level"});
      fault.kind = Kind::Cut;
      fault.position = position(node["after"], devices);
      fault.level = level(node, true);
    } else if (kind == "held-in-reset") {
      node.onlyKnown({"kind", "position"});
      fault.kind = Kind::HeldInReset;
      fault.position = position(node["position"], devices);
    } else if (kind == "tdo-noise") {
      node.onlyKnown({"kind", "above", "rate"});
      fault.kind = Kind::Noise;
      fault.aboveHz = static_cast<std::uint32_t>(numberUpTo(node["above"], 0, 1'000'000'000));
      fault.rate = rate(node["rate"]);
    } else if (kind == "bit-flips") {
      node.onlyKnown({"kind", "rate"});
      fault.kind = Kind::Noise;
      fault.rate = rate(node["rate"]);
    } else if (kind == "stuck-tdo") {
      node.onlyKnown({"kind", "level"});
      fault.kind = Kind::StuckTdo;
      fault.level = level(node, false);
    } else {
      node["kind"].fail("is no fault that a board can have");
    }
    board.addFault(fault);
  }
}

}  // namespace imprimo::sim
