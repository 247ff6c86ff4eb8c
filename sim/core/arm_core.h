// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cstdint>
#include <optional>

namespace imprimo::sim {

/// What a core reads and writes beside its own system control space. Addresses are aligned to `bytes` (1, 2, 4).
class ArmBus {
 public:
  virtual ~ArmBus() = default;
  /// Nothing: a bus error.
  virtual std::optional<std::uint32_t> load(std::uint32_t address, unsigned bytes) = 0;
  /// False: a bus error.
  virtual bool store(std::uint32_t address, unsigned bytes, std::uint32_t value) = 0;
  /// The core asked for a reset of the system (AIRCR.SYSRESETREQ).
  virtual void resetRequested() = 0;
};

/// A processor of the ARMv6-M architecture, written from its reference manual (Arm DDI 0419): instructions, exceptions,
/// SysTick, sleep, lockup, and halting debug. An instruction takes one cycle.
class ArmCore {
 public:
  static constexpr std::uint32_t kSystemSpace = 0xE000E000, kSystemEnd = 0xE000F000;

  explicit ArmCore(ArmBus& bus) : bus_(bus) {}

  /// Reset of the core; debug stays as it is (C1.4). With `held` it does not start until release().
  void reset(bool held = false);
  void release() { held_ = false; }
  /// Runs for at most so many cycles; a core that is halted, asleep or locked up lets them pass.
  void run(std::uint64_t cycles);

  // As debug sees it.
  bool halted() const { return halted_; }
  bool asleep() const { return asleep_; }
  bool lockedUp() const { return lockedUp_; }
  bool heldInReset() const { return held_; }
  std::uint32_t reg(unsigned number) const;
  void setReg(unsigned number, std::uint32_t value);
  std::uint32_t pc() const { return pc_; }
  std::uint64_t instructions() const { return instructions_; }

  /// The system control space, by the debugger too (`debug`), 0xE000E000 to 0xE000EFFF.
  std::uint32_t systemLoad(std::uint32_t address, bool debug);
  void systemStore(std::uint32_t address, std::uint32_t value, bool debug);
  /// External interrupt 0 to 31.
  void pend(unsigned interrupt) { pending_ |= 1ull << (16 + interrupt); }

 private:
  enum Exception : unsigned { kReset = 1, kNmi = 2, kHardFault = 3, kSvCall = 11, kPendSv = 14, kSysTick = 15 };
  struct Fault {};  ///< thrown through one instruction

  void step();
  void execute(std::uint16_t op);
  void shiftAddMove(std::uint16_t op);
  void dataProcessing(std::uint16_t op);
  void specialData(std::uint16_t op);
  void loadStore(std::uint16_t op);
  void loadStoreOffset(std::uint16_t op);
  void miscellaneous(std::uint16_t op);
  void reverse(std::uint16_t op);
  void hint(std::uint16_t op);
  void multiple(std::uint16_t op);
  void branch(std::uint16_t op);
  void wide(std::uint16_t first);
  void special(std::uint16_t first, std::uint16_t second);
  void push(std::uint16_t op);
  void pop(std::uint16_t op);

  std::uint32_t load(std::uint32_t address, unsigned bytes);
  void store(std::uint32_t address, unsigned bytes, std::uint32_t value);
  std::uint16_t fetch(std::uint32_t address);
  std::uint32_t add(std::uint32_t a, std::uint32_t b, bool carry, bool setFlags);
  void flagsOf(std::uint32_t result);
  void branchTo(std::uint32_t target);  ///< BX and friends: EXC_RETURN too
  bool passes(unsigned condition) const;

  unsigned priorityNow() const;
  unsigned priorityOf(unsigned exception) const;
  unsigned nextException() const;
  bool takePending();
  void enter(unsigned exception, std::uint32_t returnAddress);
  void leave(std::uint32_t excReturn);
  void fault();
  void enterDebug(unsigned reason);
  void tick(std::uint64_t cycles);
  std::uint32_t controlLoad(std::uint32_t offset);
  void controlStore(std::uint32_t offset, std::uint32_t value);
  void transferRegister(std::uint32_t selector);
  void writeDebugControl(std::uint32_t value);
  std::uint32_t debugControl();

  ArmBus& bus_;
  std::array<std::uint32_t, 13> r_{};
  std::uint32_t msp_ = 0, psp_ = 0, lr_ = 0, pc_ = 0;
  bool n_ = false, z_ = false, c_ = false, v_ = false, thumb_ = true;
  unsigned ipsr_ = 0;
  bool primask_ = false;
  std::uint32_t control_ = 0;
  std::uint32_t next_ = 0;  // address behind the instruction that is executed

  std::uint64_t pending_ = 0;  // bit n: exception n
  std::uint64_t active_ = 0;
  std::uint64_t enabled_ = 0;  // external interrupts, bits 16 to 47
  std::array<std::uint8_t, 48> priority_{};
  std::uint32_t vectors_ = 0, systemControl_ = 0;
  std::uint32_t tickControl_ = 0, tickReload_ = 0, tickNow_ = 0;
  bool event_ = false;

  bool held_ = false, halted_ = false, asleep_ = false, lockedUp_ = false;
  bool debugEnabled_ = false, stepping_ = false, maskInterrupts_ = false;
  bool resetSeen_ = true, retired_ = false;
  std::uint32_t debugStatus_ = 0, exceptionControl_ = 0, transfer_ = 0;
  std::uint64_t instructions_ = 0;

  std::uint32_t& sp() { return (control_ & 2) != 0 && ipsr_ == 0 ? psp_ : msp_; }
};

}  // namespace imprimo::sim
