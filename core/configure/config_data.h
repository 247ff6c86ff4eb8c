// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/image/isc_data.h"
#include "core/image/placement.h"

namespace imprimo::configure {

/// What goes into a device, whichever kind of file it came from.
struct ConfigData {
  enum class Format { Raw, Fuses, IscData };
  using Section = IscDataFile::Section;

  Format format = Format::Raw;
  std::string file;               ///< its name without folders
  std::string entity;             ///< the device that it says it is for; empty where it does not say
  std::vector<Section> sections;  ///< raw bits and fuses are one section without a name
  Bytes bytes;                    ///< of a raw bitstream, in the file's order
  std::optional<bool> security;   ///< a fuse file's security fuse
  std::vector<std::pair<std::string, std::string>> facts;  ///< what else it says: design, notes, header fields

  /// The bits that flows ask for by this name, null where there are none. What has no name is taken for any but
  /// USERCODE.
  const Section* section(const std::string& name) const;
  /// Puts a user code in, instead of the file's.
  void setUsercode(std::uint32_t code);
  std::uint64_t bits() const;  ///< of all sections
};

/// Reads a bitstream (raw, or any image file without gaps), a fuse file or a data file of IEEE 1532; the content
/// decides. `highBitFirst`: of each byte of a bitstream bit 7 goes first. Throws BadFile.
ConfigData readConfigData(const Placement& placement, const std::filesystem::path& folder, bool highBitFirst = true);
/// Bytes as they are.
ConfigData rawConfigData(Bytes bytes, std::string name, bool highBitFirst = true);

}  // namespace imprimo::configure
