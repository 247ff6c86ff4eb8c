// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <functional>
#include <map>
#include <memory>
#include <set>
#include <stop_token>
#include <string>

#include "core/bench/clock_report.h"
#include "core/bench/device_config.h"
#include "core/flash/spi_nor.h"
#include "core/flash/spi_nor_identity.h"
#include "core/jtag/chain.h"
#include "core/jtag/chain_expectation.h"
#include "core/jtag/examine.h"
#include "core/memory/known_contents.h"
#include "core/plan/planner.h"
#include "core/probe/probe.h"
#include "core/sheet/sheet.h"
#include "core/spi/bridge_port.h"

namespace imprimo::bench {

/// What is connected: one probe, the chain behind it, and the memories that a sheet says are reached through it. One
/// thread at a time.
class Bench {
 public:
  Bench(sheet::Sheet sheet, std::unique_ptr<probe::Probe> probe);

  probe::Probe& probe() { return *probe_; }
  /// How the same probe is opened again when its link was lost. Without it reconnect() throws LinkLost.
  using Reopen = std::function<std::unique_ptr<probe::Probe>()>;
  void setReopen(Reopen reopen) { reopen_ = std::move(reopen); }
  /// Opens the probe again and checks the chain. What was known of memories is from before, and gone where another part
  /// answers to identify(). Throws NoProbe, LinkLost, ChainMismatch.
  void reconnect();
  const sheet::Sheet& sheet() const { return sheet_; }
  /// Files, bookmarks and kept ranges may change while connected; parts and memories may not.
  void setSheet(sheet::Sheet sheet) {
    sheet_ = std::move(sheet);
    configs_.clear();
  }

  /// Where cards are looked for of parts that neither the sheet nor the part itself describes.
  void setCardFinder(flash::CardFinder find) { findCard_ = std::move(find); }

  /// The same for configuration cards of parts that the sheet names none for.
  void setConfigCardFinder(ConfigCardFinder find) { findConfigCard_ = std::move(find); }
  /// Where no bridge answers and the sheet has one to load: load it, which stops the design that runs in the part;
  /// `told` hears of it before. Without this a memory behind such a route answers NoBridge.
  void loadBridgesAsNeeded(std::function<void(const std::string& sentence)> told) { tellLoading_ = std::move(told); }

  /// Somebody else works on the chain from now on: memories are left as they were found, and what was known of them is
  /// from before.
  void doubtAll();
  /// What answers, whether or not it is what the sheet expects. Throws BrokenChain, which says between which of the
  /// sheet's parts the chain is cut.
  jtag::FoundChain examine();
  /// Examines and throws ChainMismatch when it is not the sheet's chain.
  jtag::FoundChain checkChain();
  jtag::PatternCheck checkLink(int rounds);

  /// Waits until power and chain are there, for at most `limit` of the time that is asked to pass; `told` hears the
  /// seconds left. Throws BrokenChain with what is still missing then, and Stopped.
  void waitForTarget(std::chrono::seconds limit, const std::function<void(double left)>& told, std::stop_token stop);
  /// Behind a failure: throws BrokenChain when the target has no power or its chain is gone, which then is the reason.
  void requireAlive();

  /// Looks for the fastest sound clock of the chain and of each memory that answers; see probe::searchClock. The clock
  /// is as before afterwards.
  ClockReport findClock(const std::function<void(const probe::ClockSample&)>& each, std::stop_token stop);
  /// The clock for all but memories that have one of their own in the sheet.
  void setClock(std::uint32_t hz);

  /// Asks the route and the memory who they are, and brings the memory into the modes that work relies on. What was
  /// known of it stays sure only where the bridge still has the mark that was left in it. Throws NoBridge,
  /// UnknownFlash, Refused.
  const flash::FlashIdentity& identify(const std::string& memory);
  bool identified(const std::string& memory) const;
  /// What the last identify() found of the time before it.
  memory::Continuity continuity(const std::string& memory) const;
  /// Puts the memory's modes back as they were found; nothing is sent where that was done. Throws LinkLost, Refused.
  void leaveModes(const std::string& memory);
  const flash::FoundModes& foundModes(const std::string& memory) const { return opened_.at(memory).memory->found(); }
  /// What the modes are put back to, where that is known from earlier.
  void setFoundModes(const std::string& memory, const flash::FoundModes& found);
  /// Of which memory a copy is that is made now.
  memory::CopyOf copyOf(const std::string& memory, bool unfinished);
  /// Parts whose design was stopped here by making them a bridge, and that were not restarted since.
  const std::set<std::string>& stoppedDesigns() const { return stoppedDesigns_; }
  /// What a memory answers, whether or not anything describes it. Throws NoBridge, UnknownFlash, Refused.
  flash::FlashEvidence ask(const std::string& memory);
  /// Whether a read at `size` begins anew at 0, as it does in a part of that size; nothing where both places, or what
  /// is behind them, look alike anyway. For parts up to 16 MiB.
  std::optional<bool> wrapsAt(const std::string& memory, std::uint64_t size);
  /// Identifies first if that was not done yet.
  memory::Memory& memory(const std::string& memory);
  const flash::FlashIdentity& identity(const std::string& memory);
  /// What the memory is known to hold.
  memory::KnownContents& contents(const std::string& memory);
  memory::LinkSpeed speed() const;

  /// A memory's status and configuration registers, as identity() lists them. Reads them now.
  const std::vector<std::uint8_t>& readRegisters(const std::string& memory);
  /// As they were read last; empty before that.
  const std::vector<std::uint8_t>& registers(const std::string& memory);
  /// See memory::writeRegister.
  void writeRegister(const std::string& memory, std::size_t index, std::uint8_t value);
  /// What planning needs to know of a memory that was identified.
  plan::Knowledge knowledge(const std::string& memory);
  /// The same of one that cannot be asked now, from before a restart or a lost link; it may have changed since.
  std::optional<plan::Knowledge> lastKnown(const std::string& memory) const;

  /// How a part is configured, by its description and its card. Throws BadFile, Usage.
  const DeviceConfig& deviceConfig(std::size_t position);
  jtag::Chain& chain() { return *chain_; }
  /// Looks at a part's status and user code; changes nothing.
  DeviceReport lookAtDevice(std::size_t position);

  bool bridgeAnswers(const std::string& memory);
  /// Makes the part that a memory is behind a bridge, unless it is one. Returns what it found, for people. Throws
  /// NoBridge where it did not become one, BadFile for the sheet's file or card, Stopped, LinkLost.
  std::string loadBridge(const std::string& memory, Progress& progress);

  /// Lets the target start again: each part whose card has a way to make it start from its flash is told so, and is
  /// looked at until its design runs; without such a part, a pulse on the target's reset. Returns how they are then.
  std::vector<DeviceReport> restart();

 private:
  struct Opened {
    std::unique_ptr<spi::BridgePort> port;
    std::unique_ptr<flash::SpiNor> memory;
    flash::FlashIdentity identity;
    memory::KnownContents contents;
    std::vector<std::uint8_t> registers;
    memory::Continuity continuity = memory::Continuity::First;
  };
  /// What was known before the link was lost or the target restarted.
  struct Remembered {
    flash::FlashIdentity identity;
    memory::KnownContents contents;
  };
  Opened& opened(const std::string& memory);
  /// The same, and the memory is in its modes.
  Opened& ready(const std::string& memory);
  /// The route to a memory, greeted.
  spi::BridgePort& route(const std::string& memory);
  void putMemoriesAway();
  const sheet::BridgeRoute& bridgeRoute(const std::string& memory) const;
  spi::BridgePort& bridgePort(const std::string& memory);
  /// The clock that a memory's sheet entry asks for, or the bench's for an empty name.
  void useClockOf(const std::string& memory);
  MemoryClock findClockOf(const std::string& memory, const probe::ClockSearch& chain, std::stop_token stop);

  sheet::Sheet sheet_;
  std::unique_ptr<probe::Probe> probe_;
  std::unique_ptr<jtag::Chain> chain_;
  std::uint32_t clockHz_;
  Reopen reopen_;
  flash::CardFinder findCard_;
  ConfigCardFinder findConfigCard_;
  std::function<void(const std::string&)> tellLoading_;
  std::map<std::size_t, DeviceConfigPtr> configs_;
  std::set<std::size_t> loaded_;  // parts that were made bridges here
  std::set<std::string> stoppedDesigns_;
  std::map<std::string, spi::BridgeMark> marks_;  // by memory
  std::map<std::string, Remembered> remembered_;
  std::map<std::string, Opened>
      opened_;  // before the chain and the probe in destruction: memories are put in order first
};

/// The sheet's chain as something to compare with.
std::vector<jtag::ExpectedDevice> expectedChain(const sheet::Sheet& sheet);

}  // namespace imprimo::bench
