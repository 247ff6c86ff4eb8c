// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "core/image/pieces.h"

namespace imprimo {

/// As readSource(), but a large file that somebody still has, and that was not changed since, is not read once more:
/// the two have its bytes in common. Of several threads that want one at a time the first reads it, the others wait for
/// it. Throws what readSource() throws.
std::shared_ptr<const SourceFile> sharedSource(const Placement& placement, const std::filesystem::path& folder,
                                               const ReadRules& reading = {});

}  // namespace imprimo
