// SPDX-License-Identifier: GPL-3.0-or-later
//
// RAM that holds anything, a ring in it more often than chance would have it, and a target that writes anywhere between
// two looks.
#include <algorithm>

#include "core/console/ring.h"
#include "core/console/semihosting.h"

namespace {

using namespace imprimo;

constexpr std::uint32_t kRam = 0x20000000, kSize = 4096;

struct Ram : console::TargetMemory {
  Ram(const std::uint8_t* data, std::size_t size) : rest(data, size), bytes(kSize) {}
  void read(std::uint32_t address, std::span<std::uint8_t> out) override {
    touch();
    for (std::size_t i = 0; i < out.size(); ++i) out[i] = bytes[(address - kRam + i) % kSize];
  }
  void write(std::uint32_t address, std::span<const std::uint8_t> data) override {
    // A host that writes outside of the RAM does harm.
    if (address < kRam || address - kRam + data.size() > kSize) __builtin_trap();
    touch();
    std::copy(data.begin(), data.end(), bytes.begin() + (address - kRam));
  }
  void touch() {
    if (rest.size() < 3) return;
    bytes[(rest[0] | rest[1] << 8) % kSize] = rest[2];
    rest = rest.subspan(3);
  }
  ByteSpan rest;
  Bytes bytes;
};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size < 64) return 0;
  Ram ram(data + 64, size - 64);
  constexpr std::uint8_t kMark[] = {0x49, 0x4D, 0x50, 0x52, 0x52, 0x49, 0x4E, 0x47, 1, 0, 0, 0};
  std::copy_n(data, 64, ram.bytes.begin() + 0x100);
  if (data[0] % 8 != 0) {
    std::copy(std::begin(kMark), std::end(kMark), ram.bytes.begin() + 0x100);
    const std::uint32_t end = ~(0x52504D49u ^ 0x474E4952u ^ 1u);
    for (int i = 0; i < 4; ++i) ram.bytes[0x10C + i] = static_cast<std::uint8_t>(end >> (8 * i));
    ram.bytes[0x112] = 0, ram.bytes[0x113] = 0x20;                                      // in RAM, perhaps
    ram.bytes[0x114] = 64, ram.bytes[0x115] = ram.bytes[0x116] = ram.bytes[0x117] = 0;  // of a good size
  }
  const std::vector<AddressRange> rams{{kRam, kRam + kSize}};
  auto rings = console::findRings(ram, rams, [] { return true; });
  rings.emplace_back(kRam + 0x100, rams);
  for (int look = 0; look < 8; ++look) {
    for (console::ConsoleRing& ring : rings) {
      if (ring.take(ram).bytes.size() > kSize) __builtin_trap();
      ring.give(ram, ByteSpan(data, 20));
    }
  }
  for (std::uint32_t operation = 0; operation < 0x32; ++operation)
    console::Semihosting::answer({operation, kRam + data[operation % 64] * 4u}, ram, {});
  return 0;
}
