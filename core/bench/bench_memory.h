// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/progress.h"
#include "core/bench/bench_state.h"
#include "core/bench/route.h"
#include "core/flash/spi_nor.h"
#include "core/memory/copy_of.h"
#include "core/memory/link_speed.h"

namespace imprimo::bench {

/// One memory of the sheet, reached by its route. It lives as long as its bench; what is opened on the link does not.
class BenchMemory {
 public:
  BenchMemory(BenchState& state, std::string name);
  ~BenchMemory();
  const std::string& name() const { return name_; }

  /// Asks the route and the memory for their identity, and brings the memory into the modes that work relies on. What
  /// was known of it stays sure only where the route proves that nobody else was there. Throws NoBridge, UnknownFlash,
  /// Refused.
  const flash::FlashIdentity& identify();
  bool identified() const;
  /// What the last identify() found of the time before it.
  memory::Continuity continuity() const;
  /// Each of these identifies first if that was not done yet.
  memory::Memory& memory();
  const flash::FlashIdentity& identity();
  /// What the memory is known to hold.
  memory::KnownContents& contents();
  /// Of which memory a copy is that is made now.
  memory::CopyOf copyOf(bool unfinished);
  /// What the memory answers, whether or not anything describes it. Throws NoBridge, UnknownFlash, Refused.
  flash::FlashEvidence ask();
  /// Whether a read at `size` begins anew at 0, as it does in a memory of that size; nothing where both places, or what
  /// follows them, look alike anyway. For memories up to 16 MiB.
  std::optional<bool> wrapsAt(std::uint64_t size);

  /// Puts the modes back as they were found; nothing is sent where that was done. Throws LinkLost, Refused.
  void leaveModes();
  const flash::FoundModes& foundModes() const { return opened_->memory->found(); }
  /// What the modes are put back to, where that is known from earlier.
  void setFoundModes(const flash::FoundModes& found);

  /// Its status and configuration registers, as identity() lists them. Reads them now.
  const std::vector<std::uint8_t>& readRegisters();
  /// As they were read last; empty before that.
  const std::vector<std::uint8_t>& registers();
  /// See flash::writeRegister.
  void writeRegister(std::size_t index, std::uint8_t value);

  /// Whether the far end of the route is there.
  bool routeAnswers();
  /// Loads what the route needs, unless it is there. Returns what it found, for people. Throws NoBridge where the far
  /// end is not there afterwards, BadFile for the sheet's file or card, Stopped, LinkLost.
  std::string loadRoute(Progress& progress);

  /// What was known before the link was lost or the target restarted; null: nothing.
  struct Before {
    flash::FlashIdentity identity;
    memory::KnownContents contents;
  };
  const Before* before() const { return before_ ? &*before_ : nullptr; }

 private:
  friend struct BenchState;
  friend class Bench;
  struct Opened {
    std::unique_ptr<Route> route;
    std::unique_ptr<flash::SpiNor> memory;
    flash::FlashIdentity identity;
    memory::KnownContents contents;
    std::vector<std::uint8_t> registers;
    memory::Continuity continuity = memory::Continuity::First;
  };
  const sheet::MemoryEntry& entry() const { return state_.sheet.memory(name_); }
  /// Nobody is asked.
  Opened& open();
  Opened& opened();
  /// The same, and the memory is in its modes.
  Opened& ready();
  /// The route, greeted; loaded first where that is allowed.
  Route& route();
  void putAway();
  void doubt();

  BenchState& state_;
  std::string name_;
  RouteMark mark_;
  std::optional<Before> before_;
  std::unique_ptr<Opened> opened_;
};

}  // namespace imprimo::bench
