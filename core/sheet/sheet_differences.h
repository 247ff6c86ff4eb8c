// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace imprimo::sheet {

/// Where two sheets' texts differ, key by key in the first one's order: `placements[2].at: "0x1000" in the file,
/// "0x2000" here`, or with other words for the two. What is not JSON is one difference as a whole.
struct SheetSides {
  const char* one = "in the file";
  const char* other = "here";
};
std::vector<std::string> differences(std::string_view inFile, std::string_view here, const SheetSides& sides = {});

}  // namespace imprimo::sheet
