// SPDX-License-Identifier: GPL-3.0-or-later
//
// The attributes of IEEE 1532 (2001, 2002), but for ISC_FLOW, which is read in isc_flow_reader.cpp:
//
//   ISC_CONFORMANCE        word
//   ISC_PIN_BEHAVIOR       word
//   ISC_FIXED_SYSTEM_PINS  port { "," port }
//   ISC_STATUS             "IMPLEMENTED" | "NOT" "IMPLEMENTED"
//   ISC_BLANK_USERCODE     pattern of 32
//   ISC_SECURITY           name ( number [ "-" number ] | "*" ) { "," ... }        "*": the device does not have it
//   ISC_PROCEDURE          name [ "(" data ")" ] "=" "(" flow [ "(" data ")" ] { "," ... } ")" { "," ... }
//   ISC_ACTION             name [ "(" data ")" ] [ "PROPRIETARY" ] "=" "(" use { "," use } ")" { "," ... }
//   use                    procedure [ "(" data ")" ] { "OPTIONAL" | "RECOMMENDED" | "PROPRIETARY" }
//   ISC_ILLEGAL_EXIT       instruction { "," instruction }
#include "core/bsdl/isc_reader.h"

#include <fmt/format.h>

#include <algorithm>

namespace imprimo::bsdl {
namespace {

Cursor cursorOf(const Reading& reading, const RawAttribute& a) {
  if (a.joined.empty()) reading.source.fail(a.offset, fmt::format("{} should be a string", a.name));
  return a.joined.cursor(reading.source);
}

std::vector<std::string> names(const Reading& reading, const RawAttribute& a, bool ports) {
  std::vector<std::string> result;
  Cursor inside = cursorOf(reading, a);
  while (!inside.atEnd()) {
    result.push_back(ports ? inside.needPort() : inside.needName("a name"));
    if (!inside.another()) break;
  }
  return result;
}

BitVector usercode(const Reading& reading, const RawAttribute& a) {
  Cursor inside = cursorOf(reading, a);
  const std::string bits = takePattern(inside);
  if (bits.size() != 32)
    reading.source.fail(a.offset, fmt::format("{} has {} bits, should have 32", a.name, bits.size()));
  BitVector code;
  for (auto c = bits.rbegin(); c != bits.rend(); ++c) code.append(*c != '0');
  return code;
}

std::string pinBehavior(const Reading& reading, const RawAttribute& a) {
  std::string word = upperCase(a.value());
  if (word != "HIGHZ" && word != "CLAMP")
    reading.source.fail(a.offset, fmt::format("{} should be HIGHZ or CLAMP, not {}", a.name, word));
  return word;
}

std::vector<IscSecurity> security(const Reading& reading, const RawAttribute& a) {
  std::vector<IscSecurity> result;
  Cursor inside = cursorOf(reading, a);
  while (!inside.atEnd()) {
    IscSecurity s;
    s.name = upperCase(inside.needName("ISC_DISABLE_READ, ISC_DISABLE_PROGRAM, ISC_DISABLE_ERASE or ISC_DISABLE_KEY"));
    if (!inside.takeSymbol('*')) {
      s.low = s.high = inside.needInteger("the bit's number, or '*'");
      if (inside.takeSymbol('-')) s.high = inside.needInteger("the last bit's number");
      if (s.high < s.low) std::swap(s.low, s.high);
      result.push_back(std::move(s));
    }
    if (!inside.another()) break;
  }
  return result;
}

void procedures(Reading& reading, const RawAttribute& a, IscDescription& isc) {
  Cursor inside = cursorOf(reading, a);
  while (!inside.atEnd()) {
    IscProcedure p;
    const std::size_t at = inside.peek().offset;
    p.name = takeIscName(inside, "a procedure's name");
    if (isc.procedure(p.name) != nullptr) inside.failAt(at, fmt::format("there are two procedures {}", p.name.text()));
    inside.needSymbol('=');
    inside.needSymbol('(');
    do {
      const std::size_t flowAt = inside.peek().offset;
      p.flows.push_back(takeIscName(inside, "a flow's name"));
      if (isc.flow(p.flows.back()) == nullptr)
        inside.failAt(flowAt, fmt::format("ISC_FLOW has no flow {}", p.flows.back().text()));
    } while (inside.takeSymbol(','));
    inside.needSymbol(')');
    isc.procedures.push_back(std::move(p));
    if (!inside.another()) break;
  }
}

IscAction::Use use(Cursor& inside, const IscDescription& isc) {
  using Need = IscAction::Use::Need;
  IscAction::Use u;
  const std::size_t at = inside.peek().offset;
  u.procedure = takeIscName(inside, "a procedure's name");
  if (isc.procedure(u.procedure) == nullptr)
    inside.failAt(at, fmt::format("ISC_PROCEDURE has no procedure {}", u.procedure.text()));
  for (;;) {
    if (inside.takeWord("OPTIONAL")) {
      u.need = Need::Optional;
    } else if (inside.takeWord("RECOMMENDED")) {
      u.need = Need::Recommended;
    } else if (!inside.takeWord("PROPRIETARY")) {
      return u;
    }
  }
}

void actions(Reading& reading, const RawAttribute& a, IscDescription& isc) {
  Cursor inside = cursorOf(reading, a);
  while (!inside.atEnd()) {
    IscAction action;
    const std::size_t at = inside.peek().offset;
    action.name = takeIscName(inside, "an action's name");
    if (isc.action(action.name.name, action.name.data) != nullptr)
      inside.failAt(at, fmt::format("there are two actions {}", action.name.text()));
    inside.takeWord("PROPRIETARY");
    inside.needSymbol('=');
    inside.needSymbol('(');
    do {
      action.procedures.push_back(use(inside, isc));
    } while (inside.takeSymbol(','));
    inside.needSymbol(')');
    isc.actions.push_back(std::move(action));
    if (!inside.another()) break;
  }
}

void illegalExits(Reading& reading, const RawAttribute& a, IscDescription& isc) {
  isc.illegalExits = names(reading, a, false);
  for (const std::string& name : isc.illegalExits) {
    if (reading.device.instruction(name) == nullptr)
      reading.source.fail(a.offset, fmt::format("{} names {}, which has no opcode", a.name, name));
  }
}

IscDescription readAll(Reading& reading) {
  IscDescription isc;
  const auto with = [&](const char* name, auto&& take) {
    if (const RawAttribute* a = reading.find(name)) take(*a);
  };
  // What only describes: without it the device can still be configured.
  const auto described = [&](const char* name, auto&& take) {
    try {
      with(name, take);
    } catch (const Error& e) {
      reading.device.warnings.emplace_back(e.what());
    }
  };
  with("ISC_CONFORMANCE", [&](const RawAttribute& a) { isc.conformance = a.value(); });
  described("ISC_PIN_BEHAVIOR", [&](const RawAttribute& a) { isc.pinBehavior = pinBehavior(reading, a); });
  described("ISC_FIXED_SYSTEM_PINS", [&](const RawAttribute& a) { isc.fixedPins = names(reading, a, true); });
  described("ISC_STATUS", [&](const RawAttribute& a) {
    Cursor inside = cursorOf(reading, a);
    const bool implemented = !inside.takeWord("NOT");
    inside.needWord("IMPLEMENTED");
    isc.statusImplemented = implemented;
  });
  described("ISC_BLANK_USERCODE", [&](const RawAttribute& a) { isc.blankUsercode = usercode(reading, a); });
  described("ISC_SECURITY", [&](const RawAttribute& a) { isc.security = security(reading, a); });
  with("ISC_DESIGN_WARNING", [&](const RawAttribute& a) { isc.designWarning = a.value(); });
  with("ISC_FLOW", [&](const RawAttribute& a) { isc.flows = readIscFlows(reading, a); });
  with("ISC_PROCEDURE", [&](const RawAttribute& a) { procedures(reading, a, isc); });
  with("ISC_ACTION", [&](const RawAttribute& a) { actions(reading, a, isc); });
  with("ISC_ILLEGAL_EXIT", [&](const RawAttribute& a) { illegalExits(reading, a, isc); });
  return isc;
}

}  // namespace

IscName takeIscName(Cursor& cursor, std::string_view what) {
  IscName name;
  name.name = cursor.needName(what);
  if (!cursor.takeSymbol('(')) return name;
  name.data = cursor.needName("the name of data");
  cursor.needSymbol(')');
  return name;
}

void readIsc(Reading& reading) {
  const bool any = std::any_of(reading.attributes.begin(), reading.attributes.end(),
                               [](const RawAttribute& a) { return a.name.starts_with("ISC_"); });
  if (!any) return;
  try {
    reading.device.isc = readAll(reading);
  } catch (const Error& e) {
    reading.device.iscProblem = e.what();
    reading.device.warnings.emplace_back(e.what());
  }
}

}  // namespace imprimo::bsdl
