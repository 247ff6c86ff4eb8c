// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/package.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <map>
#include <set>

#include "core/base/error.h"

namespace imprimo::pins {
namespace {

/// "38"; nothing where it is no number from 1 on.
std::optional<int> numberOf(std::string_view text) {
  int value = 0;
  const auto [end, failure] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (failure != std::errc() || end != text.data() + text.size() || value < 1) return std::nullopt;
  return value;
}

struct GridPlace {
  std::string row;
  int column = 0;
};

std::optional<GridPlace> gridPlaceOf(const std::string& name) {
  const std::size_t letters = static_cast<std::size_t>(
      std::find_if(name.begin(), name.end(), [](char c) { return c < 'A' || c > 'Z'; }) - name.begin());
  if (letters == 0 || letters > 2) return std::nullopt;
  const auto column = numberOf(std::string_view(name).substr(letters));
  if (!column) return std::nullopt;
  return GridPlace{name.substr(0, letters), *column};
}

void placeRound(Package& package) {
  int count = 0;
  for (const PackagePin& pin : package.pins) count = std::max(count, *numberOf(pin.name));
  const int side = std::max(1, (count + 3) / 4);
  for (PackagePin& pin : package.pins) {
    const int at = *numberOf(pin.name) - 1, along = at % side;
    switch (at / side) {
      case 0:
        pin.x = 0, pin.y = along + 1;
        break;
      case 1:
        pin.x = along + 1, pin.y = side + 1;
        break;
      case 2:
        pin.x = side + 1, pin.y = side - along;
        break;
      default:
        pin.x = side - along, pin.y = 0;
    }
  }
  package.width = package.height = side + 2;
}

void placeInGrid(Package& package) {
  const auto before = [](const std::string& a, const std::string& b) {
    return a.size() != b.size() ? a.size() < b.size() : a < b;
  };
  std::set<std::string, decltype(before)> rows(before);
  for (const PackagePin& pin : package.pins) rows.insert(gridPlaceOf(pin.name)->row);
  int columns = 1;
  for (PackagePin& pin : package.pins) {
    const GridPlace place = *gridPlaceOf(pin.name);
    pin.x = place.column - 1;
    pin.y = static_cast<double>(std::distance(rows.begin(), rows.find(place.row)));
    columns = std::max(columns, place.column);
  }
  package.width = columns;
  package.height = static_cast<double>(rows.size());
}

void placeInRows(Package& package) {
  const int columns = std::max(1, static_cast<int>(std::ceil(std::sqrt(static_cast<double>(package.pins.size())))));
  for (std::size_t i = 0; i < package.pins.size(); ++i) {
    package.pins[i].x = static_cast<double>(i % static_cast<std::size_t>(columns));
    const std::size_t row = i / static_cast<std::size_t>(columns);
    package.pins[i].y = static_cast<double>(row);
  }
  package.width = columns;
  package.height = std::max(1.0, std::ceil(static_cast<double>(package.pins.size()) / columns));
}

}  // namespace

Package packageOf(const bsdl::BoundaryDescription& description, const BoundaryPorts& ports) {
  Package package;
  for (std::size_t i = 0; i < ports.ports.size(); ++i) {
    const BoundaryPort& port = ports.ports[i];
    if (!port.pin.empty()) package.pins.push_back({port.pin, port.name, i});
  }
  for (const BoundaryPorts::Other& other : ports.others) {
    if (!other.pin.empty()) package.pins.push_back({other.pin, other.name, std::nullopt});
  }
  if (package.pins.empty()) {
    for (std::size_t i = 0; i < ports.ports.size(); ++i) package.pins.push_back({"", ports.ports[i].name, i});
    placeInRows(package);
    return package;
  }
  package.name = description.packageChoice.empty() && !description.pinMaps.empty() ? description.pinMaps.front().name
                                                                                   : description.packageChoice;
  const auto all = [&](auto&& test) { return std::all_of(package.pins.begin(), package.pins.end(), test); };
  if (all([](const PackagePin& pin) { return numberOf(pin.name).has_value(); })) {
    package.shape = Package::Shape::Perimeter;
    placeRound(package);
  } else if (all([](const PackagePin& pin) { return gridPlaceOf(pin.name).has_value(); })) {
    package.shape = Package::Shape::Grid;
    placeInGrid(package);
  } else {
    placeInRows(package);
  }
  return package;
}

}  // namespace imprimo::pins
