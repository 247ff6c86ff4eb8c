// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/boundary_ports.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"

namespace imprimo::pins {
namespace {

using bsdl::CellFunction;

bool sameName(std::string_view a, std::string_view b) {
  const auto lower = [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + 32) : c; };
  return a.size() == b.size() &&
         std::equal(a.begin(), a.end(), b.begin(), [&](char x, char y) { return lower(x) == lower(y); });
}

/// Elements of a port in the order of its range.
std::vector<std::string> elementsOf(const bsdl::Port& port) {
  if (!port.range) return {port.name};
  std::vector<std::string> names;
  const auto [left, right] = *port.range;
  for (int i = left;; i += left <= right ? 1 : -1) {
    names.push_back(fmt::format("{}({})", port.name, i));
    if (i == right) break;
  }
  return names;
}

/// The pins of a port's elements by the pin map that is in use.
std::vector<std::string> pinsOf(const bsdl::BoundaryDescription& description, const bsdl::Port& port) {
  for (const bsdl::PinMap& map : description.pinMaps) {
    if (!description.packageChoice.empty() && !sameName(map.name, description.packageChoice)) continue;
    for (const bsdl::PinMap::Entry& entry : map.entries) {
      if (sameName(entry.port, port.name)) return entry.pins;
    }
  }
  return {};
}

const char* whyWithout(const bsdl::BoundaryDescription& description, const bsdl::Port& port, const std::string& name) {
  const auto isPort = [&](const std::string& other) { return sameName(other, name) || sameName(other, port.name); };
  for (const std::string* tap : {&description.tap.in, &description.tap.out, &description.tap.mode,
                                 &description.tap.clock, &description.tap.reset}) {
    if (!tap->empty() && isPort(*tap)) return "a pin of the TAP";
  }
  for (const bsdl::Compliance& compliance : description.compliance) {
    if (std::any_of(compliance.ports.begin(), compliance.ports.end(), isPort)) return "a compliance pin";
  }
  if (port.mode.starts_with("linkage") || port.mode.starts_with("power") || port.mode.starts_with("vref"))
    return "a supply pin or one that boundary scan does not reach";
  return "without a cell of the boundary register";
}

void takeCell(const bsdl::Cell& cell, BoundaryPort& port) {
  const bool drives = cell.function == CellFunction::Output2 || cell.function == CellFunction::Output3 ||
                      cell.function == CellFunction::BiDir;
  const bool observes = cell.function == CellFunction::Input || cell.function == CellFunction::Clock ||
                        cell.function == CellFunction::ObserveOnly || cell.function == CellFunction::BiDir;
  if (drives) {
    port.output = cell.number;
    if (cell.disable)
      port.enable = BoundaryPort::Enable{cell.disable->control, cell.disable->value == '1', cell.disable->result};
  }
  if (cell.function == CellFunction::BiDir) {
    port.input = cell.number;
    port.sharesInput = true;
  } else if (observes && (!port.input || port.sharesInput || cell.function == CellFunction::Input)) {
    // A second cell that only observes is better than one that is shared.
    port.input = cell.number;
    port.sharesInput = false;
  }
}

}  // namespace

std::size_t BoundaryPorts::at(const std::string& name) const {
  for (std::size_t i = 0; i < ports.size(); ++i) {
    if (sameName(ports[i].name, name)) return i;
  }
  for (const auto& [other, what] : others) {
    if (sameName(other, name))
      throw Error(ErrorKind::Usage, fmt::format("{} is {}", other, what), "Choose a port that has a cell.");
  }
  throw Error(ErrorKind::Usage, fmt::format("there is no port {}", name),
              "Ports are named as in the BSDL file, elements of a vector as IO(12).");
}

BoundaryPorts boundaryPorts(const bsdl::BoundaryDescription& description) {
  if (!description.boundaryProblem.empty()) throw Error(ErrorKind::BadFile, description.boundaryProblem);
  if (description.cells.empty() || description.boundaryLength == 0)
    throw Error(ErrorKind::BadFile, fmt::format("the BSDL file of {} has no boundary register", description.entity));
  BoundaryPorts all;
  all.length = description.boundaryLength;
  all.safe.assign(all.length, 'X');
  all.isControl.assign(all.length, false);
  for (const bsdl::Cell& cell : description.cells) {
    if (cell.number >= all.length) continue;
    if (cell.safe != 'X') all.safe[cell.number] = cell.safe;
    if (cell.function == CellFunction::Control || cell.function == CellFunction::ControlR)
      all.isControl[cell.number] = true;
  }
  for (const bsdl::Port& port : description.ports) {
    const std::vector<std::string> names = elementsOf(port), pins = pinsOf(description, port);
    for (std::size_t i = 0; i < names.size(); ++i) {
      BoundaryPort each;
      each.name = names[i];
      if (i < pins.size()) each.pin = pins[i];
      for (const bsdl::Cell& cell : description.cells) {
        if (cell.number < all.length && sameName(cell.port, each.name)) takeCell(cell, each);
      }
      if (!each.input && !each.output) {
        all.others.emplace_back(each.name, whyWithout(description, port, each.name));
        continue;
      }
      each.kind = !each.output                                                 ? BoundaryPort::Kind::In
                  : !each.input || port.mode == "out" || port.mode == "buffer" ? BoundaryPort::Kind::Out
                                                                               : BoundaryPort::Kind::InOut;
      all.ports.push_back(std::move(each));
    }
  }
  return all;
}

}  // namespace imprimo::pins
