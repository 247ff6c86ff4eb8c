// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>

#include "core/base/bytes.h"
#include "sim/core/arm_core.h"
#include "sim/core/core_lock.h"
#include "sim/core/core_words.h"
#include "sim/outside_flash.h"
#include "sim/serial/chip_uart.h"
#include "sim/serial/swo_trace.h"
#include "sim/sim_clock.h"
#include "sim/violations.h"

namespace imprimo::sim {

struct CoreModel {
  std::string name;
  std::uint32_t flashAt = 0, flashSize = 0x40000, sector = 0x1000;
  std::uint32_t ramAt = 0x20000000, ramSize = 0x4000;
  std::uint32_t hz = 16'000'000;                                      ///< of the core: an instruction a cycle
  double eraseSector = 0.020, eraseAll = 0.080, programWord = 20e-6;  ///< seconds
  /// Seconds after which it resets the core unless it is fed, once it was; 0: there is none.
  double watchdog = 0;
  std::optional<bool> locked;            ///< nothing: a chip that cannot be
  bool lockSilences = false;             ///< a lock closes the debug port too, unless the reset pin is held low
  std::optional<OutsideModel> outside;   ///< a serial flash beside it
  std::optional<SwoModel> swo;           ///< trace on one pin; nothing: it has none
  std::optional<std::uint32_t> uart;     ///< the rate of its serial interface; nothing: it has none
  std::optional<std::uint32_t> wordsAt;  ///< its configuration words; nothing: it has none
  std::uint32_t identity = 0xC6000001;   ///< the word at 0x40000000 that says which chip it is
};

/// A chip around one core: flash with a controller of our own making (docs/formats/bench.md), RAM, an identity word.
/// Time goes on by advance(): whoever looks at the chip says first how late it is.
class CoreChip : public ArmBus {
 public:
  static constexpr std::uint32_t kIdentity = 0x40000000, kController = 0x40010000, kWatchdog = 0x40020000,
                                 kStarter = 0x40030000;

  CoreChip(CoreModel model, Violations& violations);

  const CoreModel& model() const { return model_; }
  ArmCore& core() { return core_; }
  Bytes& flash() { return flash_; }
  /// Lets the core run until `now`.
  void advance(Time now);
  /// The pin that resets it; the debug port is not reset by it.
  void resetPin(bool low);
  void powerLost();
  void powerUp(Time now);
  std::uint64_t resets() const { return resets_; }
  /// Null for a chip without.
  CoreLock* lock() { return lock_ ? &*lock_ : nullptr; }
  /// Another chip that this one keeps off, from each reset on, until it starts it (docs/formats/bench.md).
  void startsLater(CoreChip& other) { later_ = &other; }
  void putOff();
  bool isOff() const { return off_; }
  OutsideFlash* outside() { return outside_ ? &*outside_ : nullptr; }
  ChipUart* uart() { return uart_ ? &*uart_ : nullptr; }
  SwoTrace* trace() { return trace_ ? &*trace_ : nullptr; }
  CoreWords* words() { return words_ ? &*words_ : nullptr; }
  bool portIsSilent() const { return lock_ && lock_->closed() && model_.lockSilences && !pinLow_; }
  std::uint32_t lockLoad(std::uint32_t address) { return lock_->read(address); }
  void lockStore(std::uint32_t address, std::uint32_t value);
  /// As a brown-out does it, once.
  void resetAt(Time time) { resetAt_ = time; }

  std::optional<std::uint32_t> load(std::uint32_t address, unsigned bytes) override;
  bool store(std::uint32_t address, unsigned bytes, std::uint32_t value) override;
  void resetRequested() override { resetAsked_ = true; }
  /// The same as the debug access port sees it: the system control space with what only a debugger may do.
  std::optional<std::uint32_t> debugLoad(std::uint32_t address, unsigned bytes);
  bool debugStore(std::uint32_t address, unsigned bytes, std::uint32_t value);

  /// Of erases and programmed words, in order: the one of number `n` does nothing and says nothing, or never ends.
  std::uint64_t operations() const { return operations_; }
  void skipOperation(std::uint64_t n) { skipAt_ = n; }
  void hangOperation(std::uint64_t n) { hangAt_ = n; }
  /// "erase 0x00001000\n", in order; programmed words are counted.
  std::string journal() const;
  std::uint64_t wordsProgrammed() const { return programmed_; }

 private:
  std::uint32_t controllerLoad(std::uint32_t offset);
  void controllerStore(std::uint32_t offset, std::uint32_t value);
  bool begins(double seconds);
  bool program(std::uint32_t address, unsigned bytes, std::uint32_t value);
  void erase(std::uint32_t address, std::uint32_t bytes, double seconds, const char* what);
  /// The cells at an address of the flash or of the words; null elsewhere.
  std::uint8_t* cells(std::uint32_t address);
  bool busy() const { return now_ < busyUntil_; }
  bool isTrace(std::uint32_t address) const;
  bool traceIsOn() { return (core_.systemLoad(0xE000EDFC, true) >> 24 & 1) != 0; }
  void refuse(const std::string& why);
  void resetNow(bool held);

  CoreModel model_;
  Violations& violations_;
  Bytes flash_, ram_;
  ArmCore core_{*this};
  std::optional<CoreLock> lock_;
  std::optional<CoreWords> words_;
  std::optional<OutsideFlash> outside_;
  std::optional<SwoTrace> trace_;
  std::optional<ChipUart> uart_;
  CoreChip* later_ = nullptr;
  bool off_ = false;
  Time now_ = 0, busyUntil_ = 0;
  std::optional<Time> resetAt_;
  std::optional<Time> unfed_;       // how long the core has run since the watchdog was fed; nothing: it is off
  std::uint64_t cyclesBehind_ = 0;  // parts of a cycle, in units of 1/1e12
  bool locked_ = true, firstKey_ = false, refused_ = false, resetAsked_ = false, pinLow_ = false;
  std::uint32_t control_ = 0, address_ = 0;
  std::string journal_;
  std::uint64_t programmed_ = 0, resets_ = 0, operations_ = 0;
  std::optional<std::uint64_t> skipAt_, hangAt_;
};

}  // namespace imprimo::sim
