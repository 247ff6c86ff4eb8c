// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/packs/pack_file.h"

#include <fmt/format.h>
#include <zip.h>

#include <algorithm>
#include <mutex>

#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/letter_case.h"
#include "core/base/number.h"
#include "core/base/visible_text.h"
#include "core/packs/pack_description.h"

namespace imprimo::packs {
namespace {

/// A description with that many bytes needs a quarter of a GiB while it is read.
constexpr std::uint64_t kMostDescription = 12 * kMiB;
constexpr std::int64_t kMostEntries = 200'000;

/// With slashes, and without "./" in front.
std::string plainName(std::string name) {
  std::replace(name.begin(), name.end(), '\\', '/');
  while (name.starts_with("./")) name.erase(0, 2);
  return name;
}

bool leadsOut(const std::string& name) {
  if (name.empty() || name.front() == '/' || (name.size() > 1 && name[1] == ':')) return true;
  const std::string inside = "/" + name + "/";
  return inside.find("/../") != std::string::npos;
}

bool isDescription(const std::string& name) {
  return name.find('/') == std::string::npos && lowered(name).ends_with(".pdsc");
}

}  // namespace

struct PackFile::Zip {
  explicit Zip(zip_t* opened) : archive(opened) {}
  ~Zip() { zip_discard(archive); }
  Zip(const Zip&) = delete;
  Zip& operator=(const Zip&) = delete;
  zip_t* archive;
  std::mutex guard;  // libzip has none of its own
};

PackFile::PackFile(const std::filesystem::path& path) : path_(path) {
  { const InputFile readable(path); }  // its own sentence for what is no file at all
  int error = 0;
  zip_t* archive = zip_open(path.c_str(), ZIP_RDONLY, &error);
  if (archive == nullptr) {
    zip_error_t told;
    zip_error_init_with_code(&told, error);
    const std::string why = zip_error_strerror(&told);
    zip_error_fini(&told);
    fail(fmt::format("this is no pack: {}", why), "A pack is a zip with a .pdsc file in it. Fetch it once more.");
  }
  zip_ = std::make_unique<Zip>(archive);
  const std::int64_t entries = zip_get_num_entries(archive, 0);
  if (entries > kMostEntries) fail(fmt::format("it has {} files", entries), "No pack has so many.");
  int descriptions = 0;
  for (std::int64_t i = 0; i < entries; ++i) {
    const char* raw = zip_get_name(archive, static_cast<std::uint64_t>(i), ZIP_FL_ENC_GUESS);
    const std::string name = plainName(raw == nullptr ? "" : raw);
    if (leadsOut(name))
      fail(fmt::format("the file \"{}\" in it leads out of the pack", visibleText(name)),
           "Such a pack is damaged or made to do harm; fetch it from its maker.");
    numbers_.emplace(lowered(name), static_cast<std::uint64_t>(i));
    if (!isDescription(name)) continue;
    ++descriptions;
    description_ = static_cast<std::uint64_t>(i);
  }
  if (descriptions == 1) return;
  fail(descriptions == 0 ? "it has no description (.pdsc) at its top"
                         : fmt::format("it has {} descriptions (.pdsc) at its top", descriptions),
       "A pack has exactly one.");
}

PackFile::~PackFile() = default;

void PackFile::fail(const std::string& sentence, const std::string& remedy) const {
  throw Error(ErrorKind::BadFile, fmt::format("{}: {}", path_.string(), sentence), remedy);
}

Bytes PackFile::description() const {
  return entry(description_, zip_get_name(zip_->archive, description_, ZIP_FL_ENC_GUESS), kMostDescription);
}

Bytes PackFile::read(const std::string& name, std::uint64_t most) const {
  const std::string plain = plainName(name);
  if (leadsOut(plain))
    fail(fmt::format("its description names \"{}\", which leads out of the pack", visibleText(name)),
         "Nothing outside of a pack is read.");
  const auto there = numbers_.find(lowered(plain));
  if (there == numbers_.end())
    fail(fmt::format("it has no file {}, which its description names", visibleText(name)), "Fetch it once more.");
  return entry(there->second, plain, most);
}

Bytes PackFile::entry(std::uint64_t index, const std::string& name, std::uint64_t most) const {
  const auto damaged = [&](const char* why) {
    fail(fmt::format("{} cannot be read: {}", visibleText(name), why), "The pack is damaged; fetch it once more.");
  };
  const auto tooLarge = [&] {
    fail(fmt::format("{} holds more than {}", visibleText(name), sizeText(most)), "Nothing of that kind is so large.");
  };
  const std::lock_guard lock(zip_->guard);
  zip_stat_t about{};
  if (zip_stat_index(zip_->archive, index, 0, &about) != 0) damaged(zip_strerror(zip_->archive));
  if ((about.valid & ZIP_STAT_SIZE) == 0) damaged("its size is not given");
  if (about.size > most) tooLarge();
  const std::unique_ptr<zip_file_t, int (*)(zip_file_t*)> file(zip_fopen_index(zip_->archive, index, 0), zip_fclose);
  if (!file) damaged(zip_strerror(zip_->archive));
  // What the directory says of the size need not be so.
  Bytes bytes;
  constexpr std::size_t kPiece = 65536;
  while (true) {
    const std::size_t at = bytes.size();
    bytes.resize(at + kPiece);
    const std::int64_t got = zip_fread(file.get(), bytes.data() + at, kPiece);
    if (got < 0) damaged(zip_error_strerror(zip_file_get_error(file.get())));
    bytes.resize(at + static_cast<std::size_t>(got));
    if (bytes.size() > most) tooLarge();
    if (got == 0) return bytes;
  }
}

}  // namespace imprimo::packs
