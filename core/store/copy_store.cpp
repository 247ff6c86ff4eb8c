// SPDX-License-Identifier: GPL-3.0-or-later
//
// docs/formats/copies.md
#include "core/store/copy_store.h"

#include <fcntl.h>
#include <fmt/chrono.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <unistd.h>
#include <zlib.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <ctime>
#include <set>
#include <system_error>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/json.h"
#include "core/base/json_text.h"
#include "core/base/number.h"
#include "core/base/range_set.h"
#include "core/base/utc.h"
#include "core/image/checksum.h"
#include "core/run/run_notes.h"
#include "core/store/folder_notes.h"
#include "core/store/folders.h"

namespace imprimo::store {
namespace fs = std::filesystem;

namespace {

using Json = nlohmann::ordered_json;

/// Pieces begin at multiples of this, so that two copies of one part cut it at the same places.
constexpr std::uint64_t kPiece = 64 * 1024;

std::string digestOf(ByteSpan bytes) {
  std::string digest = digitsOf(checksumOf({ChecksumKind::Sha256, 32, {}}, bytes));
  std::transform(digest.begin(), digest.end(), digest.begin(), [](unsigned char c) { return std::tolower(c); });
  return digest;
}

Bytes deflated(ByteSpan bytes) {
  uLongf size = compressBound(static_cast<uLong>(bytes.size()));
  Bytes out(size);
  if (compress2(out.data(), &size, bytes.data(), static_cast<uLong>(bytes.size()), 6) != Z_OK)
    throw Error(ErrorKind::CannotWrite, "a copy could not be compressed");
  out.resize(size);
  return out;
}

struct Piece {
  std::uint64_t at = 0, length = 0;
  std::string digest;
};

struct List {
  run::StoredCopy copy;
  std::vector<Piece> pieces;
  std::uint64_t number = 0;  ///< counts up; 0 in lists of before there were numbers
};

/// Held while copies are made (several at a time) or removed (nobody else then). The system takes it away when a
/// process ends, however it does.
class StoreLock {
 public:
  enum Kind { Saving = LOCK_SH, Removing = LOCK_EX };
  StoreLock(const fs::path& folder, Kind kind)
      : handle_(::open((folder / ".lock").c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600)) {
    if (handle_ < 0) {
      throw Error(ErrorKind::CannotWrite, fmt::format("cannot open {}: {}", (folder / ".lock").string(),
                                                      std::generic_category().message(errno)));
    }
    while (::flock(handle_, kind) != 0 && errno == EINTR) {
    }
  }
  StoreLock(const StoreLock&) = delete;
  StoreLock& operator=(const StoreLock&) = delete;
  ~StoreLock() { ::close(handle_); }

 private:
  int handle_;
};

/// What a process that was killed left while it wrote a file. One that is at it now is at most a few minutes old.
void removeLeftovers(const fs::path& folder) {
  constexpr auto kOld = std::chrono::hours(1);
  std::error_code none;
  std::vector<fs::path> old;
  for (const auto& entry : fs::recursive_directory_iterator(folder, none)) {
    const std::string name = entry.path().filename().string();
    if (!name.starts_with('.') || !name.ends_with(".part") || !entry.is_regular_file(none)) continue;
    if (fs::file_time_type::clock::now() - entry.last_write_time(none) > kOld) old.push_back(entry.path());
  }
  for (const fs::path& file : old) fs::remove(file, none);
}

List parseList(std::string_view text, const fs::path& path) {
  const JsonText json = JsonText::parse(text, path.string());
  const JsonNode root = JsonNode(json).object();
  if (root["imprimo_copy"].number() != 1) root["imprimo_copy"].fail("this version reads copies of version 1");
  List list;
  list.copy.path = path;
  list.copy.made = root["made"].string();
  list.copy.of = {root["memory"].string(), root["sheet"].string(), root["part"].string(),
                  static_cast<unsigned>(root["bank"].number()), root["size"].number()};
  if (root.has("unique_id")) list.copy.of.uniqueId = root["unique_id"].string();
  if (root.has("unfinished")) list.copy.of.unfinished = root["unfinished"].boolean();
  if (root.has("number")) list.number = root["number"].number();
  RangeSet ranges;
  for (const JsonNode& node : root["pieces"].elements()) {
    Piece piece{node["at"].number(), node["length"].number(), node["sha256"].string()};
    const bool digits =
        piece.digest.size() == 64 && piece.digest.find_first_not_of("0123456789abcdef") == std::string::npos;
    if (!digits) node["sha256"].fail("should be 64 hexadecimal digits");
    // A core's memory begins at an address of its own, so that its size says nothing of where a piece is.
    if (piece.length == 0 || piece.length > kPiece || piece.length > list.copy.of.size ||
        piece.at > UINT64_MAX - piece.length)
      node.fail("is no piece of a part of this size");
    ranges.add({piece.at, piece.at + piece.length});
    list.pieces.push_back(std::move(piece));
  }
  list.copy.ranges = ranges.ranges();
  return list;
}

List readList(const fs::path& path) {
  return parseList(readTextFile(path, kListFile), path);
}

bool isList(const fs::path& path) {
  return path.extension() == ".json" && path.filename() != "limits.json";
}

struct Listed {
  fs::path path;
  std::uint64_t number = 0;
  std::string made;  ///< empty where the list cannot be read
  friend bool operator<(const Listed& a, const Listed& b) {
    return std::pair(a.number, a.path.string()) < std::pair(b.number, b.path.string());
  }
};

/// In the order in which they were made, which no clock decides. Lists of before there were numbers come first, by
/// their names, which begin with the time.
std::vector<Listed> listFiles(const fs::path& folder) {
  std::vector<Listed> files;
  std::error_code none;
  for (const auto& entry : fs::directory_iterator(folder, none)) {
    if (!entry.is_regular_file(none) || !isList(entry.path())) continue;
    Listed listed{entry.path(), 0, {}};
    try {
      const List list = readList(entry.path());
      listed.number = list.number;
      listed.made = list.copy.made;
    } catch (const Error&) {
      // One that cannot be read is kept, and told of by whoever lists them.
    }
    files.push_back(std::move(listed));
  }
  std::sort(files.begin(), files.end());
  return files;
}

/// Whether a piece's file is there and holds what its name says.
bool isWhole(const fs::path& file, std::size_t length, const std::string& digest) {
  std::error_code none;
  if (!fs::exists(file, none)) return false;
  try {
    const Bytes packed = readFile(file);
    Bytes bytes(length);
    auto size = static_cast<uLongf>(bytes.size());
    return uncompress(bytes.data(), &size, packed.data(), static_cast<uLong>(packed.size())) == Z_OK &&
           size == bytes.size() && digestOf(bytes) == digest;
  } catch (const Error&) {
    return false;
  }
}

}  // namespace

CopyStore userCopies() {
  return CopyStore(dataFolder() / "copies");
}

run::StoredCopy parseCopyList(std::string_view text, const std::string& fileName) {
  return parseList(text, fileName).copy;
}

fs::path CopyStore::pieceFile(const std::string& digest) const {
  return pieces() / digest.substr(0, 2) / (digest + ".z");
}

fs::path CopyStore::save(const memory::CopyOf& of, const MemoryImage& contents) {
  Json json = {{"imprimo_copy", 1},   {"made", utcNow()}, {"memory", of.memory},        {"sheet", of.sheet},
               {"part", of.identity}, {"bank", of.bank},  {"size", hexAddress(of.size)}};
  if (!of.uniqueId.empty()) json["unique_id"] = of.uniqueId;
  if (of.unfinished) json["unfinished"] = true;
  json["pieces"] = Json::array();
  makeFolders(folder_);
  fs::path path;
  {
    const StoreLock lock(folder_, StoreLock::Saving);
    const std::vector<Listed> before = listFiles(folder_);
    json["number"] = before.empty() ? 1 : before.back().number + 1;
    json["pieces"] = Json::array();
    // Looked at first: where the list cannot be written, nothing else needs to be.
    path = freshPath(folder_, of.memory, ".json");
    for (const MemoryImage::Segment& s : contents.segments()) {
      for (std::uint64_t at = s.begin; at < s.range().end;) {
        const std::uint64_t end = std::min(s.range().end, (at / kPiece + 1) * kPiece);
        const ByteSpan bytes = s.bytes.subspan(at - s.begin, end - at);
        const std::string digest = digestOf(bytes);
        const fs::path file = pieceFile(digest);
        // One that is there is believed only when it was looked at.
        if (!isWhole(file, bytes.size(), digest)) {
          makeFolders(file.parent_path());
          writeFileAtomically(file, ByteSpan(deflated(bytes)));
        }
        json["pieces"].push_back({{"at", hexAddress(at)}, {"length", bytes.size()}, {"sha256", digest}});
        at = end;
      }
    }
    writeFileAtomically(path, json.dump(1, ' ', false, Json::error_handler_t::replace) + "\n");
  }
  try {
    prune();
  } catch (const Error&) {
    // What is too old can go another time; the copy is there.
  }
  return path;
}

std::vector<run::StoredCopy> CopyStore::list(std::vector<std::string>* unreadable) const {
  std::vector<run::StoredCopy> copies;
  for (const Listed& file : listFiles(folder_)) {
    try {
      copies.push_back(readList(file.path).copy);
    } catch (const Error& e) {
      if (unreadable != nullptr) unreadable->push_back(e.what());
    }
  }
  std::reverse(copies.begin(), copies.end());
  return copies;
}

run::StoredCopy CopyStore::find(const fs::path& path) const {
  std::error_code none;
  return readList(fs::exists(path, none) ? path : folder_ / path).copy;
}

MemoryImage CopyStore::contents(const run::StoredCopy& copy) const {
  MemoryImage image;
  for (const Piece& piece : readList(copy.path).pieces) {
    const fs::path file = pieceFile(piece.digest);
    const Bytes packed = readFile(file);
    Bytes bytes(piece.length);
    uLongf size = static_cast<uLongf>(bytes.size());
    const int result = uncompress(bytes.data(), &size, packed.data(), static_cast<uLong>(packed.size()));
    if (result != Z_OK || size != bytes.size() || digestOf(bytes) != piece.digest) {
      throw Error(ErrorKind::BadFile,
                  fmt::format("{}: does not hold what its name says; the copy at {} is damaged", file.string(),
                              hexAddress(piece.at)),
                  "Take another copy.");
    }
    image.write(piece.at, std::move(bytes));
  }
  return image;
}

CopyLimits CopyStore::limits() const {
  const fs::path path = folder_ / "limits.json";
  std::error_code none;
  CopyLimits limits;
  if (!fs::exists(path, none)) return limits;
  const JsonText json = JsonText::parse(readTextFile(path, kListFile), path.string());
  const JsonNode root = JsonNode(json).object();
  limits.bytes = root["bytes"].number();
  const std::uint64_t days = root["days"].number();
  if (days > 36500) root["days"].fail("should be at most 36500");
  limits.days = static_cast<unsigned>(days);
  return limits;
}

void CopyStore::setLimits(const CopyLimits& limits) {
  makeFolders(folder_);
  writeFileAtomically(folder_ / "limits.json", Json{{"bytes", limits.bytes}, {"days", limits.days}}.dump(1) + "\n");
}

std::uint64_t CopyStore::bytesOnDisk() const {
  std::uint64_t sum = 0;
  std::error_code none;
  for (const auto& entry : fs::recursive_directory_iterator(folder_, none)) {
    if (entry.is_regular_file(none)) sum += entry.file_size(none);
  }
  return sum;
}

void CopyStore::removeUnusedPieces() {
  std::set<std::string> used;
  for (const Listed& file : listFiles(folder_)) {
    try {
      for (const Piece& piece : readList(file.path).pieces) used.insert(piece.digest);
    } catch (const Error&) {
      return;  // what a damaged list needs is not known, so nothing goes
    }
  }
  std::error_code none;
  std::vector<fs::path> unused;
  for (const auto& entry : fs::recursive_directory_iterator(pieces(), none)) {
    if (entry.is_regular_file(none) && entry.path().extension() == ".z" && !used.contains(entry.path().stem().string()))
      unused.push_back(entry.path());
  }
  for (const fs::path& file : unused) fs::remove(file, none);
}

std::size_t CopyStore::prune() {
  std::error_code none;
  if (!fs::is_directory(folder_, none)) return 0;
  const CopyLimits limit = limits();
  const StoreLock lock(folder_, StoreLock::Removing);
  removeLeftovers(folder_);
  const std::time_t oldest = std::time(nullptr) - static_cast<std::time_t>(limit.days) * 86400;
  const std::string before = fmt::format("{:%Y-%m-%dT%H:%M:%SZ}", fmt::gmtime(oldest));
  // The notes of unfinished runs lie beside the copies (docs/formats/unfinished.md).
  std::set<std::string> spared;
  for (const run::RunNote& note : FolderNotes(folder_.parent_path() / "unfinished").open()) spared.insert(note.copy);
  // The newest, those that unfinished runs need, and what cannot be read stay whatever the limits are.
  std::vector<Listed> files = listFiles(folder_);
  if (!files.empty()) files.pop_back();
  std::erase_if(files, [&](const Listed& f) { return f.made.empty() || spared.contains(f.path.filename().string()); });
  std::size_t gone = 0;
  const auto remove = [&](std::vector<Listed>::iterator file) {
    fs::remove(file->path, none);
    ++gone;
    return files.erase(file);
  };
  for (auto file = files.begin(); file != files.end();) file = file->made < before ? remove(file) : file + 1;
  if (gone > 0) removeUnusedPieces();
  while (!files.empty() && bytesOnDisk() > limit.bytes) {
    remove(files.begin());
    removeUnusedPieces();
  }
  return gone;
}

}  // namespace imprimo::store
