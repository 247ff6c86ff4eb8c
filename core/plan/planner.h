// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>

#include "core/base/range_set.h"
#include "core/image/pieces.h"
#include "core/memory/copy_of.h"
#include "core/memory/known_contents.h"
#include "core/memory/link_speed.h"
#include "core/memory/registers.h"
#include "core/plan/plan.h"
#include "core/sheet/core_entry.h"

namespace imprimo::plan {

/// Trial: patterns are written to a scratch block and read back many times, then the block gets its bytes back. Reach:
/// the bridge is loaded if need be and the memory asked who it is, nothing else. SetRegisters: registers get values.
enum class Task { Program, Verify, Erase, Blank, Read, Trial, Reach, SetRegisters };

/// Whether a task may leave a memory other than it was.
constexpr bool changesMemory(Task task) {
  return task == Task::Program || task == Task::Erase || task == Task::Trial;
}

/// An address that somebody wants to see after a run, with what should be there.
struct LookAt {
  std::uint64_t address = 0;
  std::string name;
  Bytes expected;  ///< empty: only look, at the first 16 bytes
};

/// What makes the part that a memory is behind a bridge.
struct BridgeLoad {
  std::string part, file;
  Amount amount{0, Amount::Bits};
};

/// A register by its name, and what it should hold.
struct RegisterValue {
  std::string name;
  std::uint8_t value = 0;
};

/// Where a core begins with what was loaded into its RAM.
struct StartFrom {
  std::string core;
  std::uint32_t at = 0;
  std::optional<std::uint32_t> stack{}, table{};  ///< of the vector table, where there is one
};

/// What is asked for one memory.
struct Wanted {
  Task task = Task::Program;
  std::string memory;
  MemoryImage image;                 ///< Program, Verify: the bytes that should be there
  std::vector<Piece> pieces;         ///< the files that the image was made of, for messages
  std::vector<AddressRange> ranges;  ///< Erase, Blank, Read, Trial (empty: a blank block); with `all`, the whole part
  bool all = false;
  std::vector<AddressRange> keep;  ///< equal before and after
  bool noErase = false;
  bool noVerify = false;
  bool wholeBlocks = false;  ///< Erase: what else lives in a block goes too
  bool skipKept = false;     ///< Erase: kept bytes in `ranges` are left, as `all` leaves them, instead of a refusal
  bool restart = false;
  std::string hear{};                 ///< after a restart: the core that should say what the sheet waits for
  sheet::CoreSpeech speech{};         ///< what that is
  std::string watch{};                ///< after a restart: the core that is watched for a second
  std::optional<StartFrom> start{};   ///< with `restart`: what was loaded is not where a reset would begin
  bool twice = false;                 ///< Read: a second time, and compared
  bool leaveProtection = false;       ///< refuse what the part protects, instead of clearing it for the run
  std::optional<std::uint64_t> boot;  ///< the block there makes the part bootable: it is erased first and written last
  std::vector<LookAt> lookAt;         ///< after Program, Erase and Verify
  unsigned trialReads = 20;           ///< for each pattern
  std::optional<BridgeLoad> load;     ///< before the memory is asked anything
  std::optional<std::uint32_t> waitSeconds;  ///< for power and chain, before anything else
  bool onlySwd = false;                      ///< no chain is looked for, only debug ports
  /// The image is a copy of this memory: another part, or another board by its unique ID, is refused.
  std::optional<memory::CopyOf> restores;
  bool anyPart = false;  ///< but that of another part too
  /// What becomes of an earlier run's work that did not end, where it cannot be known that it is the same board.
  enum class Earlier { Refuse, Finish, Forget } earlier = Earlier::Refuse;
  bool finishes = false;                 ///< this is the putting back of an earlier run's bytes
  std::vector<AddressRange> secret{};    ///< bytes of the image that nobody may see
  std::vector<RegisterValue> registers;  ///< SetRegisters: in this order
};
using WantedPtr = std::shared_ptr<const Wanted>;

/// What is known of the memory when planning.
struct Knowledge {
  bool isSure(const AddressRange& range) const {
    return contents != nullptr && contents->covers(range) && (sure == nullptr || sure->contains(range));
  }

  std::optional<memory::Geometry> geometry;  ///< nothing: the part was not identified yet
  const MemoryImage* contents = nullptr;     ///< what it holds, as far as that is known
  /// Where that is certain: read or confirmed since the last moment at which somebody else could have changed it.
  /// Elsewhere it is a hint, from before. Null: all of it is certain.
  const RangeSet* sure = nullptr;
  /// Hints count too: a plan to look at. One to carry out reads first what is not certain.
  bool preview = false;
  std::optional<memory::Protection> protection{};
  std::uint8_t protectionRegister = 0;        ///< what its register holds now
  std::vector<memory::Register> registers{};  ///< those that it has
  /// Blocks whose contents are not known are erased, whatever they hold, instead of read first. A kept range in one of
  /// them is then Usage.
  bool eraseUnknown = false;
  memory::Continuity continuity = memory::Continuity::First;
  bool compares = false;            ///< blocks are compared by checksum, and those that agree need not be read
  memory::ContinuityWords words{};  ///< about the route's continuity
  bool answers = false;             ///< it was asked in this session, so its bridge is there
  /// What was read in this very run; blocks in it that agree need no second look.
  RangeSet fresh;
  memory::LinkSpeed speed;
};

/// Bookkeeping only. Without a geometry the plan is to check the chain and to identify, nothing else. Throws Usage for
/// data outside the part and for planned data in kept ranges, and Refused (with the address) when noErase cannot work.
Plan makePlan(const Wanted& wanted, const Knowledge& knowledge);

/// The bytes that `wanted` asks for in this part: its image, or blank bytes where it erases, without kept ranges.
/// Throws Usage as makePlan does.
MemoryImage desiredContents(const Wanted& wanted, const memory::Geometry& geometry);

}  // namespace imprimo::plan
