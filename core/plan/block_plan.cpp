// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/block_plan.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"

namespace imprimo::plan {
namespace {

/// No route carries more in one exchange, and a page may be programmed in pieces.
constexpr std::uint32_t kMostInProgram = 32768;

/// Pages of `bytes` (which stand at `address`) without the blank bytes at their ends; blank pages are left out.
std::vector<memory::PageWrite> pagesOf(std::uint64_t address, ByteSpan bytes, std::uint32_t pageSize) {
  pageSize = std::min(pageSize, kMostInProgram);
  std::vector<memory::PageWrite> pages;
  for (std::size_t at = 0; at < bytes.size();) {
    const std::size_t end = std::min<std::size_t>(bytes.size(), at + pageSize - (address + at) % pageSize);
    std::size_t first = at, last = end;
    while (first < last && bytes[first] == kBlankByte) ++first;
    while (last > first && bytes[last - 1] == kBlankByte) --last;
    if (first < last) {
      pages.push_back({address + first, Bytes(bytes.begin() + static_cast<std::ptrdiff_t>(first),
                                              bytes.begin() + static_cast<std::ptrdiff_t>(last))});
    }
    at = end;
  }
  return pages;
}

/// Bytes that differ, page by page, for a memory that takes each of them as it is.
std::vector<memory::PageWrite> changesIn(const AddressRange& block, ByteSpan old, ByteSpan target,
                                         std::uint32_t pageSize) {
  std::vector<memory::PageWrite> pages;
  for (std::size_t at = 0; at < target.size(); at += pageSize) {
    std::size_t first = at, last = std::min<std::size_t>(target.size(), at + pageSize);
    while (first < last && target[first] == old[first]) ++first;
    while (last > first && target[last - 1] == old[last - 1]) --last;
    if (first == last) continue;
    pages.push_back({block.begin + first, Bytes(target.begin() + static_cast<std::ptrdiff_t>(first),
                                                target.begin() + static_cast<std::ptrdiff_t>(last))});
  }
  return pages;
}

bool hasForeignBytes(const AddressRange& block, ByteSpan old, const MemoryImage& desired) {
  Bytes rest(old.begin(), old.end());
  for (const MemoryImage::Segment& s : desired.segmentsIn(block)) {
    std::fill_n(rest.begin() + static_cast<std::ptrdiff_t>(s.begin - block.begin), s.bytes.size(), kBlankByte);
  }
  return std::any_of(rest.begin(), rest.end(), [](std::uint8_t b) { return b != kBlankByte; });
}

}  // namespace

namespace {

/// The first byte that differs in a page that holds something; the block's size where there is none.
std::size_t firstInUsedPage(ByteSpan old, ByteSpan target, std::uint32_t pageSize) {
  for (std::size_t page = 0; page < old.size(); page += pageSize) {
    const std::size_t end = std::min<std::size_t>(old.size(), page + pageSize);
    const ByteSpan here = old.subspan(page, end - page);
    const auto differs = std::mismatch(here.begin(), here.end(), target.begin() + static_cast<std::ptrdiff_t>(page));
    if (differs.first == here.end()) continue;
    if (std::any_of(here.begin(), here.end(), [](std::uint8_t b) { return b != kBlankByte; }))
      return page + static_cast<std::size_t>(differs.first - here.begin());
  }
  return old.size();
}

}  // namespace

BlockWork workForBlock(const AddressRange& block, const memory::Geometry& geometry, const MemoryImage& desired,
                       const MemoryImage& contents, bool noErase) {
  const std::uint32_t pageSize = geometry.page;
  BlockWork work;
  work.plan.range = block;
  if (!contents.covers(block)) {
    work.plan.why = fmt::format("block {} was not read yet", hexAddress(block.begin));
    work.pages = pagesOf(block.begin, desired.bytes(block), pageSize);
    return work;
  }
  const Bytes old = contents.bytes(block);
  work.target = old;
  desired.copyTo(block.begin, work.target);

  std::size_t firstDifference = old.size(), firstRaised = old.size();
  for (std::size_t i = old.size(); i-- > 0;) {
    if (work.target[i] == old[i]) continue;
    firstDifference = i;
    if ((work.target[i] & ~old[i]) != 0) firstRaised = i;  // a bit goes from 0 to 1
  }
  if (geometry.overwrites) firstRaised = old.size();
  if (geometry.programsOnce && firstRaised == old.size()) firstRaised = firstInUsedPage(old, work.target, pageSize);
  if (firstDifference == old.size()) {
    work.plan.fate = BlockFate::Agrees;
    return work;
  }
  work.plan.why =
      fmt::format("block {} differs at {}", hexAddress(block.begin), hexAddress(block.begin + firstDifference));
  if (firstRaised == old.size()) {
    work.plan.fate = BlockFate::Write;
    if (geometry.overwrites) {
      work.pages = changesIn(block, old, work.target, pageSize);
      return work;
    }
    Bytes changes = work.target;
    for (std::size_t i = 0; i < changes.size(); ++i) {
      if (changes[i] == old[i]) changes[i] = kBlankByte;  // leaves the byte as it is
    }
    work.pages = pagesOf(block.begin, changes, pageSize);
    return work;
  }
  if (noErase) {
    throw Error(
        ErrorKind::Refused,
        fmt::format("{} holds {} and should become {}, which takes an erase", hexAddress(block.begin + firstRaised),
                    hexByte(old[firstRaised]), hexByte(work.target[firstRaised])),
        geometry.programsOnce ? "Without erasing only blank pages can be programmed."
                              : "Without erasing a bit can only go from 1 to 0.")
        .setHelp(Help::AllowErase)
        .setAt(block.begin + firstRaised);
  }
  work.plan.fate = hasForeignBytes(block, old, desired) ? BlockFate::Renew : BlockFate::Erase;
  if (work.plan.fate == BlockFate::Renew) work.plan.why += ", and holds other data that is put back";
  work.pages = pagesOf(block.begin, work.target, pageSize);
  return work;
}

void eraseUnseen(BlockWork& work, std::uint32_t pageSize, const MemoryImage& desired) {
  const AddressRange& block = work.plan.range;
  work.plan.fate = BlockFate::Erase;
  work.plan.why = fmt::format("block {} is erased, whatever it holds", hexAddress(block.begin));
  work.target = Bytes(block.size(), kBlankByte);
  desired.copyTo(block.begin, work.target);
  work.pages = pagesOf(block.begin, work.target, pageSize);
}

void rewrite(BlockWork& work, std::uint32_t pageSize, const MemoryImage& desired, const MemoryImage& contents,
             const std::string& why) {
  if (work.plan.fate == BlockFate::Unknown) return;
  const Bytes old = contents.bytes(work.plan.range);
  work.plan.fate = hasForeignBytes(work.plan.range, old, desired) ? BlockFate::Renew : BlockFate::Erase;
  work.plan.why = why;
  work.pages = pagesOf(work.plan.range.begin, work.target, pageSize);
}

std::vector<memory::EraseBlock> largestErases(const std::vector<AddressRange>& blocks,
                                              const memory::Geometry& geometry) {
  std::vector<memory::EraseBlock> erases;
  for (std::size_t i = 0; i < blocks.size();) {
    std::size_t runEnd = i + 1;  // blocks[i, runEnd) follow one another without a gap
    while (runEnd < blocks.size() && blocks[runEnd].begin == blocks[runEnd - 1].end) ++runEnd;
    const std::uint64_t end = blocks[runEnd - 1].end;
    for (std::uint64_t at = blocks[i].begin; at < end;) {
      std::size_t type = geometry.erase.size();
      AddressRange erased{};
      do {
        erased = geometry.erasedBy(--type, at);
      } while (type > 0 && (erased.empty() || erased.begin != at || erased.end > end));
      erases.push_back({erased, type});
      at = erased.end;
    }
    i = runEnd;
  }
  return erases;
}

}  // namespace imprimo::plan
