// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <map>
#include <string>

namespace imprimo::units {

/// The unit that a run is for.
struct Unit {
  std::string ledger;
  std::uint64_t id = 0;
  std::string state{};                          ///< what became of it: "used", "failed", "void"
  std::map<std::string, std::string> fields{};  ///< by name; secrets as "secret"
};

}  // namespace imprimo::units
