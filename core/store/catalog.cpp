// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/store/catalog.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <map>
#include <set>
#include <sstream>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/letter_case.h"
#include "core/packs/pack_library.h"
#include "core/store/catalog_kinds.h"
#include "core/store/folders.h"
#include "core/store/shared_folders.h"
#include "core/store/user_library.h"

namespace imprimo::store {
namespace {

namespace fs = std::filesystem;

constexpr std::uintmax_t kMostCardBytes = 1 << 20;

std::string extensionOf(const fs::path& file) {
  return lowered(file.extension().string());
}

/// The kind of a file by what it holds, its name's end being only where to look; null where it is none.
const CatalogKind* lookAt(const fs::path& file) {
  const std::string extension = extensionOf(file);
  if (extension == ".pack") return &kindOf(DescriptionKind::Pack);
  std::error_code none;
  const bool small = fs::file_size(file, none) <= kMostCardBytes;
  if (extension == ".json") return small && !none ? kindOfCard(readTextFile(file, kCardFile)) : nullptr;
  if (extension == ".bsd" || extension == ".bsdl") return &kindOf(DescriptionKind::Bsdl);
  // Some makers give their BSDL files other names.
  if (none || !small) return nullptr;
  const std::string text = readTextFile(file, kCardFile);
  const bsdl::Summary summary = bsdl::skim(text);
  return !summary.entity.empty() && summary.instructionLength > 0 ? &kindOf(DescriptionKind::Bsdl) : nullptr;
}

/// The JSON files of a folder, by name.
std::vector<fs::path> cardsIn(const fs::path& folder) {
  std::vector<fs::path> files;
  std::error_code none;
  for (const auto& entry : fs::directory_iterator(folder, none)) {
    std::error_code odd;
    if (extensionOf(entry.path()) == ".json" && entry.file_size(odd) <= kMostCardBytes) files.push_back(entry.path());
  }
  std::sort(files.begin(), files.end());
  return files;
}

/// A place in a folder for a file of this name and content; the same file may be there already.
std::pair<fs::path, bool> placeFor(const fs::path& folder, const fs::path& name, const Bytes& bytes) {
  std::error_code ignored;
  for (int n = 1;; ++n) {
    const std::string number = n == 1 ? "" : "-" + std::to_string(n);
    const fs::path place = folder / (name.stem().string() + number + name.extension().string());
    if (!fs::exists(place, ignored)) return {place, false};
    if (fs::file_size(place, ignored) == bytes.size() && readFile(place) == bytes) return {place, true};
  }
}

bool sameContent(const fs::path& a, const fs::path& b) {
  std::error_code none;
  try {
    return fs::file_size(a, none) == fs::file_size(b, none) && readFile(a) == readFile(b);
  } catch (const Error&) {
    return false;
  }
}

/// Only what is called the same is compared.
void markCopies(std::vector<Description>& all) {
  std::map<std::string, std::vector<std::size_t>> named;
  for (std::size_t i = 0; i < all.size(); ++i) {
    std::vector<std::size_t>& others = named[std::string(keyOf(all[i].kind)) + " " + all[i].name + " " + all[i].says];
    all[i].copy = std::any_of(others.begin(), others.end(),
                              [&](std::size_t k) { return !all[k].copy && sameContent(all[k].file, all[i].file); });
    others.push_back(i);
  }
}

}  // namespace

std::optional<Description> recognise(const fs::path& file) {
  const CatalogKind* kind = lookAt(file);
  return kind == nullptr ? std::nullopt : std::optional(kind->read(file));
}

std::vector<Description> Catalog::forIdcode(std::uint32_t idcode) const {
  std::vector<Description> found;
  std::set<std::string> entities;
  const auto fits = [&](const Description& d) {
    return std::any_of(d.idcodes.begin(), d.idcodes.end(),
                       [&](const bsdl::Pattern& p) { return !p.saysNothing() && p.matches(idcode); });
  };
  for (const Description& d : all_) {
    if (fits(d) && d.kind == DescriptionKind::Bsdl) entities.insert(lowered(d.entity));
  }
  // Cards name the device by its entity.
  for (const Description& d : all_) {
    if (fits(d) || (!d.entity.empty() && d.kind != DescriptionKind::Bsdl && entities.contains(lowered(d.entity))))
      found.push_back(d);
  }
  return found;
}

std::vector<Description> Catalog::bsdlFor(std::uint32_t idcode) const {
  std::vector<Description> best;
  int most = -1;
  for (const Description& d : forIdcode(idcode)) {
    if (d.kind != DescriptionKind::Bsdl || d.copy) continue;
    int bits = 0;
    for (const bsdl::Pattern& p : d.idcodes) {
      if (p.matches(idcode)) bits = std::max(bits, std::popcount(p.mask));
    }
    if (bits > most) best.clear();
    most = std::max(most, bits);
    if (bits == most) best.push_back(d);
  }
  return best;
}

std::vector<Description> Catalog::search(const std::string& text) const {
  std::vector<std::string> words;
  std::istringstream stream(lowered(text));
  for (std::string word; stream >> word;) words.push_back(word);
  std::vector<Description> found;
  for (const Description& d : all_) {
    const std::string whole =
        lowered(fmt::format("{} {} {} {}", nameOf(d.kind), d.name, d.file.filename().string(), d.says));
    if (std::all_of(words.begin(), words.end(), [&](const auto& w) { return whole.find(w) != std::string::npos; }))
      found.push_back(d);
  }
  return found;
}

Catalog openCatalog(const std::vector<std::string>& more) {
  Catalog catalog;
  const auto take = [&](Description description, bool own) {
    description.own = own;
    catalog.all_.push_back(std::move(description));
  };
  for (const std::string& folder : sharedFolders()) {
    std::error_code none;
    if (!fs::is_directory(folder, none))
      catalog.warnings_.push_back(folder + " is not there (a shared folder of the library)");
  }
  const fs::path ownBsdl = libraryFolder();
  try {
    const bsdl::Library library = openLibrary(more);
    for (const bsdl::Library::Listed& each : library.listed())
      take(describe(each.file, each.summary), each.file.parent_path() == ownBsdl);
    catalog.warnings_.insert(catalog.warnings_.end(), library.warnings().begin(), library.warnings().end());
  } catch (const Error& e) {
    catalog.warnings_.push_back(e.full());
  }
  std::vector<std::pair<fs::path, bool>> folders{{partFolder(), true}, {dataFolder() / "adapters", true}};
  for (const std::string& folder : more) folders.emplace_back(folder, false);
  for (const fs::path& folder : foldersInShared()) folders.emplace_back(folder, false);
  for (const auto& [folder, own] : folders) {
    for (const fs::path& file : cardsIn(folder)) {
      try {
        const CatalogKind* kind = kindOfCard(readTextFile(file, kCardFile));
        if (kind != nullptr) take(kind->read(file), own);
      } catch (const Error& e) {
        catalog.warnings_.push_back(e.full());
      }
    }
  }
  const packs::PackLibrary packs;
  for (const packs::IndexedPack& pack : packs.packs()) take(describe(pack), true);
  catalog.warnings_.insert(catalog.warnings_.end(), packs.warnings().begin(), packs.warnings().end());
  markCopies(catalog.all_);
  return catalog;
}

Added addDescription(const fs::path& file) {
  const CatalogKind* kind = lookAt(file);
  if (kind == nullptr)
    throw Error(ErrorKind::BadFile, file.string() + " is no description that the library knows",
                "It takes BSDL files, cards of this program and CMSIS packs.");
  kind->read(file);
  if (kind->kind == DescriptionKind::Pack) return {kind->read(packs::addPack(file).file), false};
  const fs::path folder = kind->folder();
  std::error_code ignored;
  fs::create_directories(folder, ignored);
  // Those that it names have to be there before it, and keep their names, which stand in it.
  bool same = true;
  if (kind->names != nullptr) {
    for (const std::string& name : kind->names(file)) {
      const fs::path from = file.parent_path() / name, to = folder / fs::path(name).filename();
      if (fs::path(name).has_parent_path())
        throw Error(ErrorKind::BadFile, fmt::format("{} names {}, which is in another folder", file.string(), name),
                    "Put the two into one folder and correct the name, or add the folder as a shared one.");
      const Bytes bytes = readFile(from);
      const bool there = fs::exists(to, ignored);
      if (there && readFile(to) != bytes)
        throw Error(ErrorKind::CannotWrite, fmt::format("{} is there already and holds something else", to.string()),
                    "Give the file, and its name in the card, another name.");
      if (!there) writeFileAtomically(to, bytes);
      same = same && there;
    }
  }
  const Bytes bytes = readFile(file);
  const auto [place, there] = placeFor(folder, file.filename(), bytes);
  if (!there) writeFileAtomically(place, bytes);
  Added added{kind->read(place), there && same};
  added.description.own = true;
  return added;
}

void removeDescription(const Description& description) {
  if (!description.own)
    throw Error(ErrorKind::Refused, description.file.string() + " is in a shared folder",
                "Remove the folder from the library, or the file from the folder.");
  std::error_code failure;
  fs::remove(description.file, failure);
  if (failure)
    throw Error(ErrorKind::CannotWrite, "cannot remove " + description.file.string() + ": " + failure.message());
}

}  // namespace imprimo::store
