// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/bsdl/boundary_description.h"

namespace imprimo::pins {

/// What is at a pin, or driven there; nothing: let go.
using Level = std::optional<bool>;

/// One port of a device as its boundary register has it: an element of a vector is one of its own.
struct BoundaryPort {
  enum class Kind : std::uint8_t { In, Out, InOut };
  /// The cell that switches a driver off.
  struct Enable {
    std::uint32_t cell = 0;
    bool off = false;      ///< at this level
    std::string result{};  ///< what is at the pin then: Z, PULL1, WEAK0 and so on
  };
  std::string name;  ///< as the description has it: "IO(12)"
  std::string pin;   ///< of the default pin map; empty where there is none
  Kind kind = Kind::In;
  std::optional<std::uint32_t> input;   ///< the cell that takes the pin's level
  std::optional<std::uint32_t> output;  ///< the cell that has what is driven
  std::optional<Enable> enable;         ///< of the output; nothing: it is always driven
  bool sharesInput = false;             ///< input and output are one cell, which takes what is driven while it drives
  /// An open drain or source: the output cell is its own enable, and one of its levels is letting go.
  bool isOpen() const { return output && enable && enable->cell == *output; }
};

/// The boundary register of a device, as ports.
struct BoundaryPorts {
  std::uint32_t length = 0;         ///< cells
  std::vector<BoundaryPort> ports;  ///< in the order in which the description declares them
  std::vector<char> safe;           ///< of each cell: '0', '1' or 'X'
  std::vector<bool> isControl;      ///< of each cell
  /// Index into `ports`. Case does not matter. Throws Usage where there is no such port, saying what it is instead if
  /// it is one without a cell: supply, TAP, compliance.
  std::size_t at(const std::string& name) const;

  /// A port without a cell.
  struct Other {
    std::string name, pin;
    std::string what;  ///< why: "a supply pin or one that boundary scan does not reach"
    BoundaryPort::Kind kind = BoundaryPort::Kind::In;
  };
  std::vector<Other> others;
  /// Null where there is none of that name; case does not matter.
  const Other* other(const std::string& name) const;
};

/// Throws BadFile where the description has no boundary register that can be used, with its reason.
BoundaryPorts boundaryPorts(const bsdl::BoundaryDescription& description);

}  // namespace imprimo::pins
