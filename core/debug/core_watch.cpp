// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/debug/core_watch.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "core/base/number.h"
#include "core/debug/deadline.h"

namespace imprimo::debug {
namespace {

constexpr std::uint32_t kDebugControl = Core::kControlRegister, kActive = 0xE000ED04, kSamplePc = 0xE000101C,
                        kTableAt = 0xE000ED08, kConfigurableFaults = 0xE000ED28, kHardFaults = 0xE000ED2C,
                        kAccessFault = 0xE000ED34, kBusFaultAt = 0xE000ED38;
constexpr std::uint32_t kStands = 1u << 17, kSleeps = 1u << 18, kLocked = 1u << 19, kWasReset = 1u << 25;
constexpr std::uint32_t kNoPc = 0xFFFFFFFF;
constexpr unsigned kFirstFault = 2, kLastFault = 6, kHardFault = 3;
constexpr std::size_t kSamplesInRound = 16;

bool isFault(std::uint32_t active) {
  const std::uint32_t exception = active & 0x1FF;
  return exception >= kFirstFault && exception <= kLastFault;
}

bool inside(const std::vector<AddressRange>& ranges, std::uint64_t address) {
  return std::any_of(ranges.begin(), ranges.end(), [&](const AddressRange& r) { return r.contains(address); });
}

/// One core, watched.
class Watcher {
 public:
  Watcher(Core& core, const WatchOptions& options) : core_(core), bus_(core.bus()), options_(options) {}

  CoreWatch run() {
    tellsPc_ = hasSamplePc();
    Deadline deadline(bus_.port().wires(), options_.time);
    core_.state();  // resets that were before do not count
    do {
      if (options_.stop.stop_requested()) throw Error(ErrorKind::Stopped, "stopped while the core was watched");
      round();
      deadline.rest();
    } while (!deadline.passed());
    for (const auto& [pc, samples] : places_) watch_.places.push_back({pc, samples});
    std::sort(watch_.places.begin(), watch_.places.end(),
              [](const auto& a, const auto& b) { return a.samples > b.samples; });
    judge();
    return watch_;
  }

 private:
  /// Whether there is a register that samples the program counter, whatever it says now.
  bool hasSamplePc() {
    try {
      bus_.readWord(kSamplePc);
      return true;
    } catch (const BusFault&) {
      return false;
    }
  }

  void round() {
    BusBatch batch;
    for (std::size_t i = 0; i < kSamplesInRound; ++i) {
      batch.read(kDebugControl);
      if (tellsPc_) batch.read(kSamplePc);
    }
    batch.read(kActive);
    const std::vector<std::uint32_t> words = bus_.run(batch);
    const std::size_t each = tellsPc_ ? 2 : 1;
    for (std::size_t i = 0; i < kSamplesInRound; ++i) {
      last_ = words[each * i];
      ++watch_.samples;
      if ((last_ & kWasReset) != 0) ++watch_.resets;
      if ((last_ & kSleeps) != 0) ++watch_.asleep;
      if (tellsPc_ && (last_ & (kStands | kSleeps | kLocked)) == 0) {
        if (const std::uint32_t pc = words[2 * i + 1]; pc != kNoPc) ++places_[pc];
      }
    }
    inFault_ = isFault(words.back()) ? inFault_ + 1 : 0;
    active_ = words.back() & 0x1FF;
  }

  void judge() {
    using Verdict = CoreWatch::Verdict;
    table();
    if (watch_.resets >= watch_.samples) {
      watch_.verdict = Verdict::InReset;
    } else if (watch_.resets > 0) {
      watch_.verdict = Verdict::Resets;
    } else if ((last_ & kStands) != 0) {
      watch_.verdict = Verdict::Halted;
    } else if ((last_ & kLocked) != 0) {
      watch_.verdict = noVectors_ ? Verdict::NoVectors : Verdict::LockedUp;
    } else if (inFault_ > 0) {
      watch_.verdict = noVectors_ ? Verdict::NoVectors : Verdict::Fault;
      fault();
    } else if (2 * watch_.asleep > watch_.samples) {
      watch_.verdict = Verdict::Sleeps;
    }
  }

  /// The two first words of the vector table.
  void table() {
    try {
      std::uint32_t at = 0;
      try {
        at = bus_.readWord(kTableAt) & ~0x7Fu;
      } catch (const BusFault&) {
        // ARMv6-M need not have this register.
      }
      if (at == 0) at = options_.table;
      const std::uint32_t stack = bus_.readWord(at), reset = bus_.readWord(at + 4);
      noVectors_ = stack == 0xFFFFFFFF && reset == 0xFFFFFFFF;
      // The first push goes below it, so the end of the RAM is a fine place.
      if (!noVectors_ && !options_.ram.empty() && !inside(options_.ram, std::uint64_t{stack} - 1))
        watch_.stackAt = stack;
    } catch (const BusFault&) {
      noVectors_ = true;
    }
  }

  void fault() {
    CoreFault fault;
    fault.exception = active_;
    const bool hasRegisters = (core_.cpuid() >> 16 & 15) == 0xF;
    try {
      if (hasRegisters) faultRegisters(fault);
    } catch (const BusFault&) {
      // A core without them.
    }
    if (options_.mayHalt) stacked(fault);
    watch_.fault = std::move(fault);
  }

  void faultRegisters(CoreFault& fault) {
    const std::uint32_t cfsr = bus_.readWord(kConfigurableFaults);
    fault.reasons = faultWords(cfsr, bus_.readWord(kHardFaults));
    constexpr std::uint32_t kAccessValid = 1u << 7, kBusValid = 1u << 15;
    if ((cfsr & kAccessValid) != 0) fault.address = bus_.readWord(kAccessFault);
    if ((cfsr & kBusValid) != 0) fault.address = bus_.readWord(kBusFaultAt);
  }

  /// The frame that the exception left on the stack: r0 to r3, r12, lr, pc, psr (DDI 0419, B1.5.6). Its handler may
  /// have put more on top of it.
  void stacked(CoreFault& fault) {
    core_.halt();
    watch_.halted = true;
    const CoreRegisters now = core_.registers();
    core_.leaveAsFound();
    fault.sp = now.sp();
    constexpr std::size_t kFrame = 8, kLookedAt = 64;
    std::vector<std::uint32_t> words;
    try {
      BusBatch batch;
      const std::uint64_t end = endOfRam(now.sp());
      batch.read(now.sp() & ~3u, std::min<std::size_t>(kLookedAt, (end - (now.sp() & ~3u)) / 4));
      words = bus_.run(batch);
    } catch (const BusFault&) {
      return;
    }
    for (std::size_t i = 0; i + kFrame <= words.size(); ++i) {
      const std::uint32_t pc = words[i + 6], psr = words[i + 7];
      if ((psr & 1u << 24) == 0 || (psr & 0x00FF0000) != 0 || (pc & 1) != 0) continue;
      if (!inside(options_.code, pc) && !inside(options_.ram, pc)) continue;
      fault.pc = pc;
      fault.lr = words[i + 5];
      fault.psr = psr;
      for (std::size_t r = 0; r < 5; ++r) fault.registers[r] = words[i + r];
      fault.sp = static_cast<std::uint32_t>((now.sp() & ~3u) + 4 * (i + kFrame));
      instruction(fault, now);
      return;
    }
  }

  std::uint64_t endOfRam(std::uint32_t sp) const {
    for (const AddressRange& range : options_.ram) {
      if (range.contains(sp)) return range.end;
    }
    return sp;
  }

  /// Where no register says why, the instruction does.
  void instruction(CoreFault& fault, const CoreRegisters& now) {
    if (!fault.reasons.empty()) return;
    Bytes halfword(2);
    try {
      bus_.read(*fault.pc, halfword);
    } catch (const BusFault&) {
      fault.reasons.emplace_back("an instruction was fetched from where there is nothing");
      return;
    }
    const std::uint16_t code = loadLe16(halfword.data());
    std::array<std::uint32_t, 14> registers{};
    std::copy_n(now.values.begin(), 13, registers.begin());
    for (std::size_t r = 0; r < 4; ++r) registers[r] = fault.registers[r];
    registers[12] = fault.registers[4];
    registers[13] = fault.sp;
    const auto access = accessOf(code, registers);
    if (access && !answers(*access)) {
      fault.address = access->address;
      fault.reasons.push_back(fmt::format("it {} {}, where nothing answers", access->reads ? "reads from" : "writes to",
                                          hexAddress(access->address)));
    } else if (access && access->address % 4 != 0) {
      fault.address = access->address;
      fault.reasons.push_back(fmt::format("an unaligned access to {}", hexAddress(access->address)));
    } else if ((code & 0xFF00) == 0xDE00) {
      fault.reasons.emplace_back("an undefined instruction");
    } else if ((code & 0xFF00) == 0xBE00) {
      fault.reasons.emplace_back("a breakpoint without a debugger");
    } else if ((code & 0xFF00) == 0xDF00) {
      fault.reasons.emplace_back("a supervisor call where none is allowed");
    }
  }

  /// Reading is tried; a place that is only written is taken for one that answers where it lies in RAM.
  bool answers(const MemoryAccess& access) {
    if (inside(options_.ram, access.address)) return true;
    if (!access.reads) return !inside(options_.code, access.address) && readable(access.address);
    return readable(access.address);
  }
  bool readable(std::uint32_t address) {
    try {
      bus_.readWord(address & ~3u);
      return true;
    } catch (const BusFault&) {
      return false;
    }
  }

  Core& core_;
  MemAp& bus_;
  const WatchOptions& options_;
  CoreWatch watch_;
  std::map<std::uint32_t, unsigned> places_;
  bool tellsPc_ = false, noVectors_ = false;
  unsigned inFault_ = 0;  // rounds in a row
  std::uint32_t last_ = 0, active_ = 0;
};

}  // namespace

std::string CoreFault::exceptionName() const {
  switch (exception) {
    case 2:
      return "non-maskable interrupt";
    case kHardFault:
      return "hard fault";
    case 4:
      return "memory management fault";
    case 5:
      return "bus fault";
    case 6:
      return "usage fault";
    default:
      return fmt::format("exception {}", exception);
  }
}

std::string CoreWatch::words() const {
  switch (verdict) {
    case Verdict::Runs:
      return places.empty() ? "runs" : fmt::format("runs, mostly at {}", hexAddress(places.front().pc));
    case Verdict::Sleeps:
      return "sleeps, and wakes up in between";
    case Verdict::Halted:
      return "is halted";
    case Verdict::Fault: {
      std::string text = fmt::format("is in its {} handler", fault->exceptionName());
      if (fault->pc) text += fmt::format(" since the instruction at {}", hexAddress(*fault->pc));
      for (const std::string& reason : fault->reasons) text += ": " + reason;
      return text;
    }
    case Verdict::LockedUp:
      return "is locked up: a fault came while it handled a fault";
    case Verdict::InReset:
      return "is held in reset";
    case Verdict::Resets:
      return fmt::format("resets itself again and again ({} times)", resets);
    case Verdict::NoVectors:
      return "has nothing to start from: its vector table is empty";
  }
  return {};
}

const char* nameOf(CoreWatch::Verdict verdict) {
  static constexpr const char* kNames[] = {"runs",      "sleeps",   "halted", "fault",
                                           "locked-up", "in-reset", "resets", "no-vectors"};
  static_assert(std::size(kNames) == static_cast<std::size_t>(CoreWatch::Verdict::NoVectors) + 1);
  return kNames[static_cast<std::size_t>(verdict)];
}

CoreWatch watchCore(Core& core, const WatchOptions& options) {
  return Watcher(core, options).run();
}

}  // namespace imprimo::debug
