// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>

namespace imprimo::debug {

/// target/resident.s, assembled: carries jobs out one behind another, from a ring in RAM (see there).
inline constexpr std::uint16_t kResidentCode[] = {0x4604, 0x6966, 0x69E5, 0x6820, 0x6861, 0x4288, 0xD00F, 0x6830,
                                                  0x6871, 0x2208, 0x1992, 0x6923, 0x4798, 0x2800, 0xD10B, 0x6861,
                                                  0x3101, 0x6061, 0x69A2, 0x18B6, 0x3D01, 0xD1EC, 0xE7E9, 0x68E0,
                                                  0x2800, 0xD0E8, 0xBE00, 0x60A0, 0xBE00};

/// Its mailbox, in words.
struct ResidentMailbox {
  std::uint32_t given = 0, done = 0, error = 0, leave = 0;
  std::uint32_t function = 0, ring = 0, stride = 0, count = 0;
};

}  // namespace imprimo::debug
