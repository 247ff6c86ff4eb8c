// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/debug/core_control.h"

#include <fmt/format.h>

#include "core/base/number.h"
#include "core/debug/deadline.h"

namespace imprimo::debug {
namespace {

using std::chrono::milliseconds;

constexpr std::uint32_t kControl = Core::kControlRegister, kSelector = 0xE000EDF4, kData = 0xE000EDF8,
                        kMonitor = 0xE000EDFC;
constexpr std::uint32_t kDebugStatus = 0xE000ED30, kReset = 0xE000ED0C, kPcSample = 0xE000101C, kVectors = 0xE000ED08;
constexpr std::uint32_t kKey = 0xA05F0000, kDebugEnable = 1, kHalt = 2, kStep = 4, kMaskInterrupts = 8;
constexpr std::uint32_t kRegisterReady = 1u << 16, kHalted = 1u << 17, kSleeping = 1u << 18, kLockedUp = 1u << 19,
                        kResetSeen = 1u << 25;
constexpr std::uint32_t kWriteRegister = 1u << 16;
constexpr std::uint32_t kCatchReset = 1, kResetRequest = 0x05FA0004;
constexpr milliseconds kHaltLimit{100};
constexpr std::uint32_t kThumb = 1u << 24;

}  // namespace

const char* nameOf(CoreState state) {
  switch (state) {
    case CoreState::Running:
      return "running";
    case CoreState::Halted:
      return "halted";
    case CoreState::Sleeping:
      return "sleeping";
    case CoreState::LockedUp:
      return "locked-up";
    case CoreState::InReset:
      return "in-reset";
  }
  return "";
}

std::uint32_t Core::control() {
  const std::uint32_t value = bus_.readWord(kControl);
  noteControl(value);
  return value;
}

void Core::noteControl(std::uint32_t value) {
  if ((value & kResetSeen) == 0) return;
  resetSeen_ = true;
  keptHalted_ = false;
}

CoreState Core::state() {
  // S_RESET_ST is cleared by reading: twice in a row it is held there.
  const std::uint32_t first = control();
  const std::uint32_t second = (first & kResetSeen) != 0 ? control() : first;
  if ((second & kHalted) != 0) return CoreState::Halted;
  if ((first & kResetSeen) != 0 && (second & kResetSeen) != 0) return CoreState::InReset;
  if ((second & kLockedUp) != 0) return CoreState::LockedUp;
  if ((second & kSleeping) != 0) return CoreState::Sleeping;
  return CoreState::Running;
}

std::optional<std::uint32_t> Core::sampledPc() {
  try {
    const std::uint32_t pc = bus_.readWord(kPcSample);
    if (pc != 0 && pc != 0xFFFFFFFF) return pc;
  } catch (const BusFault&) {
    // A core without this unit.
  }
  return std::nullopt;
}

void Core::attach() {
  if (found_) return;
  BusBatch batch;
  batch.read(kControl);
  batch.read(kMonitor);
  noteFound(bus_.run(batch));
}

/// What attach() reads.
void Core::noteFound(std::span<const std::uint32_t> now) {
  if ((now[0] & kResetSeen) != 0) resetSeen_ = true;
  found_ = Found{(now[0] & kDebugEnable) != 0, (now[0] & kHalted) != 0, now[1], std::nullopt};
}

bool Core::waitHalted(milliseconds limit) {
  Deadline deadline(bus_.port().wires(), limit);
  while ((control() & kHalted) == 0) {
    if (deadline.passed()) return (control() & kHalted) != 0;
    deadline.rest();
  }
  return true;
}

void Core::halt() {
  if (keptHalted_) {
    attach();
    keptHalted_ = (control() & kHalted) != 0;
  }
  if (!keptHalted_) {
    // Where somebody else halted it, debug has to be on for what follows, and is on, or it would not stand.
    BusBatch batch;
    batch.read(kControl);
    batch.read(kMonitor);
    batch.write(kControl, kKey | kDebugEnable | kHalt);
    batch.read(kControl);
    const std::vector<std::uint32_t> answers = bus_.run(batch);
    if (!found_) noteFound(answers);
    if ((answers[2] & kHalted) == 0 && !waitHalted(kHaltLimit))
      throw Error(ErrorKind::Refused, "the core does not halt",
                  "It may be held in reset, or reset itself all the time: give it \"connect\": \"under-reset\".");
    resetSeen_ = false;
    keptHalted_ = true;
  }
  if (!found_->registers) found_->registers = registers();
}

void Core::step() {
  // What C_MASKINTS says must not change with what lets it go (ARMv6-M C1.6.3).
  BusBatch batch;
  batch.write(kControl, kKey | kDebugEnable | kHalt | kMaskInterrupts);
  batch.write(kControl, kKey | kDebugEnable | kStep | kMaskInterrupts);
  bus_.run(batch);
  if (!waitHalted(kHaltLimit))
    throw Error(ErrorKind::Refused, "the core does not come to stand after one instruction",
                "It may wait for an answer of the bus, or have lost its clock.");
  bus_.writeWord(kControl, kKey | kDebugEnable | kHalt);
}

bool Core::haltedAllTheWhile() {
  if (!keptHalted_) return false;
  const std::uint32_t now = control();
  return (now & kHalted) != 0 && !resetSeen_;
}

CoreRegisters Core::registers() {
  BusBatch batch;
  for (const std::uint8_t selector : CoreRegisters::kSelectors) {
    batch.write(kSelector, selector);
    batch.read(kControl);
    batch.read(kData);
  }
  const std::vector<std::uint32_t> answers = bus_.run(batch);
  CoreRegisters result;
  for (std::size_t i = 0; i < result.values.size(); ++i) {
    result.values[i] = answers[2 * i + 1];
    if ((answers[2 * i] & kRegisterReady) != 0) continue;
    // A slow core: one at a time.
    bus_.writeWord(kSelector, CoreRegisters::kSelectors[i]);
    const Deadline deadline(bus_.port().wires(), kHaltLimit);
    while ((control() & kRegisterReady) == 0 && !deadline.passed()) {
    }
    result.values[i] = bus_.readWord(kData);
  }
  return result;
}

void Core::addRegisters(BusBatch& batch, const CoreRegisters& registers) {
  // CONTROL first: it says which stack pointer 13 is. 13 is MSP or PSP, which come by themselves.
  for (std::size_t i = registers.values.size(); i-- > 0;) {
    const std::uint8_t selector = CoreRegisters::kSelectors[i];
    if (selector == 13) continue;
    batch.write(kData, registers.values[i]);
    batch.write(kSelector, kWriteRegister | selector);
    batch.read(kControl);
  }
}

void Core::setRegisters(const CoreRegisters& registers) {
  BusBatch batch;
  addRegisters(batch, registers);
  bus_.run(batch);
}

void Core::keepTrace(bool on) {
  constexpr std::uint32_t kTraceEnable = 1u << 24;
  traceBits_ = on ? kTraceEnable : 0;
  const std::uint32_t now = bus_.readWord(kMonitor);
  if (on != ((now & kTraceEnable) != 0)) bus_.writeWord(kMonitor, now ^ kTraceEnable);
}

void Core::resetHalted() {
  attach();
  keptHalted_ = false;
  BusBatch batch;
  batch.write(kControl, kKey | kDebugEnable | kHalt);
  batch.write(kMonitor, kCatchReset | traceBits_);
  requestReset(batch, BusBatch());
  requireCaught();
}

/// Carries out what comes before, resets the system, and carries out what comes after.
void Core::requestReset(BusBatch& batch, const BusBatch& after) {
  if (reset_) {
    bus_.run(batch);
    reset_();
    batch = after;
  } else {
    batch.write(kReset, kResetRequest);
    batch.append(after);
  }
  if (!batch.parts().empty()) bus_.run(batch);
}

void Core::catchReset() {
  BusBatch batch;
  batch.write(kControl, kKey | kDebugEnable | kHalt);
  batch.write(kMonitor, kCatchReset | traceBits_);
  bus_.run(batch);
}

void Core::requireCaught() {
  const bool stands = waitHalted(kHaltLimit);
  BusBatch batch;
  batch.write(kMonitor, traceBits_);
  batch.read(kControl);
  bus_.run(batch);
  if (!stands) {
    throw Error(ErrorKind::Refused, "the core does not stop at its first instruction behind a reset",
                "Its firmware may switch debug off: give it \"connect\": \"under-reset\".");
  }
  resetSeen_ = false;
  keptHalted_ = true;
  forgetFound();
}

void Core::resetRunning() {
  keptHalted_ = false;
  BusBatch batch;
  batch.write(kMonitor, traceBits_);
  BusBatch after;
  after.write(kControl, kKey);
  requestReset(batch, after);
  forgetFound();
}

void Core::resetAndStart(const CoreStart& start) {
  resetHalted();
  if (start.table) {
    try {
      bus_.writeWord(kVectors, *start.table);
    } catch (const BusFault&) {
      // ARMv6-M need not have this register; then its exceptions stay where they are.
    }
  }
  BusBatch batch;
  const auto set = [&](std::uint8_t selector, std::uint32_t value) {
    batch.write(kData, value);
    batch.write(kSelector, kWriteRegister | selector);
  };
  if (start.stack) set(17, *start.stack);
  set(16, kThumb);
  set(15, start.at & ~1u);
  batch.write(kControl, kKey | kDebugEnable);
  batch.write(kControl, kKey);
  keptHalted_ = false;
  bus_.run(batch);
}

void Core::leaveAsFound() {
  if (!found_) return;
  BusBatch batch;
  if (found_->registers && (control() & kHalted) != 0) addRegisters(batch, *found_->registers);
  batch.write(kMonitor, found_->exceptionControl | traceBits_);
  if (!found_->halted) keptHalted_ = false;
  batch.write(kControl, kKey | (found_->debugEnabled ? kDebugEnable : 0) | (found_->halted ? kDebugEnable | kHalt : 0));
  bus_.run(batch);
  found_.reset();
}

void Core::addStart(BusBatch& batch, const CoreCall& call) {
  const auto set = [&](std::uint8_t selector, std::uint32_t value) {
    batch.write(kData, value);
    batch.write(kSelector, kWriteRegister | selector);
  };
  for (std::uint8_t i = 0; i < 4; ++i) set(i, call.arguments[i]);
  set(9, call.staticBase);
  set(20, 1);  // interrupts stay away, and the main stack is used
  set(17, call.stack);
  set(14, call.back | 1);
  set(16, kThumb);
  set(15, call.function & ~1u);
  batch.write(kDebugStatus, 0x1F);
  batch.write(kControl, kKey | kDebugEnable | kHalt | kMaskInterrupts);
  batch.write(kControl, kKey | kDebugEnable | kMaskInterrupts);
}

void Core::stopHere() {
  bus_.writeWord(kControl, kKey | kDebugEnable | kHalt);
  waitHalted(kHaltLimit);
}

bool Core::stands() {
  return (control() & kHalted) != 0;
}

std::vector<std::uint32_t> Core::begin(const CoreCall& call, const BusBatch& before) {
  BusBatch batch = before;
  addStart(batch, call);
  batch.read(kControl);
  std::vector<std::uint32_t> words = bus_.run(batch);
  noteControl(words.back());
  back_ = standsBy(words.back());
  words.pop_back();
  return words;
}

std::optional<std::uint32_t> Core::finish(const CoreCall& call, milliseconds limit, const BusBatch& after,
                                          std::vector<std::uint32_t>& words) {
  if (!back_ && !waitHalted(limit)) {
    stopHere();
    return std::nullopt;
  }
  BusBatch batch;
  batch.write(kSelector, 15);
  batch.read(kData);
  batch.write(kSelector, 0);
  batch.read(kData);
  batch.append(after);
  words = bus_.run(batch);
  const std::uint32_t at = words[0], result = words[1];
  words.erase(words.begin(), words.begin() + 2);
  if ((at & ~1u) != (call.back & ~1u)) return std::nullopt;
  return result;
}

std::string Core::whereText() {
  const CoreRegisters now = registers();
  std::string text = fmt::format("it stands at {} with its stack at {}", hexAddress(now.pc()), hexAddress(now.sp()));
  if (const std::uint32_t exception = now.values[16] & 0x1FF; exception == 3) {
    text += ", in its HardFault handler";
  } else if (exception != 0) {
    text += fmt::format(", in exception {}", exception);
  }
  return text;
}

std::string cpuidText(std::uint32_t cpuid) {
  const std::uint32_t architecture = cpuid >> 16 & 15;
  return fmt::format("{} 0x{:03X} r{}p{}",
                     architecture == 0xC   ? "ARMv6-M"
                     : architecture == 0xF ? "ARMv7-M/v8-M"
                                           : "core",
                     cpuid >> 4 & 0xFFF, cpuid >> 20 & 15, cpuid & 15);
}

}  // namespace imprimo::debug
