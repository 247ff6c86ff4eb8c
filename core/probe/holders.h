// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <string>
#include <utility>

#include "core/probe/probe_list.h"

namespace imprimo::probe {

/// Device files that processes have open, as far as this user may see them.
class Holders {
 public:
  /// `self`: that process is left out.
  Holders(const SystemRoot& root, int self);
  /// Number and name; null where nobody has it open.
  const std::pair<int, std::string>* of(const std::string& node) const;

 private:
  std::map<std::string, std::pair<int, std::string>> held_;
};

}  // namespace imprimo::probe
