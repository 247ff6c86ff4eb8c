// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/amount.h"

#include "core/base/number.h"

namespace imprimo {

std::string Amount::text() const {
  switch (unit) {
    case Bits:
      return bitsText(count);
    case Clocks:
      return countText(count, "clock");
    case Bytes:
      break;
  }
  return sizeText(count);
}

}  // namespace imprimo
