// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/plan.h"

#include <algorithm>

#include "core/base/number.h"
#include "core/base/range_set.h"

namespace imprimo::plan {

AddressRange Step::extent() const {
  AddressRange whole{UINT64_MAX, 0};
  const auto include = [&](const AddressRange& r) {
    whole = {std::min(whole.begin, r.begin), std::max(whole.end, r.end)};
  };
  for (const AddressRange& r : ranges) include(r);
  for (const memory::EraseBlock& b : erases) include(b.range);
  for (const memory::PageWrite& p : pages) include(p.range());
  return whole.end == 0 ? AddressRange{} : whole;
}

std::vector<AddressRange> Step::places() const {
  RangeSet all(ranges);
  for (const memory::EraseBlock& b : erases) all.add(b.range);
  for (const memory::PageWrite& p : pages) all.add(p.range());
  return all.ranges();
}

double Plan::seconds() const {
  double sum = 0;
  for (const Step& step : steps) sum += step.seconds;
  return sum;
}

std::uint64_t Plan::bits() const {
  std::uint64_t sum = 0;
  for (const Step& step : steps) sum += step.amount.unit == Amount::Bytes ? 0 : step.amount.count;
  return sum;
}

std::size_t Plan::count(BlockFate fate) const {
  return static_cast<std::size_t>(
      std::count_if(blocks.begin(), blocks.end(), [&](const BlockPlan& b) { return b.fate == fate; }));
}

const Step* Plan::find(StepKind kind) const {
  const auto it = std::find_if(steps.begin(), steps.end(), [&](const Step& s) { return s.kind == kind; });
  return it == steps.end() ? nullptr : &*it;
}

std::uint64_t Plan::bytesToWrite() const {
  std::uint64_t sum = 0;
  for (const Step& step : steps) {
    for (const memory::PageWrite& page : step.pages) sum += page.bytes.size();
  }
  return sum;
}

std::size_t Plan::blocksToErase(std::uint64_t blockSize) const {
  std::uint64_t sum = 0;
  for (const Step& step : steps) {
    for (const memory::EraseBlock& block : step.erases) sum += block.range.size();
  }
  return sum / blockSize;
}

}  // namespace imprimo::plan
