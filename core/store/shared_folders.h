// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace imprimo::store {

/// Folders, on a shared drive perhaps, that are looked through beside the user's own; in the order they were added.
std::vector<std::string> sharedFolders();
/// They and the folders in them, four deep; what is not there is left out.
std::vector<std::filesystem::path> foldersInShared();
/// Throws BadFile where there is no such folder, CannotWrite. One that is there already is not added twice.
void addSharedFolder(const std::filesystem::path& folder);
/// Throws CannotWrite. The folder itself is not touched.
void removeSharedFolder(const std::filesystem::path& folder);

}  // namespace imprimo::store
