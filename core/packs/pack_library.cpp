// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/packs/pack_library.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <sstream>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/json.h"
#include "core/base/letter_case.h"
#include "core/base/user_folders.h"
#include "core/packs/pack_file.h"

namespace imprimo::packs {
namespace fs = std::filesystem;

namespace {

using Json = nlohmann::ordered_json;

constexpr int kIndexVersion = 2;

std::int64_t timeOf(const fs::path& file) {
  std::error_code ignored;
  return fs::last_write_time(file, ignored).time_since_epoch().count();
}

/// One index for each folder.
fs::path indexOf(const fs::path& folder) {
  return cacheFolder() / fmt::format("packs-{:016x}.json", std::hash<std::string>()(fs::absolute(folder).string()));
}

/// By file name; empty for an index that is of another version, or none.
std::map<std::string, IndexedPack> readIndex(const fs::path& index) {
  std::map<std::string, IndexedPack> packs;
  try {
    const Json json = Json::parse(readTextFile(index, kListFile));
    if (json.at("version") != kIndexVersion) return {};
    for (const Json& each : json.at("packs")) {
      IndexedPack pack;
      pack.file = each.at("file").get<std::string>();
      pack.size = each.at("size").get<std::uintmax_t>();
      pack.time = each.at("time").get<std::int64_t>();
      pack.vendor = each.at("vendor").get<std::string>();
      pack.name = each.at("name").get<std::string>();
      pack.version = each.at("pack_version").get<std::string>();
      for (const Json& row : each.at("devices")) {
        const auto text = [&](std::size_t i) { return row.at(i).get<std::string>(); };
        pack.devices.push_back({text(0), text(1), text(2), text(3), text(4), {}});
        if (row.size() > 5) pack.devices.back().target = row.at(5).get<std::uint32_t>();
      }
      packs[pack.file.filename().string()] = std::move(pack);
    }
  } catch (const Error&) {
    return {};  // there is none yet
  } catch (const nlohmann::json::exception&) {
    return {};  // it is made again
  }
  return packs;
}

std::string clean(const std::string& text) {
  std::string name;
  for (const char c : text) {
    const bool fine = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '-' ||
                      c == '_' || c == '+' || (c == '.' && !name.empty());
    name += fine ? c : '_';
  }
  return name;
}

}  // namespace

fs::path packFolder() {
  return dataFolder() / "packs";
}

PackLibrary::PackLibrary(const fs::path& folder) {
  std::vector<fs::path> files;
  std::error_code none;
  for (const auto& entry : fs::directory_iterator(folder, none)) {
    if (lowered(entry.path().extension().string()) == ".pack") files.push_back(entry.path());
  }
  std::sort(files.begin(), files.end());
  const fs::path index = indexOf(folder);
  std::map<std::string, IndexedPack> known = readIndex(index);
  for (const fs::path& file : files) {
    std::error_code ignored;
    const auto there = known.find(file.filename().string());
    if (there != known.end() && there->second.size == fs::file_size(file, ignored) &&
        there->second.time == timeOf(file)) {
      packs_.push_back(std::move(there->second));
      packs_.back().file = file;
      continue;
    }
    ++opened_;
    try {
      packs_.push_back(lookAtPack(file));
    } catch (const Error& e) {
      warnings_.push_back(e.what());
    }
  }
  if (opened_ > 0 || packs_.size() != known.size()) keepIndex(index);
}

void PackLibrary::keepIndex(const fs::path& index) const {
  Json list = Json::array();
  for (const IndexedPack& pack : packs_) {
    Json devices = Json::array();
    for (const ListedDevice& d : pack.devices) {
      devices.push_back(Json::array({d.name, d.vendor, d.family, d.subFamily, d.core}));
      if (d.target) devices.back().push_back(*d.target);
    }
    list.push_back({{"file", pack.file.filename().string()},
                    {"size", pack.size},
                    {"time", pack.time},
                    {"vendor", pack.vendor},
                    {"name", pack.name},
                    {"pack_version", pack.version},
                    {"devices", std::move(devices)}});
  }
  try {
    makeFolders(index.parent_path());
    writeFileAtomically(index, Json{{"version", kIndexVersion}, {"packs", std::move(list)}}.dump(
                                   -1, ' ', false, Json::error_handler_t::replace));
  } catch (const Error&) {
    // Without it packs are opened again the next time.
  }
}

std::vector<PackLibrary::Found> PackLibrary::fitting(std::optional<std::uint32_t> targetId) const {
  std::vector<Found> all;
  if (!targetId) return all;
  // TARGETID has the revision where TARGETSEL has the instance (IHI 0031, B2.2.10 and B2.2.11); the rest is the same.
  constexpr std::uint32_t kPartAndDesigner = 0x0FFFFFFF;
  for (const IndexedPack& pack : packs_) {
    for (const ListedDevice& device : pack.devices) {
      if (device.target && (*device.target & kPartAndDesigner) == (*targetId & kPartAndDesigner))
        all.push_back({&pack, &device});
    }
  }
  return all;
}

std::vector<PackLibrary::Found> PackLibrary::find(const std::string& text) const {
  std::vector<std::string> words;
  std::istringstream stream(lowered(text));
  for (std::string word; stream >> word;) words.push_back(word);
  std::vector<Found> begins, others;
  for (const IndexedPack& pack : packs_) {
    for (const ListedDevice& device : pack.devices) {
      const std::string name = lowered(device.name);
      const std::string all =
          name + " " + lowered(device.vendor) + " " + lowered(device.family) + " " + lowered(device.subFamily);
      const bool fits =
          std::all_of(words.begin(), words.end(), [&](const auto& w) { return all.find(w) != std::string::npos; });
      if (!fits) continue;
      (!words.empty() && name.starts_with(words.front()) ? begins : others).push_back({&pack, &device});
    }
  }
  begins.insert(begins.end(), others.begin(), others.end());
  return begins;
}

IndexedPack lookAtPack(const fs::path& file) {
  const PackFile pack(file);
  const PackDescription description(pack.description(), file.string());
  std::error_code ignored;
  return {file,
          fs::file_size(file, ignored),
          timeOf(file),
          description.vendor(),
          description.name(),
          description.version(),
          description.devices()};
}

IndexedPack addPack(const fs::path& file, const fs::path& folder) {
  IndexedPack pack = lookAtPack(file);
  const Bytes bytes = readFile(file);
  pack.file = folder / fmt::format("{}.{}{}{}.pack", clean(pack.vendor), clean(pack.name),
                                   pack.version.empty() ? "" : ".", clean(pack.version));
  makeFolders(folder);
  writeFileAtomically(pack.file, bytes);
  pack.time = timeOf(pack.file);
  return pack;
}

fs::path findPack(const std::string& pack, const fs::path& sheetFolder) {
  std::error_code ignored;
  if (fs::exists(sheetFolder / pack, ignored) || pack.find('/') != std::string::npos) return sheetFolder / pack;
  for (const char* end : {"", ".pack"}) {
    if (fs::exists(packFolder() / (pack + end), ignored)) return packFolder() / (pack + end);
  }
  return sheetFolder / pack;
}

}  // namespace imprimo::packs
