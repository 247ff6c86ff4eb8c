// SPDX-License-Identifier: GPL-3.0-or-later
//
// What is said of pins (IEEE 1149.1-2013 B.8.3 to B.8.10, B.8.24):
//
//   PIN_MAP_STRING          port ":" ( pin | "(" pin { "," pin } ")" ) { "," ... }
//   PORT_GROUPING           kind "(" "(" port "," port ")" { "," ... } ")" { "," ... }
//   COMPLIANCE_PATTERNS     "(" port { "," port } ")" "(" pattern { "," pattern } ")" { "," ... }
//   POWER_PORT_ASSOCIATION  port ":" "(" port { "," port } ")" { "," ... }
//   TAP_SCAN_CLOCK of TCK   (frequency, BOTH | LOW)
//
// None of it decides how a chain is spoken to, so what cannot be read is a warning.
#include <fmt/format.h>

#include <cstdlib>

#include "core/bsdl/reading.h"

namespace imprimo::bsdl {
namespace {

void pinMap(Reading& reading, const RawConstant& constant) {
  PinMap map;
  map.name = constant.name;
  Cursor inside = constant.joined.cursor(reading.source);
  while (!inside.atEnd()) {
    PinMap::Entry entry;
    const std::size_t at = inside.peek().offset;
    entry.port = inside.needPort();
    inside.needSymbol(':');
    if (inside.takeSymbol('(')) {
      do {
        entry.pins.push_back(inside.needWordOrNumber("a pin"));
      } while (inside.takeSymbol(','));
      inside.needSymbol(')');
    } else {
      entry.pins.push_back(inside.needWordOrNumber("a pin"));
    }
    const Port* port = reading.device.port(entry.port);
    if (port != nullptr && entry.pins.size() != port->width() && entry.port.find('(') == std::string::npos) {
      reading.device.warnings.push_back(reading.source.at(
          constant.joined.offsetInFile(at),
          fmt::format("{} has {} signals and {} pins in {}", entry.port, port->width(), entry.pins.size(), map.name)));
    }
    map.entries.push_back(std::move(entry));
    if (!inside.another()) break;
  }
  reading.device.pinMaps.push_back(std::move(map));
}

void portGrouping(Reading& reading, const RawAttribute& a) {
  Cursor inside = a.joined.cursor(reading.source);
  while (!inside.atEnd()) {
    const bool current = inside.isWord("DIFFERENTIAL_CURRENT");
    if (!current && !inside.isWord("DIFFERENTIAL_VOLTAGE"))
      inside.expected("DIFFERENTIAL_VOLTAGE or DIFFERENTIAL_CURRENT");
    inside.take();
    inside.needSymbol('(');
    do {
      PortPair pair;
      pair.current = current;
      inside.needSymbol('(');
      pair.representative = inside.needPort();
      inside.needSymbol(',');
      pair.associated = inside.needPort();
      inside.needSymbol(')');
      reading.device.portPairs.push_back(std::move(pair));
    } while (inside.takeSymbol(','));
    inside.needSymbol(')');
    if (!inside.another()) break;
  }
}

void compliancePatterns(Reading& reading, const RawAttribute& a) {
  Cursor inside = a.joined.cursor(reading.source);
  while (!inside.atEnd()) {
    Compliance compliance;
    inside.needSymbol('(');
    do {
      compliance.ports.push_back(inside.needPort());
    } while (inside.takeSymbol(','));
    inside.needSymbol(')');
    inside.needSymbol('(');
    do {
      const std::size_t at = inside.peek().offset;
      compliance.patterns.push_back(takePattern(inside));
      if (compliance.patterns.back().size() != compliance.ports.size()) {
        inside.failAt(at, fmt::format("a compliance pattern of {} bits for {} ports", compliance.patterns.back().size(),
                                      compliance.ports.size()));
      }
    } while (inside.takeSymbol(','));
    inside.needSymbol(')');
    reading.device.compliance.push_back(std::move(compliance));
    if (!inside.another()) break;
  }
}

void powerPorts(Reading& reading, const RawAttribute& a) {
  Cursor inside = a.joined.cursor(reading.source);
  while (!inside.atEnd()) {
    PowerAssociation association;
    association.power = inside.needPort();
    inside.needSymbol(':');
    inside.needSymbol('(');
    do {
      association.ports.push_back(inside.needPort());
    } while (inside.takeSymbol(','));
    inside.needSymbol(')');
    reading.device.powerPorts.push_back(std::move(association));
    if (!inside.another()) break;
  }
}

void tapPin(Reading& reading, const RawAttribute& a) {
  TapPins& tap = reading.device.tap;
  if (a.name == "TAP_SCAN_IN") tap.in = a.target;
  if (a.name == "TAP_SCAN_OUT") tap.out = a.target;
  if (a.name == "TAP_SCAN_MODE") tap.mode = a.target;
  if (a.name == "TAP_SCAN_RESET") tap.reset = a.target;
  if (a.name != "TAP_SCAN_CLOCK") return;
  tap.clock = a.target;
  const auto open = a.plain.find('('), comma = a.plain.find(',');
  if (open == std::string::npos || comma == std::string::npos || comma < open) {
    reading.source.fail(a.offset, "TAP_SCAN_CLOCK should be (frequency, BOTH) or (frequency, LOW)");
  }
  const double hz = std::strtod(a.plain.c_str() + open + 1, nullptr);
  if (!(hz > 0 && hz < 1e12)) reading.source.fail(a.offset, "TAP_SCAN_CLOCK has no frequency that can be");
  tap.highestClock = hz;
  tap.clockStopsHighToo = !sameWord(std::string_view(a.plain).substr(comma + 1, 3), "LOW");
}

}  // namespace

void readPorts(Reading& reading) {
  for (const RawConstant& constant : reading.constants) {
    if (constant.type == "PIN_MAP_STRING") reading.tolerating([&] { pinMap(reading, constant); });
  }
  for (const RawAttribute& a : reading.attributes) {
    reading.tolerating([&] {
      if (a.name == "PORT_GROUPING") portGrouping(reading, a);
      if (a.name == "COMPLIANCE_PATTERNS") compliancePatterns(reading, a);
      if (a.name == "POWER_PORT_ASSOCIATION") powerPorts(reading, a);
      if (a.name.starts_with("TAP_SCAN_")) tapPin(reading, a);
    });
  }
}

}  // namespace imprimo::bsdl
