// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/claims.h"

#include <fmt/format.h>

namespace imprimo::run {
namespace {

/// The parts of `range` that are in `set`.
std::vector<AddressRange> within(const AddressRange& range, const RangeSet& set) {
  RangeSet rest;
  rest.add(range);
  for (const AddressRange& r : set.ranges()) {
    if (r.overlaps(range)) rest.remove(r);
  }
  RangeSet inside;
  inside.add(range);
  for (const AddressRange& r : rest.ranges()) inside.remove(r);
  return inside.ranges();
}

}  // namespace

Claims claimsOf(const MemoryImage& target, const memory::KnownContents& known, const RangeSet& fresh) {
  Claims claims;
  for (const MemoryImage::Segment& planned : target.segments()) {
    claims.unconfirmed.add(planned.range());
    for (const AddressRange& sure : within(planned.range(), known.sure())) {
      const Bytes found = known.bytes(sure);
      const ByteSpan wanted = planned.bytes.subspan(sure.begin - planned.begin, sure.size());
      for (std::size_t i = 0; i < found.size();) {
        const bool equal = found[i] == wanted[i];
        std::size_t end = i + 1;
        while (end < found.size() && (found[end] == wanted[end]) == equal) ++end;
        const AddressRange run{sure.begin + i, sure.begin + end};
        claims.unconfirmed.remove(run);
        if (!equal) {
          claims.differing.add(run);
        } else {
          claims.proven.add(run);
          for (const AddressRange& read : within(run, fresh)) {
            claims.proven.remove(read);
            claims.compared.add(read);
          }
        }
        i = end;
      }
    }
  }
  return claims;
}

std::string untouchedText(const Claims& claims, const std::string& memory) {
  if (claims.nothingTouched()) return "Nothing was touched.";
  std::string text = memory.empty() ? "" : fmt::format("No byte of {} was changed", memory);
  if (claims.protection) {
    text += "; its block protection is not as it was found";
  } else if (claims.opened) {
    text += "; its block protection was cleared and put back";
  }
  if (claims.modes) text += "; its modes are not as they were found";
  if (claims.registers) text += "; a register of it was written";
  for (const std::string& device : claims.stopped)
    text += fmt::format("{}the design in {} was stopped to load the bridge", text.empty() ? "" : "; ", device);
  return text + ".";
}

}  // namespace imprimo::run
