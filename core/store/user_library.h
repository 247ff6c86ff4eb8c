// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/bsdl/library.h"
#include "core/flash/part_card.h"

namespace imprimo::store {

/// Where the user's own BSDL files are kept.
std::filesystem::path libraryFolder();

/// The user's BSDL files and those of shared and `more` folders, with the index in the cache. Throws BadFile for a
/// folder that cannot be read; what is wrong with single files is in the library's warnings.
bsdl::Library openLibrary(const std::vector<std::string>& more = {});

/// Where the user's own part cards are kept.
std::filesystem::path partFolder();

/// The card for a part with this ID, from the user's cards and those of shared and `more` folders; the first by name.
/// Files that are no cards, or cannot be read, are passed over.
std::optional<flash::PartCard> findPartCard(const flash::FlashId& id, const std::vector<std::string>& more = {});

/// The same for configuration cards: the first one that is for a part with this BSDL entity, as file name and text.
std::optional<std::pair<std::string, std::string>> findConfigCard(const std::string& entity,
                                                                  const std::vector<std::string>& more = {});

/// Copies a BSDL file into the user's library, so that its part is known from now on; a file of the same name and
/// content is there already. Returns where it is now. Throws BadFile, CannotWrite.
std::filesystem::path addToLibrary(const std::filesystem::path& file);

}  // namespace imprimo::store
