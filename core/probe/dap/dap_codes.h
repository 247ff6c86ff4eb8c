// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>

namespace imprimo::probe {

/// Commands of CMSIS-DAP 2.1 that more than one file here speaks.
enum DapCode : std::uint8_t {
  kDapDelay = 0x09,
  kDapSwjSequence = 0x12,
  kDapJtagSequence = 0x14,
  kDapExecuteCommands = 0x7F,
};

}  // namespace imprimo::probe
