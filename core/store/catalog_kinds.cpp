// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/store/catalog_kinds.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/amount.h"
#include "core/base/input_file.h"
#include "core/base/json_text.h"
#include "core/base/number.h"
#include "core/bsdl/boundary_description.h"
#include "core/bsdl/skim.h"
#include "core/configure/bridge_card.h"
#include "core/configure/config_card.h"
#include "core/debug/core_card.h"
#include "core/flash/part_card.h"
#include "core/image/wrapper_card.h"
#include "core/jtag/chain_expectation.h"
#include "core/packs/pack_library.h"
#include "core/probe/adapter_card.h"
#include "core/store/folders.h"
#include "core/store/user_library.h"

namespace imprimo::store {
namespace {

namespace fs = std::filesystem;

std::string codesText(const std::vector<bsdl::Pattern>& codes) {
  std::string text;
  for (const bsdl::Pattern& code : codes) text += (text.empty() ? "IDCODE " : ", ") + jtag::patternText(code);
  return text.empty() ? "no IDCODE" : text;
}

/// Only what it is found by; the rest is read when it is used.
Description bsdlFile(const fs::path& file) {
  const bsdl::Summary summary = bsdl::skim(readTextFile(file, kBsdlFile));
  if (summary.entity.empty() || summary.instructionLength == 0) bsdl::parseFile(file);  // says what is wrong
  return describe(file, summary);
}

Description partCard(const fs::path& file) {
  const flash::PartCard card = flash::readPartCard(file);
  return {DescriptionKind::PartCard, file, card.name,
          fmt::format("ID {}, {}", card.id.text(), sizeText(card.geometry.size))};
}

Description coreCard(const fs::path& file) {
  const debug::CoreCard card = debug::readCoreCard(file);
  std::string regions;
  for (const debug::CoreRegion& region : card.regions) regions += (regions.empty() ? "" : ", ") + region.name;
  return {DescriptionKind::CoreCard, file, card.name, regions, {}, card.name};
}

std::vector<std::string> algorithmsOf(const fs::path& file) {
  std::vector<std::string> names;
  for (const debug::CoreRegion& region : debug::readCoreCard(file).regions) {
    if (!region.algorithm.empty()) names.push_back(region.algorithm);
  }
  return names;
}

Description configCard(const fs::path& file) {
  const std::string text = readTextFile(file, kCardFile);
  const std::string entity = configure::entityOfCard(text).value_or("");
  const JsonText json = JsonText::parse(text, file.string());
  const JsonNode root(json);
  return {DescriptionKind::ConfigCard,
          file,
          root["name"].string(),
          "for " + (entity.empty() ? "any device" : entity),
          {},
          entity};
}

Description wrapperCard(const fs::path& file) {
  const WrapperCard card = readWrapperCard(file);
  return {DescriptionKind::WrapperCard, file, card.name, "files in a wrapper"};
}

Description adapterCard(const fs::path& file) {
  const probe::AdapterCard card = probe::readAdapterCard(file);
  return {DescriptionKind::AdapterCard, file, card.name, "MPSSE adapter"};
}

Description bridgeCard(const fs::path& file) {
  const configure::BridgeCard card = configure::readBridgeCard(file);
  return {DescriptionKind::BridgeCard,
          file,
          card.name,
          fmt::format("{}, {}, {}", codesText({card.idcode}), card.instruction, card.image),
          {card.idcode}};
}

std::vector<std::string> imageOf(const fs::path& file) {
  return {configure::readBridgeCard(file).image};
}

Description packFile(const fs::path& file) {
  return describe(packs::lookAtPack(file));
}

fs::path adapterFolder() {
  return dataFolder() / "adapters";
}

}  // namespace

std::span<const CatalogKind> catalogKinds() {
  using Kind = DescriptionKind;
  static constexpr CatalogKind kKinds[] = {
      {Kind::Bsdl, "bsdl", "BSDL file", nullptr, bsdlFile, libraryFolder, nullptr},
      {Kind::PartCard, "part", "part card", "imprimo_part", partCard, partFolder, nullptr},
      {Kind::CoreCard, "core", "core card", "core_card", coreCard, partFolder, algorithmsOf},
      {Kind::ConfigCard, "configuration", "configuration card", "imprimo_configuration", configCard, partFolder,
       nullptr},
      {Kind::WrapperCard, "wrapper", "wrapper card", "imprimo_wrapper", wrapperCard, partFolder, nullptr},
      {Kind::AdapterCard, "adapter", "adapter card", "imprimo_adapter", adapterCard, adapterFolder, nullptr},
      {Kind::BridgeCard, "bridge", "bridge card", "imprimo_bridge", bridgeCard, partFolder, imageOf},
      {Kind::Pack, "pack", "pack", nullptr, packFile, packs::packFolder, nullptr},
  };
  return kKinds;
}

const CatalogKind& kindOf(DescriptionKind kind) {
  const auto kinds = catalogKinds();
  return *std::find_if(kinds.begin(), kinds.end(), [&](const CatalogKind& each) { return each.kind == kind; });
}

Description describe(const fs::path& file, const bsdl::Summary& summary) {
  return {DescriptionKind::Bsdl, file, summary.entity, codesText(summary.idcodes), summary.idcodes, summary.entity};
}

Description describe(const packs::IndexedPack& pack) {
  return {DescriptionKind::Pack, pack.file, pack.name,
          fmt::format("{}, {}", pack.version, countText(pack.devices.size(), "device"))};
}

const CatalogKind* kindOfCard(std::string_view text) {
  for (const CatalogKind& kind : catalogKinds()) {
    if (kind.mark != nullptr && text.find(fmt::format("\"{}\"", kind.mark)) != std::string_view::npos) return &kind;
  }
  return nullptr;
}

const char* nameOf(DescriptionKind kind) {
  return kindOf(kind).name;
}

const char* keyOf(DescriptionKind kind) {
  return kindOf(kind).key;
}

}  // namespace imprimo::store
