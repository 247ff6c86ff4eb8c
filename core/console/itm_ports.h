// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/console/itm_stream.h"
#include "core/console/source.h"

namespace imprimo::console {

/// What a stimulus port carries.
struct ItmPort {
  enum class As : std::uint8_t { ByWidth, Text, Unsigned, Signed, Hex, Float };
  std::string name{};   ///< of a number in its line; empty: "itm3"
  As as = As::ByWidth;  ///< ByWidth: bytes are text, wider ones are unsigned numbers
  friend bool operator==(const ItmPort&, const ItmPort&) = default;
};
/// By their numbers, 0 to 31; those that are left out are ByWidth.
using ItmPorts = std::map<unsigned, ItmPort>;

/// Nothing where there is no such word: "text", "unsigned", "signed", "hex", "float".
std::optional<ItmPort::As> itmPortAs(const std::string& word);

/// What was written to the ports, in the order in which each began: text as it came, numbers as lines "level=1472".
std::vector<Heard> itmHeard(const std::vector<ItmStream::Written>& writes, const ItmPorts& ports);

}  // namespace imprimo::console
