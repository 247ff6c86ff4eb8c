// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <chrono>
#include <functional>
#include <optional>
#include <string>

#include "core/debug/mem_ap.h"

namespace imprimo::debug {

/// What a core does just now, as DHCSR says (ARMv6-M C1.6.3, ARMv7-M C1.6.2).
enum class CoreState { Running, Halted, Sleeping, LockedUp, InReset };
const char* nameOf(CoreState state);  ///< as it stands in JSON: "locked-up"

/// Registers by the selectors of DCRSR: 0 to 15, then xPSR, MSP, PSP, and CONTROL with PRIMASK at 20.
struct CoreRegisters {
  static constexpr std::array<std::uint8_t, 20> kSelectors{0,  1,  2,  3,  4,  5,  6,  7,  8,  9,
                                                           10, 11, 12, 13, 14, 15, 16, 17, 18, 20};
  std::array<std::uint32_t, 20> values{};
  std::uint32_t pc() const { return values[15]; }
  std::uint32_t sp() const { return values[13]; }
};

/// Where a core begins that is not started from its reset vector.
struct CoreStart {
  std::uint32_t at = 0;
  /// MSP, and where its vectors are; as a reset leaves them where not given.
  std::optional<std::uint32_t> stack{}, table{};
};

/// A call of a function in the core's memory.
struct CoreCall {
  std::uint32_t function = 0;
  std::array<std::uint32_t, 4> arguments{};  ///< r0 to r3
  std::uint32_t staticBase = 0;              ///< r9
  std::uint32_t stack = 0;
  std::uint32_t back = 0;  ///< where a breakpoint stands, to which it returns
};

/// One core of the M profile, halted, looked into and let go through its debug registers. More than twenty functions,
/// since all of them act on the same few registers, and each has to know what the others did.
class Core {
 public:
  explicit Core(MemAp& bus) : bus_(bus) {}

  MemAp& bus() { return bus_; }
  /// CPUID. Throws BusFault where there is no core.
  std::uint32_t cpuid() { return bus_.readWord(0xE000ED00); }
  CoreState state();
  /// The program counter as it is sampled while the core runs; nothing where it does not say.
  std::optional<std::uint32_t> sampledPc();

  /// Notes how the core was found. Changes nothing that its firmware can notice.
  void attach();
  /// Halts; throws Refused where it does not within the tenth of a second.
  void halt();
  /// Of a core that is halted here: carries one instruction out, with interrupts kept away. Throws Refused where it
  /// does not come to stand again.
  void step();
  CoreRegisters registers();
  void setRegisters(const CoreRegisters& registers);
  /// Resets the system and stops the core at its first instruction. Throws Refused where it does not stop there.
  void resetHalted();
  /// From now on the system is reset by that, instead of by AIRCR.
  void resetBy(std::function<void()> reset) { reset_ = std::move(reset); }
  /// With the reset held by its pin: the core will stop at its first instruction when that is let go.
  void catchReset();
  /// The reset was let go: the core stands at its first instruction. Throws Refused where it does not.
  void requireCaught();
  /// Resets the system and lets it run, with debug off.
  void resetRunning();
  /// Resets the system, and lets it begin somewhere else, with debug off. Throws Refused as resetHalted().
  void resetAndStart(const CoreStart& start);
  /// As attach() found it: registers, running or halted, debug enable. Nothing where it was not touched.
  void leaveAsFound();
  /// From now on it is not to be put back.
  void forgetFound() { found_.reset(); }
  /// Trace on or off (DEMCR.TRCENA), which then stays so over resets.
  void keepTrace(bool on);
  /// Since when it was halted here without a gap: false as soon as it ran, was reset or lost its power. Asks the core.
  bool haltedAllTheWhile();

  /// Lets the core begin at a function behind whatever else a batch does; it goes on by itself until it comes to a
  /// breakpoint.
  static void addStart(BusBatch& batch, const CoreCall& call);
  /// Halts it wherever it stands; nothing else is changed.
  void stopHere();
  bool stands();
  /// What a value of the control register says of that.
  static bool standsBy(std::uint32_t control) { return (control >> 17 & 1) != 0; }
  /// DHCSR for a batch of somebody else, who hands over what was read.
  static constexpr std::uint32_t kControlRegister = 0xE000EDF0;
  void noteControl(std::uint32_t value);
  /// Whether it was reset since it was halted or started here, as far as it was asked.
  bool wasReset() const { return resetSeen_; }
  /// Carries `before` out and lets the core begin at a function. What the reads of `before` gave.
  std::vector<std::uint32_t> begin(const CoreCall& call, const BusBatch& before);
  /// What a function returned that was begun; nothing where it is not back within `limit`, and then the core is halted
  /// where it stands. Where it is back `after` is carried out, and `words` becomes what its reads gave.
  std::optional<std::uint32_t> finish(const CoreCall& call, std::chrono::milliseconds limit, const BusBatch& after,
                                      std::vector<std::uint32_t>& words);
  /// Where it stands, and what fault registers say, in words; for a call that did not come back.
  std::string whereText();

 private:
  static void addRegisters(BusBatch& batch, const CoreRegisters& registers);
  void noteFound(std::span<const std::uint32_t> now);
  std::uint32_t control();
  bool waitHalted(std::chrono::milliseconds limit);

  struct Found {
    bool debugEnabled = false, halted = false;
    std::uint32_t exceptionControl = 0;
    std::optional<CoreRegisters> registers;  // once it was halted here
  };
  void requestReset(BusBatch& batch, const BusBatch& after);

  MemAp& bus_;
  std::function<void()> reset_;
  std::optional<Found> found_;
  bool keptHalted_ = false;
  std::uint32_t traceBits_ = 0;  // of DEMCR, on as long as trace is listened to
  bool resetSeen_ = false;
  bool back_ = false;  // what was begun stood already when it was asked first
};

/// "ARMv6-M 0xC20 r0p0": architecture, part number, revision.
std::string cpuidText(std::uint32_t cpuid);

}  // namespace imprimo::debug
