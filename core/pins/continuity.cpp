// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/continuity.h"

#include <fmt/format.h>

#include "core/base/error.h"

namespace imprimo::pins {
namespace {

bool canTell(const PinScan& from, std::size_t port, const PinScan& to, std::size_t other) {
  const BoundaryPort& driven = from.ports().ports.at(port);
  return driven.output && !driven.isOpen() && to.ports().ports.at(other).input;
}

Continuity::Way tryWay(PinScan& from, std::size_t port, PinScan& to, std::size_t other) {
  const bool same = &from == &to;
  from.setCompanion(same ? nullptr : &to);
  const auto levelWhile = [&](bool level) {
    const DrivePlan plan = planDrives(from.ports(), {{port, level}}, from.sample());
    const PinsDriven driven(from, plan.cells);
    const BitVector own = from.exchange(driven.cells());
    const std::uint32_t cell = *to.ports().ports[other].input;
    return same ? own[cell] : from.companionCaptures().back()[cell];
  };
  Continuity::Way way;
  way.low = levelWhile(false);
  way.high = levelWhile(true);
  from.setCompanion(nullptr);
  return way;
}

}  // namespace

bool Continuity::joined() const {
  return (there || back) && (!there || there->follows()) && (!back || back->follows());
}

std::string Continuity::words() const {
  if (joined()) return there && back ? "joined, both ways" : "joined, one way tried";
  const bool first = there && !there->follows();
  const Way& way = first ? *there : *back;
  const char* other = first ? "the other" : "the first";
  if (way.low && !way.high) return fmt::format("not joined: {} has the opposite level", other);
  return fmt::format("not joined: {} stays {}", other, way.low ? 1 : 0);
}

Continuity checkContinuity(PinScan& from, std::size_t port, PinScan& to, std::size_t other) {
  Continuity found;
  const std::string& a = from.ports().ports.at(port).name;
  const std::string& b = to.ports().ports.at(other).name;
  if (&from == &to && port == other) throw Error(ErrorKind::Usage, fmt::format("{} is one port", a), "Choose two.");
  if (canTell(from, port, to, other)) found.there = tryWay(from, port, to, other);
  if (canTell(to, other, from, port)) found.back = tryWay(to, other, from, port);
  if (!found.there && !found.back)
    throw Error(ErrorKind::Usage, fmt::format("neither {} nor {} can drive the other", a, b),
                "One of them needs an output that drives both levels, the other one an input.");
  return found;
}

}  // namespace imprimo::pins
