// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/progress.h"
#include "core/bench/bench_state.h"
#include "core/bench/route.h"
#include "core/memory/copy_of.h"
#include "core/memory/link_speed.h"
#include "core/memory/memory.h"

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
  const memory::Identity& identify();
  bool identified() const;
  /// What the last identify() found of the time before it.
  memory::Continuity continuity() const;
  /// Each of these identifies first if that was not done yet.
  memory::Memory& memory();
  const memory::Identity& identity();
  /// What the memory is known to hold.
  memory::KnownContents& contents();
  /// Of which memory a copy is that is made now.
  memory::CopyOf copyOf(bool unfinished);
  /// Puts the modes back as they were found; nothing is sent where that was done. Throws LinkLost, Refused.
  void leaveModes();
  /// What they are put back to, and what that is from now on, where it is known from earlier; see memory::Memory.
  std::string foundModes() const;
  void setFoundModes(const std::string& json);

  /// Its registers, which identity() lists; it is in its modes. Throws Usage where it has none.
  memory::Registers& registers();
  /// Their values as they were read last; empty before that. Nothing is sent once it was identified.
  const std::vector<std::uint8_t>& lastRegisters();

  /// The route, greeted. Throws NoBridge, also where it has to be loaded first; LinkLost.
  Route& route();
  /// Whether the far end of the route is there.
  bool routeAnswers();
  /// Loads what the route needs, unless it is there. Returns what it found, for people. Throws NoBridge where the far
  /// end is not there afterwards, BadFile for the sheet's file or card, Stopped, LinkLost.
  std::string loadRoute(Progress& progress);

  memory::ContinuityWords continuityWords() const;
  /// How fast bytes come and go now.
  memory::LinkSpeed speed() const;

  /// What was known before the link was lost or the target restarted; null: nothing.
  struct Before {
    memory::Identity identity;
    memory::KnownContents contents;
  };
  const Before* before() const { return before_ ? &*before_ : nullptr; }

 private:
  friend struct BenchState;
  friend class Bench;
  struct Opened {
    std::unique_ptr<Route> route;
    std::unique_ptr<memory::Memory> memory;  ///< null until it was identified
    memory::KnownContents contents;
    memory::Continuity continuity = memory::Continuity::First;
  };
  const sheet::MemoryEntry& entry() const { return state_.sheet.memory(name_); }
  /// Nobody is asked.
  Opened& open();
  Opened& opened();
  /// The same, and the memory is in its modes.
  Opened& ready();
  void putAway();
  void doubt();

  BenchState& state_;
  std::string name_;
  RouteMark mark_;
  std::optional<Before> before_;
  std::unique_ptr<Opened> opened_;
};

}  // namespace imprimo::bench
