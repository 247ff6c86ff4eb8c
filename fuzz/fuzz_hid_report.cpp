// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdint>

#include "core/probe/dap/hid_report.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (imprimo::probe::hidOutputReport({data, size}) > 4096) __builtin_trap();
  return 0;
}
