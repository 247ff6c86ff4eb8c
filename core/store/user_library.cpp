// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/store/user_library.h"

#include <algorithm>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/bsdl/lexer.h"
#include "core/configure/config_card.h"
#include "core/store/folders.h"
#include "core/store/shared_folders.h"

namespace imprimo::store {

std::filesystem::path libraryFolder() {
  return dataFolder() / "library";
}

bsdl::Library openLibrary(const std::vector<std::string>& more) {
  bsdl::Library library(cacheFolder() / "bsdl-index");
  for (const std::string& folder : more) library.addFolder(folder);
  std::error_code ignored;
  if (std::filesystem::is_directory(libraryFolder(), ignored)) library.addFolder(libraryFolder());
  for (const std::filesystem::path& folder : foldersInShared()) library.addFolder(folder);
  library.keepCache();
  return library;
}

std::filesystem::path addToLibrary(const std::filesystem::path& file) {
  const std::string text = readTextFile(file, kBsdlFile);
  std::error_code ignored;
  std::filesystem::create_directories(libraryFolder(), ignored);
  const std::string extension = file.extension() == ".bsdl" ? ".bsdl" : ".bsd";
  for (int n = 1;; ++n) {
    const std::string number = n == 1 ? "" : "-" + std::to_string(n);
    std::filesystem::path place = libraryFolder() / file.stem();
    place += number;
    place += extension;
    if (!std::filesystem::exists(place, ignored)) {
      writeFileAtomically(place, text);
      return place;
    }
    if (readTextFile(place, kBsdlFile) == text) return place;
  }
}

std::filesystem::path partFolder() {
  return dataFolder() / "parts";
}

namespace {

/// The JSON files of the user's folder of parts and of `more`, folder by folder, by name.
std::vector<std::filesystem::path> cardFiles(const std::vector<std::string>& more) {
  constexpr std::uintmax_t kMostCardBytes = 1 << 20;
  std::vector<std::filesystem::path> folders{partFolder()};
  folders.insert(folders.end(), more.begin(), more.end());
  const std::vector<std::filesystem::path> shared = foldersInShared();
  folders.insert(folders.end(), shared.begin(), shared.end());
  std::vector<std::filesystem::path> all;
  for (const std::filesystem::path& folder : folders) {
    std::vector<std::filesystem::path> files;
    std::error_code none;
    for (const auto& entry : std::filesystem::directory_iterator(folder, none)) {
      if (entry.path().extension() == ".json" && entry.file_size(none) <= kMostCardBytes) files.push_back(entry.path());
    }
    std::sort(files.begin(), files.end());
    all.insert(all.end(), files.begin(), files.end());
  }
  return all;
}

}  // namespace

std::optional<flash::PartCard> findPartCard(const flash::FlashId& id, const std::vector<std::string>& more) {
  for (const std::filesystem::path& file : cardFiles(more)) {
    try {
      flash::PartCard card = flash::readPartCard(file);
      if (card.id == id) return card;
    } catch (const Error&) {
      // Other descriptions live in these folders too.
    }
  }
  return std::nullopt;
}

std::optional<std::pair<std::string, std::string>> findConfigCard(const std::string& entity,
                                                                  const std::vector<std::string>& more) {
  for (const std::filesystem::path& file : cardFiles(more)) {
    try {
      std::string text = readTextFile(file, kCardFile);
      const auto part = configure::entityOfCard(text);
      if (part && bsdl::sameWord(*part, entity)) return std::pair{file.string(), std::move(text)};
    } catch (const Error&) {
      // What cannot be read is not found.
    }
  }
  return std::nullopt;
}

}  // namespace imprimo::store
