// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/cores.h"

#include <fmt/format.h>

#include "core/base/number.h"

namespace imprimo::bench {

debug::CoreCard cardOf(const sheet::Sheet& sheet, const sheet::CoreEntry& core) {
  return readReferred(core.cardFrom, [&] { return debug::readCoreCard(sheet.folder() / core.card); });
}

BenchCore::BenchCore(const sheet::Sheet& sheet, const sheet::CoreEntry& entry, probe::Probe& probe)
    : entry_(entry),
      card_(cardOf(sheet, entry)),
      probe_(probe),
      port_(probe::swdOf(probe)),
      bus_(port_, entry.accessPort),
      core_(bus_) {}

BenchCore::~BenchCore() {
  if (!port_.isConnected()) return;
  try {
    endAlgorithm();
    if (changed_) {
      core_.resetHalted();
    } else {
      core_.leaveAsFound();
    }
  } catch (const Error&) {
    // The link is gone; nothing is left that could be put in order.
  }
}

void BenchCore::connect() {
  if (port_.isConnected()) {
    if (port_.stillPowered()) return;
    // The chip lost its power or forgot the port: nothing of what was found there holds.
    running_.reset();
    core_.forgetFound();
    bus_.forget();
  }
  const bool underReset = entry_.connect == sheet::CoreEntry::Connect::UnderReset;
  if (underReset) probe::pinsOf(probe_).drivePin("RESET", false);
  try {
    port_.connect();
    bus_.identify();
    if (underReset) core_.catchReset();
  } catch (...) {
    if (underReset) probe::pinsOf(probe_).drivePin("RESET", std::nullopt);
    throw;
  }
  if (!underReset) return;
  probe::pinsOf(probe_).drivePin("RESET", std::nullopt);
  core_.requireCaught();
}

bool BenchCore::identityMatches(std::string& difference) {
  for (const debug::IdentityWord& word : card_.identity) {
    std::uint32_t found = 0;
    try {
      found = bus_.readWord(word.at);
    } catch (const debug::BusFault& e) {
      difference = e.what();  // another chip, which has nothing there
      return false;
    }
    if ((found & word.mask) == word.value) continue;
    difference = fmt::format("the word at {} should be 0x{:08x} under the mask 0x{:08x}, and is 0x{:08x}",
                             hexAddress(word.at), word.value, word.mask, found);
    return false;
  }
  return true;
}

bool BenchCore::identityMatches() {
  std::string difference;
  return identityMatches(difference);
}

void BenchCore::requireIdentity() {
  std::string difference;
  if (identityMatches(difference)) return;
  throw Error(ErrorKind::ChainMismatch, fmt::format("{} is no {}: {}", entry_.name, card_.name, difference),
              "Nothing was written. Connect the board of this sheet, or mend the card.");
}

CoreReport BenchCore::lookAt(bool halt) {
  CoreReport report{entry_.name, port_.dpidr(), core_.cpuid(), core_.state(), {}, {}, identityMatches()};
  if (halt || report.state == debug::CoreState::Halted) {
    core_.halt();
    const debug::CoreRegisters registers = core_.registers();
    report.pc = registers.pc();
    report.sp = registers.sp();
    if (!running_ && !changed_) core_.leaveAsFound();
  } else {
    report.pc = core_.sampledPc();
  }
  return report;
}

debug::AlgorithmRun& BenchCore::running(const std::shared_ptr<const debug::FlashAlgorithm>& algorithm) {
  if (running_ && algorithm_ == algorithm && core_.haltedAllTheWhile()) return *running_;
  endAlgorithm();
  running_.reset();
  algorithm_ = algorithm;
  auto run = std::make_unique<debug::AlgorithmRun>(core_, *algorithm_, card_.workRam());
  run->load();
  running_ = std::move(run);
  return *running_;
}

void BenchCore::endAlgorithm() {
  if (running_) running_->end();
}

void BenchCore::restart() {
  endAlgorithm();
  running_.reset();
  core_.resetRunning();
  changed_ = false;
}

}  // namespace imprimo::bench
