// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/base/error.h"
#include "core/bsdl/boundary_description.h"
#include "core/jtag/instruction_lengths.h"
#include "core/jtag/jtag_port.h"

namespace imprimo::jtag {

struct FoundDevice {
  std::optional<std::uint32_t> idcode;  ///< nothing: it answered with BYPASS after the reset
  LengthBounds irLength;
  std::string name;                  ///< the description's entity; empty without one
  std::vector<std::string> remarks;  ///< what is odd about it, in sentences without a full stop
};

/// What answers on a chain. Position 1, next to TDI, is devices[0].
struct FoundChain {
  std::vector<FoundDevice> devices;
  std::uint32_t irTotal = 0;
  BitVector irCapture;  ///< what Capture-IR left, in wire order
};

/// The chain does not hold together. What could be found all the same comes along.
class BrokenChain : public Error {
 public:
  enum class How {
    TdoLow,     ///< TDO stays at 0
    TdoHigh,    ///< TDO stays at 1
    NoDevices,  ///< TDI comes straight back
    Cut,        ///< the devices nearest TDO answer, and nothing comes through to them
    Unsteady,   ///< bits change on their way
    Disagrees,  ///< answers contradict one another
  };
  BrokenChain(How how, const std::string& sentence, const std::string& remedy)
      : Error(ErrorKind::BrokenChain, sentence, remedy), how_(how) {}

  How how() const { return how_; }
  /// There is no sign of life at all: no power, no cable, or everything held in reset.
  bool dead() const { return how_ == How::TdoLow || how_ == How::TdoHigh; }

  std::vector<FoundDevice> nearTdo;        ///< those that answer, the last one next to TDO; lengths are not known
  bool maybeMore = false;                  ///< devices without IDCODE in front of them may answer as well
  std::optional<std::size_t> breakBehind;  ///< the position it is cut behind (0: TDI), where a sheet tells how many
                                           ///< devices there should be
 private:
  How how_;
};

/// Finds a description for an IDCODE, null when there is none.
using Describe = std::function<const bsdl::BoundaryDescription*(std::uint32_t idcode)>;

/// Finds out what is on a chain of up to 255 devices with up to 8192 instruction bits, without knowing anything of it.
/// First the data registers as a reset leaves them are shifted through; only when what goes in at TDI is seen to come
/// out at TDO, instructions are, because nothing but all ones may pass Update-IR: other codes may drive pins. Leaves
/// all devices in BYPASS and Run-Test/Idle. Throws BrokenChain saying what TDO does and what that means.
FoundChain examine(JtagPort& port, const Describe& describe);

}  // namespace imprimo::jtag
