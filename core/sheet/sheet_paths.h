// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <string>

namespace imprimo::sheet {

/// Gives `each` every path that a sheet's JSON has, with its place ("chain[0].bsdl"), to be read or changed. A pack's
/// name without a folder, of which there is no file in `folder`, is one of the user's library and no path: `isPath` is
/// false.
void forEachPath(nlohmann::ordered_json& root, const std::filesystem::path& folder,
                 const std::function<void(std::string& path, const std::string& place, bool isPath)>& each);

}  // namespace imprimo::sheet
