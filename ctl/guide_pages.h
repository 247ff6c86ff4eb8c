// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <span>
#include <string_view>

namespace imprimo::ctl {

struct GuidePage {
  std::string_view name;  ///< "dead-board"
  std::string_view text;  ///< Markdown, as in docs/guide
};

/// The guide's pages by name, as they were when this was built.
std::span<const GuidePage> guidePages();

}  // namespace imprimo::ctl
