// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/base/bytes.h"

namespace imprimo::debug {

/// Sectors of one size, from `offset` of the device on.
struct AlgorithmSectors {
  std::uint32_t size = 0, offset = 0;
};

/// A flash algorithm of the CMSIS-Pack kind (Open-CMSIS-Pack, Flash Programming): an ELF whose functions erase and
/// program one flash device, in position-independent code, and what it says of the device.
struct FlashAlgorithm {
  std::string file;  ///< for messages
  std::string device;
  std::uint32_t address = 0, size = 0, page = 0;
  std::uint8_t empty = 0xFF;
  bool outside = false;  ///< beside the chip: it may be out of the address space while a use is open
  std::uint32_t programMs = 0, eraseMs = 0;  ///< longest, for a page and for a sector
  std::vector<AlgorithmSectors> sectors;     ///< by offset, the first at 0

  Bytes code;                    ///< from the load address on, its static data with it
  std::uint32_t staticBase = 0;  ///< offset of the data that r9 points to
  std::uint32_t init = 0, uninit = 0, eraseSector = 0, programPage = 0;  ///< offsets
  std::optional<std::uint32_t> eraseChip, blankCheck, verify;
};

/// Throws BadFile for what is no algorithm, saying what it lacks.
FlashAlgorithm parseFlashAlgorithm(ByteSpan elf, const std::string& name);
FlashAlgorithm readFlashAlgorithm(const std::filesystem::path& path);

}  // namespace imprimo::debug
