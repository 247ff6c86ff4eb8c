// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sheet/memory_types.h"

namespace imprimo::sheet {

std::span<const char* const> memoryTypes() {
  static constexpr const char* kTypes[] = {"spi-nor", "core-flash", "ram", "parallel-nor"};
  return kTypes;
}

}  // namespace imprimo::sheet
