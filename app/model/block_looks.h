// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "core/base/range_set.h"
#include "core/image/memory_image.h"
#include "core/memory/geometry.h"

namespace imprimo::app {

/// How a block looks on the map; the larger value is the one that a tile of several blocks shows.
enum class BlockLook : std::uint8_t {
  Unread,         ///< nothing planned, not read
  Blank,          ///< nothing planned, erased
  Data,           ///< nothing planned, holds something
  Kept,           ///< the sheet keeps it
  Agrees,         ///< holds what is planned
  PlannedUnread,  ///< planned, and not known what is there
  WillErase,      ///< only erased: blank is planned where data is
  SharedErase,    ///< the same, and what else lives there is put back
  Differs,        ///< will be written
};
const char* describe(BlockLook look);

/// What is planned and what is known of one memory, and the look of each of its blocks. Blocks are looked at again only
/// where something changed. Most functions only say what is known, each to another view.
class BlockLooks {
 public:
  void reset(const memory::Geometry& geometry, std::vector<AddressRange> keep);
  void clear();
  void setKept(std::vector<AddressRange> keep);
  void setPlanned(MemoryImage planned);
  /// Bytes that nobody may see: they are shown as neither planned nor known.
  void hide(std::vector<AddressRange> ranges) { hidden_ = std::move(ranges); }
  /// Addresses that the part itself protects.
  void setProtected(std::vector<AddressRange> ranges) { protected_ = std::move(ranges); }
  bool isProtected(std::size_t index) const;
  bool anyProtected() const { return !protected_.empty(); }
  /// `touched` is forgotten, then `contents` is known.
  void update(const std::vector<AddressRange>& touched, const MemoryImage& contents);
  /// All that is known may hold no longer: it is shown as from before until it is read again.
  void doubt() { sure_ = {}; }
  /// Whether something of the block is known from before only.
  bool isFromBefore(std::size_t index) const;
  bool isSure(const AddressRange& range) const { return sure_.contains(range); }
  bool anyFromBefore() const { return contents_.byteCount() > sure_.size(); }

  bool empty() const { return looks_.empty(); }
  const memory::Geometry& geometry() const { return geometry_; }
  const std::vector<BlockLook>& looks() const { return looks_; }
  const MemoryImage& planned() const { return planned_; }
  const MemoryImage& contents() const { return contents_; }
  const std::vector<AddressRange>& keep() const { return keep_; }

  AddressRange block(std::size_t index) const;
  std::uint64_t differingBytes() const { return differingBytes_; }
  std::size_t differingBlocks() const { return differingBlocks_; }
  /// The first address after `from` (going round once) whose planned byte differs from the part's.
  std::optional<std::uint64_t> nextDifference(std::uint64_t from) const;
  /// The blocks that hold planned bytes.
  std::vector<AddressRange> plannedBlocks() const;

 private:
  void lookAt(const AddressRange& range);
  bool sharesBlock(const AddressRange& block) const;
  BlockLook lookOf(const AddressRange& block, std::uint32_t& differing) const;

  memory::Geometry geometry_;
  std::vector<AddressRange> keep_, protected_, hidden_;
  MemoryImage planned_, contents_;
  RangeSet sure_;  // of contents_: read or confirmed, and nobody else can have changed it since
  std::vector<BlockLook> looks_;
  std::vector<std::uint32_t> differing_;  // bytes, for each block
  std::uint64_t differingBytes_ = 0;
  std::size_t differingBlocks_ = 0;
};

}  // namespace imprimo::app
