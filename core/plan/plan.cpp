// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/plan.h"

#include <algorithm>

#include "core/base/number.h"
#include "core/base/range_set.h"

namespace imprimo::plan {

const char* nameOf(StepKind kind) {
  switch (kind) {
    case StepKind::AwaitTarget:
      return "await-target";
    case StepKind::CheckChain:
      return "check-chain";
    case StepKind::LoadBridge:
      return "load-bridge";
    case StepKind::Configure:
      return "configure";
    case StepKind::Play:
      return "play";
    case StepKind::Identify:
      return "identify";
    case StepKind::Finish:
      return "finish-earlier";
    case StepKind::Compare:
      return "compare";
    case StepKind::Read:
      return "read";
    case StepKind::Save:
      return "save";
    case StepKind::Unprotect:
      return "unprotect";
    case StepKind::Protect:
      return "protect";
    case StepKind::Trial:
      return "trial";
    case StepKind::Look:
      return "look";
    case StepKind::Renew:
      return "renew";
    case StepKind::Erase:
      return "erase";
    case StepKind::Write:
      return "write";
    case StepKind::Confirm:
      return "confirm";
    case StepKind::Restart:
      return "restart";
  }
  return "unknown";
}

std::string Step::amountText(std::uint64_t done) const {
  return bits > 0 ? bitsText(done) : sizeText(done);
}

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
  for (const Step& step : steps) sum += step.bits;
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
