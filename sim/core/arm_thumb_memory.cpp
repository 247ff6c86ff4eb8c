// SPDX-License-Identifier: GPL-3.0-or-later
//
// The instructions that load and store (DDI 0419, A5 and A6).
#include <bit>

#include "sim/core/arm_core.h"
#include "sim/sign_extend.h"

namespace imprimo::sim {

void ArmCore::loadStore(std::uint16_t op) {
  std::uint32_t& t = r_[op & 7];
  const std::uint32_t address = r_[op >> 3 & 7] + r_[op >> 6 & 7];
  switch (op >> 9 & 7) {
    case 0:
      return store(address, 4, t);
    case 1:
      return store(address, 2, t & 0xFFFF);
    case 2:
      return store(address, 1, t & 0xFF);
    case 3:
      t = signExtend(load(address, 1), 8);
      return;
    case 4:
      t = load(address, 4);
      return;
    case 5:
      t = load(address, 2);
      return;
    case 6:
      t = load(address, 1);
      return;
    default:
      t = signExtend(load(address, 2), 16);
  }
}

void ArmCore::loadStoreOffset(std::uint16_t op) {
  const bool loads = (op & 0x800) != 0;
  if (op >> 12 == 9) {  // relative to the stack pointer
    const std::uint32_t address = sp() + (op & 0xFFu) * 4;
    std::uint32_t& t = r_[op >> 8 & 7];
    if (loads) {
      t = load(address, 4);
    } else {
      store(address, 4, t);
    }
    return;
  }
  const unsigned bytes = op >> 12 == 6 ? 4 : op >> 12 == 7 ? 1 : 2;
  const std::uint32_t address = r_[op >> 3 & 7] + (op >> 6 & 31u) * bytes;
  std::uint32_t& t = r_[op & 7];
  if (loads) {
    t = load(address, bytes);
  } else {
    store(address, bytes, bytes == 4 ? t : t & ((1u << (8 * bytes)) - 1));
  }
}

void ArmCore::push(std::uint16_t op) {
  const unsigned list = (op & 0xFFu) | (op & 0x100u) << 6;
  if (list == 0) throw Fault{};
  const std::uint32_t base = sp() - 4u * static_cast<unsigned>(std::popcount(list));
  std::uint32_t at = base;
  for (unsigned i = 0; i < 15; ++i) {
    if ((list >> i & 1) == 0) continue;
    store(at, 4, reg(i));
    at += 4;
  }
  sp() = base;
}

void ArmCore::pop(std::uint16_t op) {
  const unsigned list = (op & 0xFFu) | (op & 0x100u) << 7;
  if (list == 0) throw Fault{};
  std::uint32_t at = sp();
  const std::uint32_t end = at + 4u * static_cast<unsigned>(std::popcount(list));
  std::uint32_t target = 0;
  std::array<std::uint32_t, 8> values{};
  for (unsigned i = 0; i < 16; ++i) {
    if ((list >> i & 1) == 0) continue;
    (i < 8 ? values[i] : target) = load(at, 4);
    at += 4;
  }
  for (unsigned i = 0; i < 8; ++i) {
    if ((list >> i & 1) != 0) r_[i] = values[i];
  }
  sp() = end;
  if ((list >> 15 & 1) != 0) branchTo(target);
}

void ArmCore::multiple(std::uint16_t op) {
  const unsigned n = op >> 8 & 7, list = op & 0xFF;
  if (list == 0) throw Fault{};
  std::uint32_t at = r_[n];
  if ((op & 0x800) == 0) {
    for (unsigned i = 0; i < 8; ++i) {
      if ((list >> i & 1) == 0) continue;
      store(at, 4, r_[i]);
      at += 4;
    }
    r_[n] = at;
    return;
  }
  std::array<std::uint32_t, 8> values{};
  for (unsigned i = 0; i < 8; ++i) {
    if ((list >> i & 1) == 0) continue;
    values[i] = load(at, 4);
    at += 4;
  }
  if ((list >> n & 1) == 0) r_[n] = at;
  for (unsigned i = 0; i < 8; ++i) {
    if ((list >> i & 1) != 0) r_[i] = values[i];
  }
}

}  // namespace imprimo::sim
