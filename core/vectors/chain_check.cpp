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
    const sheet::Device& device = sheet.chain[i];
    if (device.idcodes.empty()) {
      tdo.append(false);  // BYPASS captures a 0
      mask.append(true);
    } else {
      const bsdl::Pattern pattern = common(device.idcodes);
      tdo.appendBits(pattern.value, kIdcodeBits);
      mask.appendBits(pattern.mask, kIdcodeBits);
    }
    writer.comment(fmt::format(
        "Part {}: {}, {}, {} instruction bits", i + 1, device.name,
        device.idcodes.empty() ? std::string("no IDCODE") : hexIdcode(device.idcodes.front().value), device.irLength));
    // Every instruction register captures 1 and 0 first (IEEE 1149.1 7.1.1 d), so the lengths are compared too.
    ones.appendFill(true, device.irLength);
    capture.appendBits(1, 2);
    capture.appendFill(false, device.irLength - 2);
    captureMask.appendBits(3, 2);
    captureMask.appendFill(false, device.irLength - 2);
  }
  writer.scan(svf::Field::Sdr, BitVector(tdo.size()), &tdo, &mask);
  writer.scan(svf::Field::Sir, ones, &capture, &captureMask);
}

void writeDeviceCheck(svf::Writer& writer, const sheet::Device& device) {
  const auto opcode = device.description ? device.description->opcode("IDCODE") : std::nullopt;
  if (!opcode || device.idcodes.empty()) return;
  writer.scan(svf::Field::Sir, *opcode);
  const bsdl::Pattern pattern = common(device.idcodes);
  const BitVector tdo = BitVector::fromLsbFirst(pattern.value, kIdcodeBits),
                  mask = BitVector::fromLsbFirst(pattern.mask, kIdcodeBits);
  writer.scan(svf::Field::Sdr, BitVector(kIdcodeBits), &tdo, &mask);
}

}  // namespace imprimo::vectors
