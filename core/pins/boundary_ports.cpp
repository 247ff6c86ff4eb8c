// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/boundary_ports.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "core/base/error.h"
#include "core/base/letter_case.h"

namespace imprimo::pins {
namespace {

using bsdl::CellFunction;

/// Elements of a port in the order of its range.
std::vector<std::string> elementsOf(const bsdl::Port& port) {
  // A register has no more cells than that; what is wider is no port.
  constexpr std::size_t kMost = 1u << 16;
  if (!port.range || port.width() > kMost) return {port.name};
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
    if (!description.packageChoice.empty() && !sameButForCase(map.name, description.packageChoice)) continue;
    for (const bsdl::PinMap::Entry& entry : map.entries) {
      if (sameButForCase(entry.port, port.name)) return entry.pins;
    }
  }
  return {};
}

const char* whyWithout(const bsdl::BoundaryDescription& description, const bsdl::Port& port, const std::string& name) {
  const auto isPort = [&](const std::string& other) {
    return sameButForCase(other, name) || sameButForCase(other, port.name);
  };
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

BoundaryPort::Kind kindOf(const std::string& mode) {
  using Kind = BoundaryPort::Kind;
  return mode == "in" ? Kind::In : mode == "out" || mode == "buffer" ? Kind::Out : Kind::InOut;
}

void takeCell(const bsdl::Cell& cell, std::uint32_t length, BoundaryPort& port) {
  const bool drives = cell.function == CellFunction::Output2 || cell.function == CellFunction::Output3 ||
                      cell.function == CellFunction::BiDir;
  const bool observes = cell.function == CellFunction::Input || cell.function == CellFunction::Clock ||
                        cell.function == CellFunction::ObserveOnly || cell.function == CellFunction::BiDir;
  if (drives) {
    port.output = cell.number;
    if (cell.disable && cell.disable->control < length)
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
    if (sameButForCase(ports[i].name, name)) return i;
  }
  if (const Other* known = other(name))
    throw Error(ErrorKind::Usage, fmt::format("{} is {}", known->name, known->what), "Choose a port that has a cell.");
  throw Error(ErrorKind::Usage, fmt::format("there is no port {}", name),
              "Ports are named as in the BSDL file, elements of a vector as IO(12).");
}

const BoundaryPorts::Other* BoundaryPorts::other(const std::string& name) const {
  const auto same = [&](const Other& each) { return sameButForCase(each.name, name); };
  const auto found = std::find_if(others.begin(), others.end(), same);
  return found == others.end() ? nullptr : &*found;
}

BoundaryPorts boundaryPorts(const bsdl::BoundaryDescription& description) {
  if (!description.boundaryProblem.empty()) throw Error(ErrorKind::BadFile, description.boundaryProblem);
  if (description.cells.empty() || description.boundaryLength == 0)
    throw Error(ErrorKind::BadFile, fmt::format("the BSDL file of {} has no boundary register", description.entity));
  constexpr std::uint32_t kLongest = 1u << 20;
  if (description.boundaryLength > kLongest)
    throw Error(ErrorKind::BadFile, fmt::format("the BSDL file of {} has a boundary register of {} cells",
                                                description.entity, description.boundaryLength));
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
  std::multimap<std::string, const bsdl::Cell*> cells;
  for (const bsdl::Cell& cell : description.cells) {
    if (cell.number < all.length && !cell.port.empty()) cells.emplace(lowered(cell.port), &cell);
  }
  for (const bsdl::Port& port : description.ports) {
    const std::vector<std::string> names = elementsOf(port), pins = pinsOf(description, port);
    for (std::size_t i = 0; i < names.size(); ++i) {
      BoundaryPort each;
      each.name = names[i];
      if (i < pins.size()) each.pin = pins[i];
      const auto [first, last] = cells.equal_range(lowered(each.name));
      for (auto cell = first; cell != last; ++cell) takeCell(*cell->second, all.length, each);
      if (!each.input && !each.output) {
        all.others.push_back({each.name, each.pin, whyWithout(description, port, each.name), kindOf(port.mode)});
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
