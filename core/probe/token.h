// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>

#include "core/base/bytes.h"

namespace imprimo::probe {

/// What proves to a shared probe that we know its token: the first 32 bytes of HMAC-SHA-512 over the nonce it sent.
Bytes tokenProof(const std::string& token, ByteSpan nonce);

/// The file's content without its final newline. Throws BadFile.
std::string readTokenFile(const std::filesystem::path& path);

}  // namespace imprimo::probe
