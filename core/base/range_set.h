// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <vector>

#include "core/base/address_range.h"

namespace imprimo {

/// A set of addresses, kept as sorted ranges that neither touch nor overlap.
class RangeSet {
 public:
  RangeSet() = default;
  explicit RangeSet(const std::vector<AddressRange>& ranges) {
    for (const AddressRange& r : ranges) add(r);
  }

  void add(AddressRange range);
  void remove(const AddressRange& range);
  bool empty() const { return byBegin_.empty(); }
  bool contains(const AddressRange& range) const;
  bool overlaps(const AddressRange& range) const;
  std::uint64_t size() const;  ///< addresses in it
  std::vector<AddressRange> ranges() const;

 private:
  std::map<std::uint64_t, std::uint64_t> byBegin_;  // begin to end
};

}  // namespace imprimo
