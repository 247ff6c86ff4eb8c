// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/bit_vector.h"

namespace imprimo {

/// A data file of IEEE 1532: the bits that a part's flows ask for, by the names of data.
struct IscDataFile {
  struct Section {
    std::string name;                  ///< as in the file
    BitVector bits;                    ///< all rows, the last digit of each first
    std::vector<std::uint32_t> rows;   ///< how many bits each has
    std::vector<int> lines;            ///< where each stands
    std::optional<std::uint32_t> crc;  ///< of what the part gives back
  };
  std::string standard;                                    ///< STD_1532_2001, STD_1532_2002
  std::string entity;                                      ///< of the BSDL file that it is for
  std::vector<std::pair<std::string, std::string>> facts;  ///< header lines: word and the rest
  std::vector<Section> sections;

  const Section* section(std::string_view name) const;  ///< case does not matter
};

bool looksLikeIscData(std::string_view text);

/// docs/formats/isc-data.md has the grammar. Throws BadFile "NAME:LINE:COLUMN: ...".
IscDataFile parseIscData(std::string_view text, const std::string& name);

/// The check sum of captured bits (CRC-32 of IEEE 802.3 over bytes of eight bits each, the first captured bit the
/// lowest; zeros fill the last byte).
std::uint32_t iscCrc(const BitVector& bits);

}  // namespace imprimo
