// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

#include "core/bsdl/boundary_description.h"

namespace imprimo::bsdl {

/// Descriptions from folders, found by IDCODE.
class Library {
 public:
  /// Reads all *.bsd and *.bsdl files of a folder (not of folders in it), in the order of their names. What cannot be
  /// read becomes a warning. Throws BadFile when there is no such folder.
  void addFolder(const std::filesystem::path& folder);

  /// The first that fits, null when none does.
  const BoundaryDescription* find(std::uint32_t idcode) const;
  /// The file that the first that fits was read from; empty when none does.
  std::filesystem::path fileFor(std::uint32_t idcode) const;
  const std::vector<std::string>& warnings() const { return warnings_; }

 private:
  struct Entry {
    BoundaryDescription part;
    std::filesystem::path file;
  };
  const Entry* entry(std::uint32_t idcode) const;

  std::vector<Entry> parts_;
  std::vector<std::string> warnings_;
};

}  // namespace imprimo::bsdl
