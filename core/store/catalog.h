// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/bsdl/boundary_description.h"

namespace imprimo::store {

/// What a user's library holds. Each kind has a row in catalog_kinds.cpp.
enum class DescriptionKind { Bsdl, PartCard, CoreCard, ConfigCard, WrapperCard, AdapterCard, BridgeCard, Pack };

/// One file of the library.
struct Description {
  DescriptionKind kind = DescriptionKind::Bsdl;
  std::filesystem::path file;
  std::string name;                      ///< entity, or what the card calls itself
  std::string says;                      ///< for people: "IDCODE 0x?1f40affd", "ID 0x7e4017, 8 MiB"
  std::vector<bsdl::Pattern> idcodes{};  ///< of devices that it is for
  std::string entity{};                  ///< of the device that it is for, where it says so
  bool copy = false;                     ///< another one before it holds the same
  bool own = false;                      ///< in the user's own folder, and not in a shared one
};

/// "BSDL file", "part card".
const char* nameOf(DescriptionKind kind);
/// "bsdl", "part": for machines.
const char* keyOf(DescriptionKind kind);

/// What a file is, by what it holds. Nothing where it is none of these. Throws BadFile where it is one and is wrong.
std::optional<Description> recognise(const std::filesystem::path& file);

/// All that the user has: own folders and shared ones.
class Catalog {
 public:
  const std::vector<Description>& all() const { return all_; }
  /// Folders that are not there, and files that are not right.
  const std::vector<std::string>& warnings() const { return warnings_; }
  /// Those for a device that answers with this IDCODE.
  std::vector<Description> forIdcode(std::uint32_t idcode) const;
  /// The BSDL files of those: of several the ones whose pattern has the most bits that matter, each content once.
  std::vector<Description> bsdlFor(std::uint32_t idcode) const;
  /// Those whose kind, name, file name or words have all words of `text`, case ignored.
  std::vector<Description> search(const std::string& text) const;

 private:
  friend Catalog openCatalog(const std::vector<std::string>& more);
  std::vector<Description> all_;
  std::vector<std::string> warnings_;
};
/// With the folders `more` beside the user's. Never throws for what a folder or a file is.
Catalog openCatalog(const std::vector<std::string>& more = {});

/// What came of adding a file.
struct Added {
  Description description;  ///< as it is in the library now
  bool there = false;       ///< it was there already
};
/// Copies a file into the user's own folder for its kind, with the files that it names. Throws BadFile for one that is
/// none of these kinds or is wrong, CannotWrite.
Added addDescription(const std::filesystem::path& file);
/// Takes one out of the user's own folder. Throws Refused for one of a shared folder, CannotWrite.
void removeDescription(const Description& description);

}  // namespace imprimo::store
