// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/dap/dap_driver.h"
#include "core/probe/mpsse/mpsse_driver.h"

namespace imprimo::probe {

std::span<const Driver* const> drivers() {
  static const DapDriver dap;
  static const MpsseDriver mpsse;
  static const Driver* const kDrivers[] = {&dap, &mpsse};
  return kDrivers;
}

}  // namespace imprimo::probe
