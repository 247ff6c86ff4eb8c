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
  readPlace(node, all);
  if (masked && node.has("mask")) all.mask = word32(node["mask"]);
  all.value = word32(node["value"]);
  if ((all.value & ~all.mask) != 0) node["value"].fail("has bits that the mask leaves out: it never matches");
  return all;
}

}  // namespace

void readPlace(const JsonNode& node, DebugWord& word, std::uint32_t bytes) {
  word.onBus = node.has("at");
  if (word.onBus) {
    if (node.has("register")) node["register"].fail("goes with \"ap\", and \"at\" is an address of the bus");
    word.at = word32(node["at"]);
    if (word.at % bytes != 0) node["at"].fail(fmt::format("should be a multiple of {}", bytes));
    return;
  }
  word.accessPort = word32(node["ap"]);
  word.at = word32(node["register"]);
  if (word.at % 4 != 0 || word.at > 0xFC) node["register"].fail("should be a multiple of 4, up to 0xFC");
}

ChipStep readChipStep(const JsonNode& node) {
  node.onlyKnown({"write", "wait", "reset", "power_cycle", "seconds"});
  const int kinds = node.has("write") + node.has("wait") + node.has("reset") + node.has("power_cycle");
  if (kinds != 1) node.fail("should have one of \"write\", \"wait\", \"reset\" and \"power_cycle\"");
  ChipStep all;
  if (node.has("write")) {
    all.word = debugWord(node["write"], false);
  } else if (node.has("wait")) {
    all.kind = ChipStep::Kind::Wait;
    all.word = debugWord(node["wait"], true);
  } else if (node.has("reset")) {
    if (!node["reset"].boolean()) node["reset"].fail("is true or left out");
    all.kind = ChipStep::Kind::Reset;
  } else {
    if (!node["power_cycle"].boolean()) node["power_cycle"].fail("is true or left out");
    all.kind = ChipStep::Kind::PowerCycle;
    all.seconds = 60;
  }
  if (node.has("seconds")) {
    constexpr double kMost = 3600;
    all.seconds = node["seconds"].real();
    if (!(all.seconds > 0 && all.seconds <= kMost)) node["seconds"].fail("should be more than 0 and at most 3600");
  }
  return all;
}

std::vector<ChipStep> readChipSteps(const JsonNode& list) {
  std::vector<ChipStep> all;
  for (const JsonNode& each : list.elements()) all.push_back(readChipStep(each));
  if (all.empty()) list.fail("has no step");
  return all;
}

std::uint32_t word32(const JsonNode& node) {
  const std::uint64_t value = node.number();
  if (value > UINT32_MAX) node.fail("should have 32 bits");
  return static_cast<std::uint32_t>(value);
}

std::string DebugWord::place() const {
  return onBus ? "the word at " + hexAddress(at)
               : fmt::format("register 0x{:02X} of {}", at, AccessPort{accessPort}.words());
}

std::string ChipStep::title() const {
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
  lock.unlock = readChipSteps(node["steps"]);
}

void readLock(const JsonNode& node, CoreLock& lock) {
  node.onlyKnown({"closes", "steps"});
  lock.closes = node["closes"].string();
  if (lock.closes.empty()) node["closes"].fail("says what cannot be read any more");
  lock.lock = readChipSteps(node["steps"]);
}

}  // namespace imprimo::debug
