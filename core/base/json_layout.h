// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <string_view>

namespace imprimo {

/// `now` as JSON text, laid out as `text`, valid JSON that it was made from: what did not change stands there byte for
/// byte, with its spaces, line ends and the writing of its numbers; what is new looks like what stands beside it.
std::string inLayoutOf(std::string_view text, const nlohmann::ordered_json& now);

}  // namespace imprimo
