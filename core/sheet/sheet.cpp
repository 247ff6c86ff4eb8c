// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sheet/sheet.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/image/sync_word.h"
#include "core/sheet/sheet_paths.h"

namespace imprimo::sheet {

const MemoryEntry& Sheet::memory(const std::string& name) const {
  const auto it = std::find_if(memories.begin(), memories.end(), [&](const MemoryEntry& m) { return m.name == name; });
  if (it != memories.end()) return *it;
  std::string names;
  for (const MemoryEntry& m : memories) names += (names.empty() ? "" : ", ") + m.name;
  throw Error(ErrorKind::Usage, fmt::format("the sheet has no memory '{}'", name),
              names.empty() ? "It has none at all." : fmt::format("It has: {}.", names));
}

std::vector<AddressRange> Sheet::keptIn(const std::string& memory) const {
  std::vector<AddressRange> ranges;
  for (const Keep& k : keep) {
    if (k.memory == memory) ranges.push_back(k.range);
  }
  return ranges;
}

std::vector<AddressRange> Sheet::listedToErase(const std::string& memory) const {
  std::vector<AddressRange> ranges;
  for (const EraseRange& r : erase) {
    if (r.memory == memory) ranges.push_back(r.range);
  }
  return ranges;
}

std::vector<Edit> Sheet::editsIn(const std::string& memory) const {
  std::vector<Edit> list;
  std::copy_if(edits.begin(), edits.end(), std::back_inserter(list), [&](const Edit& e) { return e.memory == memory; });
  return list;
}

std::vector<UnitBytes> Sheet::unitBytesIn(const std::string& memory) const {
  std::vector<UnitBytes> list;
  std::copy_if(unitBytes.begin(), unitBytes.end(), std::back_inserter(list),
               [&](const UnitBytes& bytes) { return bytes.memory == memory; });
  return list;
}

Bytes Bookmark::expected() const {
  constexpr std::string_view kText = "text:";
  if (!expect) return {};
  if (expect->starts_with(kText)) return {expect->begin() + kText.size(), expect->end()};
  return parseByteDigits(*expect).value_or(Bytes{});
}

std::vector<Placement> Sheet::placementsIn(const std::string& memory) const {
  std::vector<Placement> list;
  std::copy_if(placements.begin(), placements.end(), std::back_inserter(list),
               [&](const Placement& p) { return p.memory == memory; });
  return list;
}

const Configuration* Sheet::configurationOf(const std::string& device) const {
  const auto it = std::find_if(configurations.begin(), configurations.end(),
                               [&](const Configuration& c) { return c.device == device; });
  return it == configurations.end() ? nullptr : &*it;
}

std::vector<SumPlacement> Sheet::sumsIn(const std::string& memory) const {
  std::vector<SumPlacement> list;
  std::copy_if(sums.begin(), sums.end(), std::back_inserter(list),
               [&](const SumPlacement& s) { return s.memory == memory; });
  return list;
}

const CoreEntry& Sheet::core(const std::string& name) const {
  std::string names;
  for (const CoreEntry& core : cores) {
    if (core.name == name) return core;
    names += (names.empty() ? "" : ", ") + core.name;
  }
  throw Error(ErrorKind::Usage, fmt::format("the sheet has no core named {}", name),
              names.empty() ? "It has no cores." : "It has " + names + ".");
}

bool Sheet::onlySwd() const {
  return chain.empty() && !cores.empty();
}

std::vector<std::filesystem::path> inputFiles(const Sheet& sheet) {
  std::vector<std::filesystem::path> files;
  if (!sheet.path.empty()) files.push_back(sheet.path);
  nlohmann::ordered_json root = sheetJson(sheet);
  forEachPath(root, sheet.folder(), [&](const std::string& file, const std::string&, bool isPath) {
    if (isPath && !file.empty()) files.push_back(sheet.folder() / file);
  });
  return files;
}

void describeDevice(Sheet& sheet, std::size_t position, const std::filesystem::path& file) {
  Device& device = sheet.chain.at(position - 1);
  auto description = std::make_shared<const bsdl::BoundaryDescription>(bsdl::parseFile(file));
  for (const bsdl::Pattern& own : device.idcodes) {
    const bool fits =
        std::any_of(description->idcodes.begin(), description->idcodes.end(),
                    [&](const bsdl::Pattern& p) { return ((p.value ^ own.value) & p.mask & own.mask) == 0; });
    if (fits || description->idcodes.empty()) continue;
    throw Error(ErrorKind::ChainMismatch,
                fmt::format("{} describes {}, and part {} ({}) is another: its IDCODE is {}", file.filename().string(),
                            description->entity, position, device.name, hexIdcode(own.value)),
                "Nothing was changed. Open the BSDL file of that part, or correct the sheet's chain.");
  }
  std::error_code ignored;
  const auto relative = std::filesystem::proximate(file, sheet.folder(), ignored);
  device.bsdlFile =
      sheet.path.empty() || relative.empty() ? std::filesystem::absolute(file).string() : relative.string();
  device.irLength = description->instructionLength;
  device.lengthAssumed = false;
  if (device.idcodes.empty()) device.idcodes = description->idcodes;
  device.description = std::move(description);
}

}  // namespace imprimo::sheet
