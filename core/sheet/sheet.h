// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <memory>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "core/base/address_range.h"
#include "core/bsdl/boundary_description.h"
#include "core/image/placement.h"
#include "core/sheet/core_entry.h"
#include "core/sheet/pin_label.h"
#include "core/sheet/route.h"

namespace imprimo::units {
struct Definition;
}

namespace imprimo::sheet {

/// A device that is expected on the chain.
struct Device {
  std::string name;
  std::uint32_t irLength = 0;
  bool lengthAssumed = false;          ///< a length that only fits the sum: the device can be passed by and no more
  std::vector<bsdl::Pattern> idcodes;  ///< the sheet's own, or else the BSDL's
  std::string bsdlFile;                ///< as the sheet has it; empty: none
  std::string configCard;              ///< a configuration card's file; empty: none named
  ReferredFrom configCardFrom;
  std::shared_ptr<const bsdl::BoundaryDescription> description;  ///< null where the sheet gives only ir_length
};

/// A file that goes into a device itself.
struct Configuration {
  std::string device;
  Placement file;
  friend bool operator==(const Configuration&, const Configuration&) = default;
};

struct MemoryEntry {
  std::string name;
  std::string type = "spi-nor";         ///< one of memoryTypes()
  std::optional<std::string> partCard;  ///< a part card's file
  ReferredFrom partCardFrom;
  RoutePtr route;                        ///< never null in a sheet that was read
  std::optional<std::uint32_t> clockHz;  ///< where it bears less than the chain
  Bytes sync;                            ///< how a bitstream in it begins, as it is stored; empty: not known
  std::optional<std::uint64_t> boot;     ///< an address in the block that makes the device bootable
  std::string lastSeen;                  ///< a part card as JSON text; empty without one
};

struct Keep {
  std::string memory;
  AddressRange range;
  friend bool operator==(const Keep&, const Keep&) = default;
};

/// Bytes written over whatever the files put there.
struct Edit {
  std::string memory;
  std::uint64_t at = 0;
  Bytes bytes;
  friend bool operator==(const Edit&, const Edit&) = default;
};

/// Bytes that the unit of a run has and others have not; in no sheet's file.
struct UnitBytes {
  std::string field;
  std::string memory;
  std::uint64_t at = 0;
  Bytes bytes;
  bool secret = false;
  AddressRange range() const { return {at, at + bytes.size()}; }
};

/// A range that is erased by name of the sheet: "erase what is listed".
using EraseRange = Keep;

struct Bookmark {
  std::string memory;
  std::uint64_t at = 0;
  std::string name;
  std::optional<std::string> expect;  ///< as written: hex bytes or "text:…"
  /// The bytes that `expect` means; empty without one.
  Bytes expected() const;
  friend bool operator==(const Bookmark&, const Bookmark&) = default;
};

/// The job sheet, version 1.
struct Sheet {
  std::filesystem::path path;  ///< empty until it was saved
  std::string title;
  std::optional<std::uint32_t> clockHz;
  std::optional<std::uint32_t> waitSeconds;  ///< how long a run waits for power and chain; nothing: not at all
  std::vector<Device> chain;
  std::vector<CoreEntry> cores;
  std::vector<MemoryEntry> memories;
  std::vector<Placement> placements;
  std::vector<Configuration> configurations;
  std::vector<SumPlacement> sums;
  std::vector<Edit> edits;
  std::vector<Keep> keep;
  std::vector<EraseRange> erase;
  std::vector<Bookmark> bookmarks;
  std::vector<PinLabel> pins;
  bool restartAfter = false;
  std::shared_ptr<const units::Definition> units;  ///< null: its units have nothing of their own
  std::vector<UnitBytes> unitBytes;                ///< of the unit that a run is for

  std::vector<std::string> warnings;                     ///< unknown keys, which are kept
  std::shared_ptr<const nlohmann::ordered_json> source;  ///< what was read, so that saving keeps the rest
  std::shared_ptr<const std::string> layout;             ///< its text: saving keeps how it is written

  /// Where relative paths start.
  std::filesystem::path folder() const { return path.empty() ? std::filesystem::path(".") : path.parent_path(); }
  /// Throws Usage naming the memories that there are.
  const MemoryEntry& memory(const std::string& name) const;
  /// Throws Usage naming the cores that there are.
  const CoreEntry& core(const std::string& name) const;
  /// Whether all that the sheet has is reached by Serial Wire Debug, so that no chain is looked for.
  bool onlySwd() const;
  std::vector<AddressRange> keptIn(const std::string& memory) const;
  /// The file that the sheet has for a device; null where it has none.
  const Configuration* configurationOf(const std::string& device) const;
  std::vector<Edit> editsIn(const std::string& memory) const;
  std::vector<AddressRange> listedToErase(const std::string& memory) const;
  std::vector<Placement> placementsIn(const std::string& memory) const;
  std::vector<SumPlacement> sumsIn(const std::string& memory) const;
  std::vector<UnitBytes> unitBytesIn(const std::string& memory) const;
};

/// A file that a value names cannot be read, or is not what it should be.
class BadReference : public Error {
 public:
  BadReference(const Error& error, std::string path) : Error(error), path_(std::move(path)) {}
  const std::string& path() const { return path_; }  ///< of the value: "chain[0].bsdl"

 private:
  std::string path_;
};

/// Reads a sheet and the BSDL files it names. Throws BadFile: "FILE:LINE: memories[1].route.cs: …"; as BadValue or
/// BadReference where it is one value.
Sheet readSheet(const std::filesystem::path& path);
/// Descriptions that `known` has are not read again.
Sheet parseSheet(std::string_view text, const std::filesystem::path& path, const Sheet* known = nullptr);

/// The sheet's own file and all that it names, as paths that can be opened from here.
std::vector<std::filesystem::path> inputFiles(const Sheet& sheet);

/// Gives a device a description: from now on the sheet names this file. Throws BadFile, and ChainMismatch when the file
/// is for another device than the sheet's IDCODE.
void describeDevice(Sheet& sheet, std::size_t position, const std::filesystem::path& file);

/// The sheet as JSON: what was read, with devices, clocks, placements, bookmarks and last_seen as they are now.
nlohmann::ordered_json sheetJson(const Sheet& sheet);
/// The same as text, written as it was where it did not change.
std::string sheetText(const Sheet& sheet);
/// Writes it to sheet.path. Throws CannotWrite; then the old file is still there.
void saveSheet(const Sheet& sheet);

/// The sheet for another place: paths that start at its folder are written anew, so that they lead to the same files.
Sheet movedTo(Sheet sheet, const std::filesystem::path& path);

/// A sheet for devices that were found on a chain and nothing else: ir_length and idcode of each.
struct FoundForSheet {
  std::string name;
  std::optional<std::uint32_t> idcode;
  std::optional<std::uint32_t> mask;  ///< which bits of it matter; all without one
  std::uint32_t irLength = 0;
  std::string bsdl;  ///< file, empty without one
  bool lengthAssumed = false;
};
std::string sheetTextFor(const std::string& title, const std::vector<FoundForSheet>& devices);

/// A sheet with one core on SWD, a chip of a pack in the user's library, and its regions as memories.
struct ChipForSheet {
  struct Region {
    std::string name;
    bool flash = false;
  };
  std::string pack, name;
  std::string card{};                     ///< stands in the sheet instead of the pack
  std::uint32_t ap = 0;                   ///< number of its access port, with a card
  std::optional<std::uint32_t> target{};  ///< TARGETSEL
  std::vector<Region> regions{};
};
std::string sheetTextForChip(const std::string& title, const ChipForSheet& chip);

}  // namespace imprimo::sheet
