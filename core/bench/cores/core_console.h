// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/cores/cores.h"
#include "core/console/ring.h"
#include "core/console/semihosting.h"

namespace imprimo::bench {

/// The RAM of a card's core.
std::vector<AddressRange> ramOf(const debug::CoreCard& card);

/// A core's bus, for what listens to it while it runs.
class CoreBus : public console::TargetMemory {
 public:
  explicit CoreBus(BenchCore& core) : core_(core) {}
  void read(std::uint32_t address, std::span<std::uint8_t> out) override { core_.bus().read(address, out); }
  void write(std::uint32_t address, std::span<const std::uint8_t> bytes) override { core_.bus().write(address, bytes); }

 private:
  BenchCore& core_;
};

/// The rings in the RAM of a core, found by their marks; looked for again where there is none, or one that was there is
/// gone. The core is not halted.
class RingSource : public console::Source {
 public:
  /// Throws Refused where the core's card has no RAM.
  explicit RingSource(BenchCore& core);
  std::vector<console::Heard> hear() override;
  std::size_t tell(ByteSpan bytes) override;

 private:
  void look();

  BenchCore& core_;
  CoreBus bus_;
  std::vector<AddressRange> ram_;
  struct Known {
    console::ConsoleRing ring;
    std::string channel;
    bool gone = false;
  };
  std::vector<Known> rings_;
  std::chrono::nanoseconds lookedAt_{}, lookTook_{};
  bool looked_ = false;
};

/// What a core asks its host for by BKPT 0xAB. Debug is enabled for it, and only the core itself stops; at another
/// breakpoint it is left standing, which is said.
class SemihostingSource : public console::Source {
 public:
  explicit SemihostingSource(BenchCore& core) : core_(core), bus_(core), began_(core.now()) {}
  std::vector<console::Heard> hear() override;
  std::size_t tell(ByteSpan) override { return 0; }
  /// Switches debug off again where it was, unless the core stands.
  void end() override;
  /// Lets a halted core go on, with debug enabled or off.
  static void letRun(BenchCore& core, bool debug = true);

 private:
  std::uint32_t control();
  std::uint32_t registerOf(std::uint32_t selector);
  void setRegister(std::uint32_t selector, std::uint32_t value);

  BenchCore& core_;
  CoreBus bus_;
  std::chrono::nanoseconds began_;
  bool ended_ = false;       // it stands, and is not let go on from here
  bool switchedOn_ = false;  // debug was off
};

}  // namespace imprimo::bench
