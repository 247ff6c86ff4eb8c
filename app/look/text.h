// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

#include "core/base/address_range.h"
#include "core/base/number.h"

namespace imprimo::app {

inline QString text(const std::string& s) {
  return QString::fromStdString(s);
}

/// Without "0x", for places where only addresses stand.
inline QString plainHex(std::uint64_t address) {
  return text(hexAddress(address)).mid(2);
}

/// First and last address.
inline QString plainHex(const AddressRange& range) {
  return plainHex(range.begin) + " – " + plainHex(range.end - 1);
}

}  // namespace imprimo::app
