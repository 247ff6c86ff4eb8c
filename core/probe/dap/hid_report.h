// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/bytes.h"

namespace imprimo::probe {

/// Bytes of the longest output report that a HID report descriptor has, without the report's number (HID 1.11, 6.2.2).
/// 0 where it has none, is cut off, or is larger than 4096.
std::size_t hidOutputReport(ByteSpan descriptor);

}  // namespace imprimo::probe
