// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <span>

#include "core/bsdl/skim.h"
#include "core/packs/pack_library.h"
#include "core/store/catalog.h"

namespace imprimo::store {

/// One kind of description: how it is known, what is read of it, and where the user's own are kept.
struct CatalogKind {
  DescriptionKind kind;
  const char* key;
  const char* name;
  /// Of a card: the key that only cards of this kind have. Null for what is no JSON.
  const char* mark;
  /// Reads it. Throws BadFile.
  Description (*read)(const std::filesystem::path& file);
  std::filesystem::path (*folder)();
  /// Files that it names, relative to it; they go where it goes. Null: it names none.
  std::vector<std::string> (*names)(const std::filesystem::path& file);
};

std::span<const CatalogKind> catalogKinds();
const CatalogKind& kindOf(DescriptionKind kind);
Description describe(const std::filesystem::path& file, const bsdl::Summary& summary);
Description describe(const packs::IndexedPack& pack);
/// The kind of a card's text, by its mark; null where it is none.
const CatalogKind* kindOfCard(std::string_view text);

}  // namespace imprimo::store
