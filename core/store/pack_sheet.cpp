// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/store/pack_sheet.h"

#include <fmt/format.h>
#include <zip.h>

#include <map>
#include <memory>
#include <set>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/json.h"
#include "core/base/json_layout.h"
#include "core/base/letter_case.h"
#include "core/packs/pack_library.h"
#include "core/sheet/sheet_paths.h"
#include "core/store/catalog_kinds.h"
#include "core/store/user_library.h"

namespace imprimo::store {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;

/// Gives files their names in the package, each once.
class Collector {
 public:
  Collector(PackedSheet& packed, const fs::path& folder)
      : packed_(packed), folder_(fs::absolute(folder.empty() ? fs::path(".") : folder).lexically_normal()) {
    taken_.insert(lowered(packed.sheetName));
  }

  /// Its name there; empty where there is no such file.
  std::string add(const fs::path& file) {
    const fs::path whole = fs::absolute(file).lexically_normal();
    if (const auto known = names_.find(whole); known != names_.end()) return known->second;
    std::error_code none;
    if (!fs::is_regular_file(whole, none)) return {};
    const std::string inside = whole.lexically_relative(folder_).generic_string();
    const bool outside = inside.empty() || inside.starts_with("..");
    std::string name = free(outside ? "files/" + whole.filename().string() : inside);
    names_[whole] = name;
    packed_.files.push_back({whole, name});
    addNamed(whole, name);
    return name;
  }

 private:
  std::string free(const std::string& wish) {
    const fs::path path = wish;
    std::string name = wish;
    for (int n = 2; !taken_.insert(lowered(name)).second; ++n)
      name = (path.parent_path() / fmt::format("{}-{}{}", path.stem().string(), n, path.extension().string()))
                 .generic_string();
    return name;
  }

  /// What a card names has to be beside it, under the name that stands in the card.
  void addNamed(const fs::path& file, const std::string& name) {
    if (lowered(file.extension().string()) != ".json") return;
    try {
      const CatalogKind* kind = kindOfCard(readTextFile(file, kCardFile));
      if (kind == nullptr || kind->names == nullptr) return;
      for (const std::string& other : kind->names(file)) {
        const fs::path from = (file.parent_path() / other).lexically_normal();
        const std::string to = (fs::path(name).parent_path() / other).lexically_normal().generic_string();
        std::error_code none;
        if (!fs::is_regular_file(from, none) || to.starts_with("..")) {
          packed_.leftOut.push_back(fmt::format("{}, which {} names", from.string(), file.filename().string()));
        } else if (taken_.insert(lowered(to)).second) {
          names_[from] = to;
          packed_.files.push_back({from, to});
        }
      }
    } catch (const Error& e) {
      packed_.leftOut.push_back(e.full());
    }
  }

  PackedSheet& packed_;
  fs::path folder_;
  std::map<fs::path, std::string> names_;
  std::set<std::string> taken_;  // in lower case: some file systems do not tell
};

/// Cards that are looked for by themselves, of devices that files go into.
void nameCards(Json& root, const sheet::Sheet& sheet) {
  for (std::size_t i = 0; i < sheet.chain.size(); ++i) {
    const sheet::Device& device = sheet.chain[i];
    if (!device.description || !device.configCard.empty()) continue;
    if (const auto found = findConfigCard(device.description->entity)) root["chain"][i]["configure"] = found->first;
  }
}

struct ZipClose {
  void operator()(zip_t* zip) const { zip_discard(zip); }
};
using ZipPtr = std::unique_ptr<zip_t, ZipClose>;

ZipPtr openZip(const fs::path& file, int flags) {
  int code = 0;
  ZipPtr zip(zip_open(file.c_str(), flags, &code));
  if (zip) return zip;
  zip_error_t error;
  zip_error_init_with_code(&error, code);
  const std::string why = zip_error_strerror(&error);
  zip_error_fini(&error);
  throw Error((flags & ZIP_CREATE) != 0 ? ErrorKind::CannotWrite : ErrorKind::BadFile, file.string() + ": " + why);
}

[[noreturn]] void failed(const fs::path& file, zip_t* zip) {
  throw Error(ErrorKind::CannotWrite, file.string() + ": " + zip_strerror(zip), "Nothing was written.");
}

void addToZip(zip_t* zip, const fs::path& to, const std::string& name, zip_source_t* source) {
  if (source == nullptr || zip_file_add(zip, name.c_str(), source, ZIP_FL_ENC_UTF_8) < 0) {
    if (source != nullptr) zip_source_free(source);
    failed(to, zip);
  }
}

void writeZip(const PackedSheet& packed, const fs::path& to) {
  const fs::path draft = to.string() + ".part";
  std::error_code ignored;
  fs::remove(draft, ignored);
  try {
    ZipPtr zip = openZip(draft, ZIP_CREATE | ZIP_EXCL);
    addToZip(zip.get(), to, packed.sheetName,
             zip_source_buffer(zip.get(), packed.sheetText.data(), packed.sheetText.size(), 0));
    for (const PackedSheet::File& file : packed.files)
      addToZip(zip.get(), to, file.name, zip_source_file(zip.get(), file.from.c_str(), 0, -1));
    if (zip_close(zip.get()) != 0) failed(to, zip.get());
    [[maybe_unused]] const zip_t* closed = zip.release();
    fs::rename(draft, to);
  } catch (const fs::filesystem_error& e) {
    fs::remove(draft, ignored);
    throw Error(ErrorKind::CannotWrite, to.string() + ": " + e.code().message());
  } catch (...) {
    fs::remove(draft, ignored);
    throw;
  }
}

void writeFolder(const PackedSheet& packed, const fs::path& to) {
  std::error_code failure;
  const bool there = fs::exists(to, failure);
  if (there && (!fs::is_directory(to, failure) || !fs::is_empty(to, failure)))
    throw Error(ErrorKind::Usage, to.string() + " has something in it already", "Name a new folder, or a .zip file.");
  try {
    fs::create_directories(to);
    for (const PackedSheet::File& file : packed.files) {
      fs::create_directories((to / file.name).parent_path());
      fs::copy_file(file.from, to / file.name);
    }
    writeFileAtomically(to / packed.sheetName, packed.sheetText);
  } catch (const std::exception& e) {
    for (const auto& entry : fs::directory_iterator(to, failure)) fs::remove_all(entry.path(), failure);
    if (!there) fs::remove(to, failure);
    throw Error(ErrorKind::CannotWrite, e.what(), "Nothing was left in the folder.");
  }
}

/// Throws BadFile, CannotWrite.
void unpackAll(zip_t* zip, const fs::path& file, const std::vector<std::string>& names, const fs::path& folder) {
  for (std::size_t i = 0; i < names.size(); ++i) {
    if (names[i].ends_with('/')) continue;
    const std::unique_ptr<zip_file_t, int (*)(zip_file_t*)> entry(zip_fopen_index(zip, i, 0), zip_fclose);
    if (!entry) throw Error(ErrorKind::BadFile, fmt::format("{}: {}: {}", file.string(), names[i], zip_strerror(zip)));
    zip_stat_t about;
    zip_stat_index(zip, i, 0, &about);
    Bytes bytes(about.size);
    const zip_int64_t got = zip_fread(entry.get(), bytes.data(), bytes.size());
    // Its check sum is looked at when its end was read.
    char behind = 0;
    if (got < 0 || static_cast<std::uint64_t>(got) != about.size || zip_fread(entry.get(), &behind, 1) != 0)
      throw Error(ErrorKind::BadFile, fmt::format("{}: {} cannot be read", file.string(), names[i]));
    std::error_code ignored;
    fs::create_directories((folder / names[i]).parent_path(), ignored);
    writeFileAtomically(folder / names[i], ByteSpan(bytes));
  }
}

}  // namespace

PackedSheet packSheet(const sheet::Sheet& sheet) {
  PackedSheet packed;
  packed.sheetName = sheet.path.empty() ? "board.imprimo" : sheet.path.filename().string();
  Json root = sheet::sheetJson(sheet);
  nameCards(root, sheet);
  Collector files(packed, sheet.folder());
  sheet::forEachPath(root, sheet.folder(), [&](std::string& path, const std::string& place, bool isPath) {
    if (path.empty()) return;
    if (place.ends_with(".derived")) {
      packed.leftOut.push_back(fmt::format("{} ({}): a secret goes to no other place by itself", path, place));
      return;
    }
    fs::path from = sheet.folder() / path;
    if (!isPath) {
      try {
        from = packs::findPack(path, sheet.folder());
      } catch (const Error&) {
        // It is left out, as a file that is not there.
      }
    }
    const std::string name = files.add(from);
    if (name.empty()) {
      packed.leftOut.push_back(fmt::format("{} ({}): there is no such file", from.lexically_normal().string(), place));
    } else {
      path = name;
    }
  });
  packed.sheetText = sheet.layout ? inLayoutOf(*sheet.layout, root) : root.dump(2) + "\n";
  return packed;
}

std::uint64_t writePacked(const PackedSheet& packed, const fs::path& to) {
  if (lowered(to.extension().string()) == ".zip") {
    writeZip(packed, to);
  } else {
    writeFolder(packed, to);
  }
  std::uint64_t bytes = packed.sheetText.size();
  std::error_code none;
  for (const PackedSheet::File& file : packed.files) bytes += fs::file_size(file.from, none);
  return bytes;
}

fs::path unpackSheet(const fs::path& file, const fs::path& folder) {
  constexpr std::uint64_t kMost = std::uint64_t{2} << 30;
  const ZipPtr zip = openZip(file, ZIP_RDONLY);
  const std::int64_t count = zip_get_num_entries(zip.get(), 0);
  std::vector<std::string> names;
  std::string sheetName;
  std::uint64_t total = 0;
  for (std::int64_t i = 0; i < count; ++i) {
    zip_stat_t about;
    if (zip_stat_index(zip.get(), static_cast<zip_uint64_t>(i), 0, &about) != 0)
      throw Error(ErrorKind::BadFile, file.string() + ": " + zip_strerror(zip.get()));
    const std::string name = about.name;
    const fs::path path = fs::path(name).lexically_normal();
    if (path.is_absolute() || path.generic_string().starts_with("..") || name.find('\\') != std::string::npos)
      throw Error(ErrorKind::BadFile, fmt::format("{}: {} leads out of it", file.string(), name),
                  "Nothing was unpacked.");
    total += about.size;
    if (total > kMost)
      throw Error(ErrorKind::BadFile, file.string() + " holds more than 2 GiB", "Nothing was unpacked.");
    names.push_back(name);
    if (name.find('/') != std::string::npos || fs::path(name).extension() != ".imprimo") continue;
    if (!sheetName.empty())
      throw Error(ErrorKind::BadFile, file.string() + " has several sheets", "Unpack it and open one.");
    sheetName = name;
  }
  if (sheetName.empty()) throw Error(ErrorKind::BadFile, file.string() + " has no sheet at its top");
  std::error_code ignored;
  const bool there = fs::exists(folder, ignored);
  try {
    unpackAll(zip.get(), file, names, folder);
  } catch (...) {
    if (!there) fs::remove_all(folder, ignored);
    throw;
  }
  return folder / sheetName;
}

}  // namespace imprimo::store
