// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/json.h"

template class nlohmann::basic_json<nlohmann::ordered_map>;
template class nlohmann::detail::serializer<nlohmann::ordered_json>;
