// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/block_looks.h"

#include <algorithm>
#include <utility>

namespace imprimo::app {
namespace {

bool isBlank(ByteSpan bytes) {
  return std::all_of(bytes.begin(), bytes.end(), [](std::uint8_t b) { return b == kBlankByte; });
}

}  // namespace

const char* describe(BlockLook look) {
  switch (look) {
    case BlockLook::Unread:
      return "not read yet";
    case BlockLook::Blank:
      return "blank";
    case BlockLook::Data:
      return "other data";
    case BlockLook::Kept:
      return "kept";
    case BlockLook::Agrees:
      return "agrees";
    case BlockLook::PlannedUnread:
      return "planned, not read yet";
    case BlockLook::WillErase:
      return "will be erased";
    case BlockLook::SharedErase:
      return "will be erased, the rest of it put back";
    case BlockLook::Differs:
      return "will be written";
  }
  return "";
}

void BlockLooks::reset(const memory::Geometry& geometry, std::vector<AddressRange> keep) {
  geometry_ = geometry;
  keep_ = std::move(keep);
  contents_ = {};
  sure_ = {};
  looks_.assign(geometry.blockCount(), BlockLook::Unread);
  differing_.assign(geometry.blockCount(), 0);
  differingBytes_ = differingBlocks_ = 0;
  lookAt(geometry.whole());
}

void BlockLooks::setKept(std::vector<AddressRange> keep) {
  if (keep == keep_) return;
  keep_ = std::move(keep);
  lookAt(geometry_.whole());
}

void BlockLooks::clear() {
  auto hidden = std::move(hidden_);
  *this = {};
  hidden_ = std::move(hidden);
}

AddressRange BlockLooks::block(std::size_t index) const {
  return geometry_.block(index);
}

void BlockLooks::setPlanned(MemoryImage planned) {
  for (const AddressRange& range : hidden_) planned.erase(range);
  const MemoryImage before = std::exchange(planned_, std::move(planned));
  if (empty()) return;
  for (const MemoryImage* image :
       {static_cast<const MemoryImage*>(&before), static_cast<const MemoryImage*>(&planned_)}) {
    for (const MemoryImage::Segment& s : image->segments()) lookAt(s.range());
  }
}

void BlockLooks::update(const std::vector<AddressRange>& touched, const MemoryImage& contents) {
  for (const AddressRange& r : touched) {
    contents_.erase(r);
    sure_.remove(r);
  }
  contents_.write(contents);
  for (const MemoryImage::Segment& s : contents.segments()) sure_.add(s.range());
  for (const AddressRange& range : hidden_) {
    contents_.erase(range);
    sure_.remove(range);
  }
  if (empty()) return;
  for (const AddressRange& r : touched) lookAt(r);
}

void BlockLooks::lookAt(const AddressRange& all) {
  if (!geometry_.whole().overlaps(all)) return;
  const AddressRange range = geometry_.whole().cut(all);
  for (std::size_t i = geometry_.blockIndex(range.begin); i < looks_.size(); ++i) {
    const AddressRange now = block(i);
    if (now.begin >= range.end) break;
    std::uint32_t differing = 0;
    looks_[i] = lookOf(now, differing);
    differingBytes_ += differing - std::uint64_t{differing_[i]};
    if (differing != 0) ++differingBlocks_;
    if (differing_[i] != 0) --differingBlocks_;
    differing_[i] = differing;
  }
}

BlockLook BlockLooks::lookOf(const AddressRange& block, std::uint32_t& differing) const {
  const auto planned = planned_.segmentsIn(block);
  const bool known = contents_.covers(block);
  if (planned.empty()) {
    if (std::any_of(keep_.begin(), keep_.end(), [&](const AddressRange& k) { return k.overlaps(block); }))
      return BlockLook::Kept;
    if (!known) return BlockLook::Unread;
    return isBlank(contents_.segmentsIn(block).front().bytes) ? BlockLook::Blank : BlockLook::Data;
  }
  bool plannedKnown = true;
  bool plannedBlank = true;
  for (const MemoryImage::Segment& p : planned) {
    const auto held = contents_.segmentsIn(p.range());
    plannedKnown = plannedKnown && held.size() == 1 && held.front().bytes.size() == p.bytes.size();
    plannedBlank = plannedBlank && isBlank(p.bytes);
    for (const MemoryImage::Segment& h : held) {
      const ByteSpan wanted = p.bytes.subspan(h.begin - p.begin, h.bytes.size());
      if (std::equal(wanted.begin(), wanted.end(), h.bytes.begin())) continue;
      for (std::size_t i = 0; i < wanted.size(); ++i) differing += wanted[i] != h.bytes[i];
    }
  }
  if (differing != 0 && plannedBlank) return sharesBlock(block) ? BlockLook::SharedErase : BlockLook::WillErase;
  if (differing != 0) return BlockLook::Differs;
  return plannedKnown ? BlockLook::Agrees : BlockLook::PlannedUnread;
}

bool BlockLooks::sharesBlock(const AddressRange& block) const {
  RangeSet others;
  others.add(block);
  for (const MemoryImage::Segment& p : planned_.segmentsIn(block)) others.remove(p.range());
  for (const AddressRange& r : others.ranges()) {
    for (const MemoryImage::Segment& held : contents_.segmentsIn(r)) {
      if (!isBlank(held.bytes)) return true;
    }
  }
  return false;
}

bool BlockLooks::isFromBefore(std::size_t index) const {
  const AddressRange range = block(index);
  if (sure_.contains(range)) return false;
  for (const MemoryImage::Segment& s : contents_.segmentsIn(range)) {
    if (!sure_.contains(s.range())) return true;
  }
  return false;
}

bool BlockLooks::isProtected(std::size_t index) const {
  const AddressRange b = block(index);
  return std::any_of(protected_.begin(), protected_.end(), [&](const AddressRange& r) { return r.overlaps(b); });
}

std::optional<std::uint64_t> BlockLooks::nextDifference(std::uint64_t from) const {
  if (differingBlocks_ == 0) return std::nullopt;
  const auto search = [this](const AddressRange& range) -> std::optional<std::uint64_t> {
    if (range.empty()) return std::nullopt;
    for (std::size_t i = geometry_.blockIndex(range.begin); i < looks_.size(); ++i) {
      const AddressRange now = block(i);
      if (now.begin >= range.end) break;
      if (differing_[i] == 0) continue;
      const AddressRange inside = now.cut(range);
      for (const MemoryImage::Segment& p : planned_.segmentsIn(inside)) {
        for (const MemoryImage::Segment& h : contents_.segmentsIn(p.range())) {
          for (std::size_t k = 0; k < h.bytes.size(); ++k) {
            if (p.bytes[h.begin - p.begin + k] != h.bytes[k]) return h.begin + k;
          }
        }
      }
    }
    return std::nullopt;
  };
  const AddressRange whole = geometry_.whole();
  const std::uint64_t next = std::clamp(from + 1, whole.begin, whole.end);
  if (const auto found = search({next, whole.end})) return found;
  return search({whole.begin, next});
}

std::vector<AddressRange> BlockLooks::plannedBlocks() const {
  RangeSet blocks;
  for (const MemoryImage::Segment& s : planned_.segments()) blocks.add(geometry_.roundedToBlocks(s.range()));
  return blocks.ranges();
}

}  // namespace imprimo::app
