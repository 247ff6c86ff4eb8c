// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/configure/config_card.h"
#include "core/jtag/chain.h"

namespace imprimo::configure {

/// One device to be configured: where it is and what describes it.
struct Target {
  std::size_t position = 0;  ///< from TDI, starting at 1
  std::string name;          ///< the sheet's, for messages
  const bsdl::BoundaryDescription* description = nullptr;
};

/// One step of a procedure, for plans.
struct Stage {
  std::string title, why;
  Amount amount{0, Amount::Bits};  ///< of data that go over, in or out; progress counts these
  double seconds = 0;              ///< estimate, at the chain's clock
  bool changes = false;            ///< something of what the device holds is erased or programmed
  bool erases = false, secures = false;
  bool confirms = false;  ///< what the device holds is compared with the file
};

/// Bits came out otherwise than they should.
struct Mismatch {
  std::string where;  ///< "flow_verify(array), row 17"
  std::string instruction;
  BitVector expected, found, mask;  ///< a mask of no bits: all of them matter
  std::size_t firstBit() const;     ///< which differs; 0 went out first
  std::size_t differing() const;
  /// All that came out has this level.
  std::optional<bool> allAlike() const;
  std::string text() const;
};

struct StageResult {
  std::string note;  ///< "96 rows, CRC 1A2B3C4D"
  std::optional<Mismatch> mismatch;
};

/// All that is done to one device to one end, in stages, each of which leaves the TAP in Run-Test/Idle.
class Procedure {
 public:
  virtual ~Procedure() = default;
  virtual const std::vector<Stage>& stages() const = 0;
  /// Carries out stage `i`; they come in order. A mismatch is an answer. Throws Stopped, LinkLost, and NotProgrammed
  /// where the device says that it did not take what it got. `progress` counts the stage's amount.
  virtual StageResult carryOut(std::size_t i, jtag::Chain& chain, Progress& progress) = 0;
  /// Behind a stage that did not end well: brings the device out of its special modes, as far as it can. Throws what
  /// the port throws.
  virtual void leave(jtag::Chain& chain) = 0;
  /// What was read out by a procedure that reads; empty otherwise.
  virtual BitVector output() const { return {}; }
};

/// Which of the procedures of an IEEE 1532 action are done.
struct IscWish {
  std::string action;                  ///< "program", "erase", ...
  std::string data = {};               ///< in the action's brackets; empty: none, or the only one that there is
  std::set<std::string> with = {};     ///< optional procedures, upper case, without data
  std::set<std::string> without = {};  ///< recommended ones that are left out
};

/// The action `wish` names, of a device whose BSDL has IEEE 1532's attributes. Throws BadFile where the file does not
/// have as many bits as the flows ask for, or not the data that they ask for, and Usage where there is no such action.
std::unique_ptr<Procedure> iscProcedure(const Target& target, const IscWish& wish, const ConfigData* data,
                                        std::uint32_t clockHz);

/// The steps of a card; `data` may be null for those that need none.
std::unique_ptr<Procedure> cardProcedure(const Target& target, const ConfigCard& card,
                                         const std::vector<CardStep>& steps, const ConfigData* data,
                                         std::uint32_t clockHz);

/// How a device says that it is.
struct DeviceState {
  std::optional<BitVector> status;  ///< of the card's register
  std::optional<std::uint32_t> usercode;
  std::optional<bool> runs;  ///< what the card's `runs` says
};
/// Looks; changes nothing. `card` may be null.
DeviceState lookAt(const Target& target, const ConfigCard* card, jtag::Chain& chain);
/// "runs; user code 0x52320001; status: clear, synced, done".
std::string stateText(const DeviceState& state, const ConfigCard* card);

/// The opcode of an instruction that the description is known to have.
BitVector opcodeOf(const Target& target, const std::string& instruction);

}  // namespace imprimo::configure
