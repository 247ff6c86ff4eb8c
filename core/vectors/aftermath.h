// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <optional>
#include <string>

#include "core/sheet/sheet.h"

namespace imprimo::vectors {

/// A file was left in its middle: all statements in front of `played` were played, and none from `sent` on was sent.
struct LeftAt {
  std::filesystem::path file;
  std::uint64_t played = 0, sent = 0;
};

/// What the memories hold then, as far as the file tells: blocks that are erased and whose bytes are still to come, and
/// the kept ranges of `sheet` (may be null) among them. Empty where there is nothing of that kind.
std::string aftermath(const LeftAt& left, const sheet::Sheet* sheet);

/// Where the statements at the file's end begin that put modes of parts back, and which were left otherwise at `sent`;
/// nothing where none were, or the file has no such statements.
std::optional<std::uint64_t> closingOf(const LeftAt& left);

}  // namespace imprimo::vectors
