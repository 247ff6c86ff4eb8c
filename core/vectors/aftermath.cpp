// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/vectors/aftermath.h"

#include <fmt/format.h>

#include <algorithm>
#include <fstream>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/vectors/comments.h"
#include "core/vectors/contents.h"
#include "core/vectors/mismatch_story.h"

namespace imprimo::vectors {
namespace {

/// The closing statements are a few short scans for each memory.
constexpr std::uint64_t kClosingIsWithin = 64 * 1024;

const VectorContents::Memory* named(const VectorContents& contents, const std::string& name) {
  const auto it = std::find_if(contents.memories.begin(), contents.memories.end(),
                               [&](const VectorContents::Memory& m) { return m.name == name; });
  return it == contents.memories.end() ? nullptr : &*it;
}

std::string listOf(const RangeSet& set) {
  constexpr std::size_t kMost = 6;
  const auto ranges = set.ranges();
  std::string text;
  for (std::size_t i = 0; i < std::min(kMost, ranges.size()); ++i) text += (i == 0 ? "" : ", ") + rangeText(ranges[i]);
  return ranges.size() > kMost ? text + fmt::format(" and {} more", ranges.size() - kMost) : text;
}

}  // namespace

std::string aftermath(const LeftAt& left, const sheet::Sheet* sheet) {
  const auto contents = [&](std::uint64_t until) { return contentsOf(*svf::Reader::open(left.file), {}, until); };
  const VectorContents sent = contents(left.sent), played = contents(left.played), whole = contents(UINT64_MAX);
  std::string text;
  for (const VectorContents::Memory& memory : sent.memories) {
    const VectorContents::Memory* all = named(whole, memory.name);
    const VectorContents::Memory* done = named(played, memory.name);
    if (all == nullptr || memory.erased.empty()) continue;
    RangeSet missing, blocks;
    for (const AddressRange& erased : memory.erased.ranges()) {
      for (const MemoryImage::Segment& s : all->image.segmentsIn(erased)) missing.add(s.range());
    }
    if (done != nullptr) {
      for (const AddressRange& written : done->written.ranges()) missing.remove(written);
    }
    for (const VectorContents::Action& action : memory.actions) {
      if (action.kind == VectorContents::Action::Kind::Erase && missing.overlaps(action.range))
        blocks.add(action.range);
    }
    if (missing.empty()) continue;
    text += fmt::format(" {}: {} is erased, and {} of it is still to be written", memory.name, listOf(blocks),
                        sizeText(missing.size()));
    RangeSet kept;
    if (sheet != nullptr) {
      for (const AddressRange& k : sheet->keptIn(memory.name)) {
        for (const AddressRange& r : missing.ranges()) {
          if (r.overlaps(k)) kept.add(r.cut(k));
        }
      }
    }
    if (!kept.empty()) text += fmt::format(", with the kept bytes {}", listOf(kept));
    text += fmt::format(". All of it is in {}: play it again.", left.file.filename().string());
  }
  return text;
}

std::optional<std::uint64_t> closingOf(const LeftAt& left) {
  if (!decoderAt(left.file, left.sent).otherMode()) return std::nullopt;
  std::error_code failure;
  const std::uintmax_t size = std::filesystem::file_size(left.file, failure);
  if (failure) return std::nullopt;
  const std::uint64_t from = size > kClosingIsWithin ? size - kClosingIsWithin : 0;
  std::ifstream file(left.file, std::ios::binary);
  file.seekg(static_cast<std::streamoff>(from));
  std::string end(size - from, '\0');
  file.read(end.data(), static_cast<std::streamsize>(end.size()));
  const std::size_t at = end.rfind(std::string("! ") + kClosing);
  if (at == std::string::npos || from + at < left.sent) return std::nullopt;
  return from + at;
}

}  // namespace imprimo::vectors
