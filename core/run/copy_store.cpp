// SPDX-License-Identifier: GPL-3.0-or-later
//
// docs/formats/copies.md
#include "core/run/copy_store.h"

#include <fmt/chrono.h>
#include <fmt/format.h>
#include <zlib.h>

#include <algorithm>
#include <chrono>
#include <ctime>
#include <nlohmann/json.hpp>
#include <set>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/json_text.h"
#include "core/base/number.h"
#include "core/base/range_set.h"
#include "core/base/text_file.h"
#include "core/image/checksum.h"
#include "core/run/folders.h"

namespace imprimo::run {
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
  StoredCopy copy;
  std::vector<Piece> pieces;
};

List parseList(std::string_view text, const fs::path& path) {
  const JsonText json = JsonText::parse(text, path.string());
  const JsonNode root = JsonNode(json).object();
  if (root["imprimo_copy"].number() != 1) root["imprimo_copy"].fail("this version reads copies of version 1");
  List list;
  list.copy.path = path;
  list.copy.made = root["made"].string();
  list.copy.of = {root["memory"].string(), root["sheet"].string(), root["part"].string(),
                  static_cast<unsigned>(root["bank"].number()), root["size"].number()};
  RangeSet ranges;
  for (const JsonNode& node : root["pieces"].elements()) {
    Piece piece{node["at"].number(), node["length"].number(), node["sha256"].string()};
    const bool digits =
        piece.digest.size() == 64 && piece.digest.find_first_not_of("0123456789abcdef") == std::string::npos;
    if (!digits) node["sha256"].fail("should be 64 hexadecimal digits");
    if (piece.length == 0 || piece.length > kPiece || piece.at > list.copy.of.size ||
        piece.length > list.copy.of.size - piece.at)
      node.fail("is no piece of a part of this size");
    ranges.add({piece.at, piece.at + piece.length});
    list.pieces.push_back(std::move(piece));
  }
  list.copy.ranges = ranges.ranges();
  return list;
}

List readList(const fs::path& path) {
  return parseList(readTextFile(path), path);
}

bool isList(const fs::path& path) {
  return path.extension() == ".json" && path.filename() != "limits.json";
}

/// Oldest first.
std::vector<fs::path> listFiles(const fs::path& folder) {
  std::vector<fs::path> files;
  std::error_code none;
  for (const auto& entry : fs::directory_iterator(folder, none)) {
    if (entry.is_regular_file(none) && isList(entry.path())) files.push_back(entry.path());
  }
  std::sort(files.begin(), files.end());  // names begin with the time
  return files;
}

}  // namespace

CopyStore userCopies() {
  return CopyStore(dataFolder() / "copies");
}

StoredCopy parseCopyList(std::string_view text, const std::string& fileName) {
  return parseList(text, fileName).copy;
}

std::uint64_t StoredCopy::bytes() const {
  return RangeSet(ranges).size();
}

fs::path CopyStore::pieceFile(const std::string& digest) const {
  return pieces() / digest.substr(0, 2) / (digest + ".z");
}

fs::path CopyStore::save(const CopyOf& of, const MemoryImage& contents) {
  Json json = {{"imprimo_copy", 1}, {"made", utcNow()}, {"memory", of.memory},        {"sheet", of.sheet},
               {"part", of.part},   {"bank", of.bank},  {"size", hexAddress(of.size)}};
  json["pieces"] = Json::array();
  // Looked at first: where the list cannot be written, nothing else needs to be.
  const fs::path path = freshPath(folder_, of.memory, ".json");
  for (const MemoryImage::Segment& s : contents.segments()) {
    for (std::uint64_t at = s.begin; at < s.range().end;) {
      const std::uint64_t end = std::min(s.range().end, (at / kPiece + 1) * kPiece);
      const ByteSpan bytes = s.bytes.subspan(at - s.begin, end - at);
      const std::string digest = digestOf(bytes);
      const fs::path file = pieceFile(digest);
      std::error_code failure;
      if (!fs::exists(file, failure)) {
        fs::create_directories(file.parent_path(), failure);
        writeFileAtomically(file, ByteSpan(deflated(bytes)));
      }
      json["pieces"].push_back({{"at", hexAddress(at)}, {"length", bytes.size()}, {"sha256", digest}});
      at = end;
    }
  }
  writeFileAtomically(path, json.dump(1, ' ', false, Json::error_handler_t::replace) + "\n");
  try {
    prune();
  } catch (const Error&) {
    // What is too old can go another time; the copy is there.
  }
  return path;
}

std::vector<StoredCopy> CopyStore::list(std::vector<std::string>* unreadable) const {
  std::vector<StoredCopy> copies;
  for (const fs::path& file : listFiles(folder_)) {
    try {
      copies.push_back(readList(file).copy);
    } catch (const Error& e) {
      if (unreadable != nullptr) unreadable->push_back(e.what());
    }
  }
  std::reverse(copies.begin(), copies.end());
  return copies;
}

StoredCopy CopyStore::find(const fs::path& path) const {
  std::error_code none;
  return readList(fs::exists(path, none) ? path : folder_ / path).copy;
}

MemoryImage CopyStore::contents(const StoredCopy& copy) const {
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
  const JsonText json = JsonText::parse(readTextFile(path), path.string());
  const JsonNode root = JsonNode(json).object();
  limits.bytes = root["bytes"].number();
  const std::uint64_t days = root["days"].number();
  if (days > 36500) root["days"].fail("should be at most 36500");
  limits.days = static_cast<unsigned>(days);
  return limits;
}

void CopyStore::setLimits(const CopyLimits& limits) {
  std::error_code failure;
  fs::create_directories(folder_, failure);
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
  for (const fs::path& file : listFiles(folder_)) {
    try {
      for (const Piece& piece : readList(file).pieces) used.insert(piece.digest);
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
  const CopyLimits limit = limits();
  const std::time_t oldest = std::time(nullptr) - static_cast<std::time_t>(limit.days) * 86400;
  const std::string before = fmt::format("{:%Y-%m-%dT%H:%M:%SZ}", fmt::gmtime(oldest));
  std::size_t gone = 0;
  std::vector<fs::path> files = listFiles(folder_);
  std::error_code none;
  const auto removeFirst = [&] {
    fs::remove(files.front(), none);
    files.erase(files.begin());
    ++gone;
  };
  while (files.size() > 1) {
    try {
      if (readList(files.front()).copy.made >= before) break;
    } catch (const Error&) {
      break;
    }
    removeFirst();
  }
  if (gone > 0) removeUnusedPieces();
  while (files.size() > 1 && bytesOnDisk() > limit.bytes) {
    removeFirst();
    removeUnusedPieces();
  }
  return gone;
}

}  // namespace imprimo::run
