// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bsdl/reading.h"

namespace imprimo::bsdl {

/// Reads the ISC_ attributes, when there are any, into `reading.device.isc`. What is wrong with them keeps the device
/// from being configured, not from being worked with: it is a warning, and `iscProblem`.
void readIsc(Reading& reading);

/// The flows of one ISC_FLOW attribute. Throws BadFile.
std::vector<IscFlow> readIscFlows(Reading& reading, const RawAttribute& attribute);

/// "name" or "name(data)".
IscName takeIscName(Cursor& cursor, std::string_view what);

}  // namespace imprimo::bsdl
