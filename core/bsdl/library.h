// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "core/bsdl/boundary_description.h"
#include "core/bsdl/skim.h"

namespace imprimo::bsdl {

/// Descriptions from folders, found by IDCODE. Files are only skimmed for what they are found by; one is parsed when
/// its device is asked for.
class Library {
 public:
  /// One that fits an IDCODE.
  struct Candidate {
    std::filesystem::path file;
    std::string entity;
    std::uint32_t instructionLength = 0;
    int significantBits = 0;  ///< of the IDCODE pattern that fits
  };

  /// With a cache file, what was skimmed is kept there and believed as long as a file's size and time are the same.
  explicit Library(std::filesystem::path cacheFile = {});

  /// Skims all *.bsd and *.bsdl files of a folder (not of folders in it). What cannot be read becomes a warning.
  /// Throws BadFile when there is no such folder.
  void addFolder(const std::filesystem::path& folder);
  /// One more file, before all others that fit as well. Parses it; throws BadFile.
  std::shared_ptr<const BoundaryDescription> addFile(const std::filesystem::path& file);
  /// Writes the cache where something in it is new. A cache that cannot be written is done without.
  void keepCache();

  /// All that fit, those with the most significant bits first, then by name. Of several that differ only in names, pins
  /// and package, one is left.
  std::vector<Candidate> candidates(std::uint32_t idcode) const;
  /// The description, if just one is left or all that are left have been settled by addFile(); null otherwise.
  const BoundaryDescription* find(std::uint32_t idcode) const;
  /// Its file; empty when find() is null.
  std::filesystem::path fileFor(std::uint32_t idcode) const;
  /// Parses on first use; null, with a warning, for a file that is not right.
  std::shared_ptr<const BoundaryDescription> description(const std::filesystem::path& file) const;

  std::size_t size() const { return entries_.size(); }
  /// All of them, folder by folder, by name.
  struct Listed {
    std::filesystem::path file;
    Summary summary;
  };
  std::vector<Listed> listed() const;
  /// Files that were read because the cache did not know them as they are now.
  std::size_t skimmed() const { return skimmed_; }
  const std::vector<std::string>& warnings() const { return warnings_; }

 private:
  struct Entry {
    std::filesystem::path file;
    Summary summary;
    bool chosen = false;  ///< by the user
  };
  struct Cached {
    std::uint64_t size = 0;
    std::int64_t changed = 0;
    Summary summary;
  };
  void readCache();
  Summary summaryOf(const std::filesystem::directory_entry& entry);

  std::filesystem::path cacheFile_;
  std::map<std::string, Cached> cache_;
  bool cacheChanged_ = false;
  std::size_t skimmed_ = 0;
  std::vector<Entry> entries_;
  mutable std::map<std::filesystem::path, std::shared_ptr<const BoundaryDescription>> parsed_;
  mutable std::vector<std::string> warnings_;
};

}  // namespace imprimo::bsdl
