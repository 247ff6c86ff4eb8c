// SPDX-License-Identifier: GPL-3.0-or-later
//
// JESD216F 6.5, sector map parameter table: descriptors of commands that find out the part's configuration, then one
// map for each configuration. Bit 0 of a descriptor's first DWORD ends its list, bit 1 tells a map from a command.
#include <fmt/format.h>

#include <optional>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/flash/sfdp_basic.h"

namespace imprimo::flash {
namespace {

[[noreturn]] void fail(const std::string& what) {
  throw Error(ErrorKind::UnknownFlash, "the sector map (SFDP) " + what,
              "Describe the part with a part card, \"part\" in the sheet.");
}

class SectorMap {
 public:
  SectorMap(const SfdpTable& table, const SfdpAccess& access) : d_{table.dwords}, access_(access) {}

  void into(BasicGeometry& basic) {
    findMap(askForConfiguration());
    takeRegions(basic);
  }

 private:
  bool isMap() const { return field(d_[at_], 1, 1) == 1; }
  bool isLast() const { return field(d_[at_], 0, 0) == 1; }
  void need(std::size_t dwords) const {
    if (!d_.has(at_ + dwords - 1)) fail("ends in the middle");
  }

  /// Nothing where there is no command to ask with.
  std::optional<std::uint32_t> askForConfiguration() {
    std::uint32_t id = 0;
    need(1);
    if (isMap()) return std::nullopt;
    while (!isMap()) {
      need(2);
      const std::uint32_t command = d_[at_];
      // 00 none, 01 three, 10 four bytes, 11 as the part is set, which after power-up is three
      constexpr unsigned kAddressBytes[] = {0, 3, 4, 3};
      const std::uint32_t clocks = field(command, 19, 16);
      constexpr std::uint32_t kAsSet = 15;
      const std::uint8_t answer =
          access_.detect(static_cast<std::uint8_t>(field(command, 15, 8)), kAddressBytes[field(command, 23, 22)],
                         d_[at_ + 1], clocks == kAsSet ? 8 : clocks);
      id = id << 1 | ((answer & field(command, 31, 24)) != 0 ? 1 : 0);
      const bool last = isLast();
      at_ += 2;
      need(1);
      if (last && !isMap()) fail("has a command after its last one");
      if (last) break;
    }
    return id;
  }

  void findMap(std::optional<std::uint32_t> configuration) {
    // A part with one map has one configuration, whatever number it is given.
    need(1);
    if (!configuration && isLast()) return;
    for (;;) {
      need(1);
      if (!isMap()) fail("mixes commands and maps");
      if (field(d_[at_], 15, 8) == configuration.value_or(0)) return;
      if (isLast())
        fail(fmt::format("has no map for configuration {}, which the part is in", configuration.value_or(0)));
      at_ += field(d_[at_], 23, 16) + 2;
    }
  }

  void takeRegions(BasicGeometry& basic) {
    memory::Geometry& g = basic.geometry;
    const std::size_t count = field(d_[at_], 23, 16) + 1;
    need(count + 1);
    std::uint64_t begin = 0;
    for (std::size_t i = 1; i <= count; ++i) {
      const std::uint32_t region = d_[at_ + i];
      unsigned types = 0;
      for (unsigned t = 0; t < 4; ++t) {
        if (field(region, static_cast<int>(t), static_cast<int>(t)) == 1 && basic.typeAt[t])
          types |= 1u << *basic.typeAt[t];
      }
      g.regions.push_back({begin, types});
      begin += (static_cast<std::uint64_t>(field(region, 31, 8)) + 1) * 256;
    }
    if (begin != g.size) fail(fmt::format("covers {}, but the part has {}", sizeText(begin), sizeText(g.size)));
  }

  Dwords d_;
  const SfdpAccess& access_;
  std::size_t at_ = 1;
};

}  // namespace

void readSectorMap(const SfdpTable& map, const SfdpAccess& access, BasicGeometry& basic) {
  SectorMap(map, access).into(basic);
}

}  // namespace imprimo::flash
