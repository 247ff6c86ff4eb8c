// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/vectors/chain_check.h"

#include <fmt/format.h>

#include "core/base/number.h"

namespace imprimo::vectors {
namespace {

constexpr std::size_t kIdcodeBits = 32;

/// Of several IDCODEs that would do, what they have in common.
bsdl::Pattern common(const std::vector<bsdl::Pattern>& idcodes) {
  bsdl::Pattern pattern = idcodes.front();
  for (const bsdl::Pattern& p : idcodes) pattern.mask &= p.mask & ~(p.value ^ pattern.value);
  pattern.value &= pattern.mask;
  return pattern;
}

}  // namespace

void writeChainCheck(svf::Writer& writer, const sheet::Sheet& sheet) {
  writer.pad({});
  BitVector tdo, mask, ones, capture, captureMask;
  for (std::size_t i = sheet.chain.size(); i-- > 0;) {
    const sheet::Part& part = sheet.chain[i];
    if (part.idcodes.empty()) {
      tdo.append(false);  // BYPASS captures a 0
      mask.append(true);
    } else {
      const bsdl::Pattern pattern = common(part.idcodes);
      tdo.appendBits(pattern.value, kIdcodeBits);
      mask.appendBits(pattern.mask, kIdcodeBits);
    }
    writer.comment(fmt::format("Part {}: {}, {}, {} instruction bits", i + 1, part.name,
                               part.idcodes.empty() ? std::string("no IDCODE") : hexIdcode(part.idcodes.front().value),
                               part.irLength));
    // Every instruction register captures 1 and 0 first (IEEE 1149.1 7.1.1 d), so the lengths are compared too.
    ones.appendFill(true, part.irLength);
    capture.appendBits(1, 2);
    capture.appendFill(false, part.irLength - 2);
    captureMask.appendBits(3, 2);
    captureMask.appendFill(false, part.irLength - 2);
  }
  writer.scan(svf::Field::Sdr, BitVector(tdo.size()), &tdo, &mask);
  writer.scan(svf::Field::Sir, ones, &capture, &captureMask);
}

void writePartCheck(svf::Writer& writer, const sheet::Part& part) {
  const auto opcode = part.description ? part.description->opcode("IDCODE") : std::nullopt;
  if (!opcode || part.idcodes.empty()) return;
  writer.scan(svf::Field::Sir, *opcode);
  const bsdl::Pattern pattern = common(part.idcodes);
  const BitVector tdo = BitVector::fromLsbFirst(pattern.value, kIdcodeBits),
                  mask = BitVector::fromLsbFirst(pattern.mask, kIdcodeBits);
  writer.scan(svf::Field::Sdr, BitVector(kIdcodeBits), &tdo, &mask);
}

}  // namespace imprimo::vectors
