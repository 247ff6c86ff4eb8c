// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/debug/core_lock.h"

#include <fmt/format.h>

#include "core/base/json_text.h"
#include "core/base/number.h"
#include "core/debug/debug_port.h"

namespace imprimo::debug {
namespace {

/// `masked`: one that is compared.
DebugWord debugWord(const JsonNode& node, bool masked) {
  if (masked) {
    node.onlyKnown({"ap", "register", "at", "mask", "value"});
  } else {
    node.onlyKnown({"ap", "register", "at", "value"});
  }
  DebugWord all;
  all.onBus = node.has("at");
  if (all.onBus) {
    if (node.has("register")) node["register"].fail("goes with \"ap\", and \"at\" is an address of the bus");
    all.at = word32(node["at"]);
    if (all.at % 4 != 0) node["at"].fail("should be a multiple of 4");
  } else {
    all.accessPort = word32(node["ap"]);
    all.at = word32(node["register"]);
    if (all.at % 4 != 0 || all.at > 0xFC) node["register"].fail("should be a multiple of 4, up to 0xFC");
  }
  if (masked && node.has("mask")) all.mask = word32(node["mask"]);
  all.value = word32(node["value"]);
  if ((all.value & ~all.mask) != 0) node["value"].fail("has bits that the mask leaves out: it never matches");
  return all;
}

UnlockStep unlockStep(const JsonNode& node) {
  node.onlyKnown({"write", "wait", "reset", "power_cycle", "seconds"});
  const int kinds = node.has("write") + node.has("wait") + node.has("reset") + node.has("power_cycle");
  if (kinds != 1) node.fail("should have one of \"write\", \"wait\", \"reset\" and \"power_cycle\"");
  UnlockStep all;
  if (node.has("write")) {
    all.word = debugWord(node["write"], false);
  } else if (node.has("wait")) {
    all.kind = UnlockStep::Kind::Wait;
    all.word = debugWord(node["wait"], true);
  } else if (node.has("reset")) {
    if (!node["reset"].boolean()) node["reset"].fail("is true or left out");
    all.kind = UnlockStep::Kind::Reset;
  } else {
    if (!node["power_cycle"].boolean()) node["power_cycle"].fail("is true or left out");
    all.kind = UnlockStep::Kind::PowerCycle;
    all.seconds = 60;
  }
  if (node.has("seconds")) {
    constexpr double kMost = 3600;
    all.seconds = node["seconds"].real();
    if (!(all.seconds > 0 && all.seconds <= kMost)) node["seconds"].fail("should be more than 0 and at most 3600");
  }
  return all;
}

}  // namespace

std::uint32_t word32(const JsonNode& node) {
  const std::uint64_t value = node.number();
  if (value > UINT32_MAX) node.fail("should have 32 bits");
  return static_cast<std::uint32_t>(value);
}

std::string DebugWord::place() const {
  return onBus ? "the word at " + hexAddress(at)
               : fmt::format("register 0x{:02X} of {}", at, AccessPort{accessPort}.words());
}

std::string UnlockStep::title() const {
  switch (kind) {
    case Kind::Write:
      return fmt::format("Write 0x{:08x} to {}", word.value, word.place());
    case Kind::Wait:
      return fmt::format("Wait until {} is 0x{:08x} under the mask 0x{:08x}", word.place(), word.value, word.mask);
    case Kind::Reset:
      return "Pulse the board's reset";
    case Kind::PowerCycle:
      return "Wait until the board's power was switched off and on";
  }
  return {};
}

std::vector<DebugWord> readLockConditions(const JsonNode& list) {
  std::vector<DebugWord> all;
  for (const JsonNode& node : list.elements()) all.push_back(debugWord(node, true));
  return all;
}

void readUnlock(const JsonNode& node, CoreLock& lock) {
  node.onlyKnown({"destroys", "steps"});
  lock.destroys = node["destroys"].string();
  if (lock.destroys.empty()) node["destroys"].fail("says what is gone afterwards");
  for (const JsonNode& each : node["steps"].elements()) lock.unlock.push_back(unlockStep(each));
  if (lock.unlock.empty()) node["steps"].fail("has no step");
}

}  // namespace imprimo::debug
