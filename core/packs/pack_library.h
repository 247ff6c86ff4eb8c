// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "core/packs/pack_description.h"

namespace imprimo::packs {

struct IndexedPack {
  std::filesystem::path file;
  std::uintmax_t size = 0;
  std::int64_t time = 0;  ///< of its last change, as the file system counts it
  std::string vendor, name, version;
  std::vector<ListedDevice> devices;
};

/// Where the user's packs are kept.
std::filesystem::path packFolder();

/// The packs of a folder, with an index of their devices in a cache that is believed as long as a pack's size and time
/// are the same.
class PackLibrary {
 public:
  explicit PackLibrary(const std::filesystem::path& folder = packFolder());

  const std::vector<IndexedPack>& packs() const { return packs_; }
  const std::vector<std::string>& warnings() const { return warnings_; }  ///< packs that cannot be read
  /// Packs that were opened because the index did not know them as they are now.
  std::size_t opened() const { return opened_; }

  struct Found {
    const IndexedPack* pack = nullptr;
    const ListedDevice* device = nullptr;
  };
  /// Devices whose name, families or maker have all words of `text`, case ignored; those whose name begins with it
  /// first.
  std::vector<Found> find(const std::string& text) const;
  /// Devices whose debug port says of itself what this TARGETID does.
  std::vector<Found> fitting(std::optional<std::uint32_t> targetId) const;

 private:
  void keepIndex(const std::filesystem::path& index) const;

  std::vector<IndexedPack> packs_;
  std::vector<std::string> warnings_;
  std::size_t opened_ = 0;
};

/// The description of one pack's file. Throws BadFile.
IndexedPack lookAtPack(const std::filesystem::path& file);

/// Copies a pack into the folder, under the name that the standard gives it (maker, name and version), and says what it
/// is. Throws BadFile, CannotWrite.
IndexedPack addPack(const std::filesystem::path& file, const std::filesystem::path& folder = packFolder());

/// The pack that a sheet in `sheetFolder` means: a file, or by its name alone one of the user's library, with or
/// without
/// ".pack" at its end.
std::filesystem::path findPack(const std::string& pack, const std::filesystem::path& sheetFolder);

}  // namespace imprimo::packs
