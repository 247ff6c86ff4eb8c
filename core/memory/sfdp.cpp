// SPDX-License-Identifier: GPL-3.0-or-later
//
// JESD216F: SFDP header (6.2), parameter headers (6.3), basic flash parameter table (6.4). DWORDs count from 1 as in
// the standard.
#include "core/memory/sfdp.h"

#include <array>
#include <string_view>
#include <vector>

#include "core/base/error.h"

namespace imprimo::memory {
namespace {

constexpr std::size_t kHeaderBytes = 8;
constexpr std::uint16_t kBasicTable = 0xFF00;
constexpr std::size_t kFirstEditionDwords = 9;

struct ParameterHeader {
  std::uint16_t id;
  std::uint16_t revision;
  std::uint8_t dwords;
  std::uint32_t pointer;
};

ParameterHeader parameterHeader(const std::uint8_t* p) {
  return {static_cast<std::uint16_t>(p[7] << 8 | p[0]), static_cast<std::uint16_t>(p[2] << 8 | p[1]), p[3],
          loadLe32(p + 4) & 0xFFFFFF};
}

constexpr std::uint32_t field(std::uint32_t dword, int high, int low) {
  return dword >> low & ((1u << (high - low + 1)) - 1);
}

/// The table's DWORDs, and questions to them.
class BasicTable {
 public:
  explicit BasicTable(std::vector<std::uint32_t> dwords) : dwords_(std::move(dwords)) {}

  Geometry geometry() const {
    Geometry g;
    g.size = size();
    g.timesAssumed = dwords_.size() < 11;
    eraseTypes(g);
    page(g);
    fourByte(g);
    return g;
  }

 private:
  bool has(std::size_t n) const { return dwords_.size() >= n; }
  std::uint32_t dword(std::size_t n) const { return dwords_[n - 1]; }

  std::uint64_t size() const {
    const std::uint32_t density = dword(2);
    if ((density & 0x80000000u) == 0) return (static_cast<std::uint64_t>(density) + 1) / 8;
    const std::uint32_t exponent = density & 0x7FFFFFFFu;
    return exponent >= 3 && exponent < 63 ? 1ull << (exponent - 3) : 0;
  }

  void eraseTypes(Geometry& g) const {
    for (int i = 0; i < 4 && has(9); ++i) {
      const std::uint32_t half = dword(i < 2 ? 8 : 9) >> (i % 2 * 16) & 0xFFFF;
      const std::uint32_t exponent = half & 0xFF;
      if (exponent == 0 || exponent > 40) continue;
      EraseType type{1ull << exponent, static_cast<std::uint8_t>(half >> 8), 0, 0};
      eraseTimes(type, i);
      g.erase.push_back(type);
    }
    // Before DWORDs 8 and 9 were thought of, DWORD 1 named the 4 KiB erase.
    if (g.erase.empty() && field(dword(1), 1, 0) == 1) {
      EraseType type{4096, static_cast<std::uint8_t>(field(dword(1), 15, 8)), 0, 0};
      assumedTimes(type);
      g.erase.push_back(type);
    }
  }

  static void assumedTimes(EraseType& type) {
    // Slower than any part we know of: 4 KiB within 0.4 s, 64 KiB within 3 s.
    const double perKib = static_cast<double>(type.size) / 1024;
    type.typical = 0.045 + 0.005 * perKib;
    type.longest = 0.4 + 0.05 * perKib;
  }

  void eraseTimes(EraseType& type, int index) const {
    if (!has(10)) return assumedTimes(type);
    constexpr std::array<double, 4> kUnits{0.001, 0.016, 0.128, 1.0};
    const std::uint32_t code = dword(10) >> (4 + 7 * index) & 0x7F;
    type.typical = (field(code, 4, 0) + 1) * kUnits[field(code, 6, 5)];
    type.longest = 2.0 * (field(dword(10), 3, 0) + 1) * type.typical;
  }

  void page(Geometry& g) const {
    if (!has(11)) {
      g.page = field(dword(1), 2, 2) == 1 ? 64 : 1;
      g.pageTypical = 0.001;
      g.pageLongest = 0.010;
      return;
    }
    g.page = 1u << field(dword(11), 7, 4);
    g.pageTypical = (field(dword(11), 12, 8) + 1) * (field(dword(11), 13, 13) == 1 ? 64e-6 : 8e-6);
    g.pageLongest = 2.0 * (field(dword(11), 3, 0) + 1) * g.pageTypical;
  }

  void fourByte(Geometry& g) const {
    if (g.size <= 1u << 24) return;
    if (field(dword(1), 18, 17) == 2) {
      g.fourByte = FourByteEntry::Always;
      return;
    }
    g.fourByte = FourByteEntry::Unknown;
    if (!has(16)) return;
    const std::uint32_t ways = field(dword(16), 31, 24);
    if ((ways & 0x40) != 0) g.fourByte = FourByteEntry::Always;
    if ((ways & 0x02) != 0) g.fourByte = FourByteEntry::WriteEnableThenCommand;
    if ((ways & 0x01) != 0) g.fourByte = FourByteEntry::Command;
  }

  std::vector<std::uint32_t> dwords_;
};

}  // namespace

std::optional<Geometry> readSfdp(const SfdpReader& read) {
  const Bytes header = read(0, kHeaderBytes);
  constexpr std::string_view kSignature = "SFDP";
  if (header.size() < kHeaderBytes || !std::equal(kSignature.begin(), kSignature.end(), header.begin()))
    return std::nullopt;
  const std::size_t count = header[6] + 1u;
  const Bytes headers = read(kHeaderBytes, count * kHeaderBytes);
  if (headers.size() < count * kHeaderBytes) return std::nullopt;

  std::optional<ParameterHeader> basic;
  for (std::size_t i = 0; i < count; ++i) {
    const ParameterHeader h = parameterHeader(headers.data() + i * kHeaderBytes);
    // The first one is the basic table even where an early part wrote its maker's number into the identifier.
    if (i != 0 && h.id != kBasicTable) continue;
    if (!basic || h.revision > basic->revision) basic = h;
  }
  if (basic->dwords < kFirstEditionDwords) {
    throw Error(ErrorKind::UnknownFlash, "the parameter table (SFDP) is too short to describe the part",
                "Describe the part with a part card, \"part\" in the sheet.");
  }
  const Bytes table = read(basic->pointer, basic->dwords * 4u);
  if (table.size() < basic->dwords * 4u) return std::nullopt;
  std::vector<std::uint32_t> dwords;
  for (std::size_t i = 0; i < basic->dwords; ++i) dwords.push_back(loadLe32(table.data() + 4 * i));
  Geometry geometry = BasicTable(std::move(dwords)).geometry();
  checkGeometry(geometry, "the parameter table (SFDP)");
  return geometry;
}

}  // namespace imprimo::memory
