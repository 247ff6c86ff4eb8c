// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json_fwd.hpp>

namespace imprimo::ctl {

using Json = nlohmann::ordered_json;

struct Context;

/// The one object of --json; text that is not UTF-8 does not hinder it.
void print(const Context& context, const Json& json);

}  // namespace imprimo::ctl
