// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/holders.h"

#include "core/probe/usb_facts.h"

namespace imprimo::probe {

namespace fs = std::filesystem;

Holders::Holders(const SystemRoot& root, int self) {
  for (const fs::path& process : entriesOf(root.root / "proc")) {
    const int id = numberIn(process.filename().string(), 10);
    if (id <= 0 || id == self) continue;
    for (const fs::path& open : entriesOf(process / "fd")) {
      std::error_code failure;
      const fs::path target = fs::read_symlink(open, failure);
      if (!failure && target.string().starts_with("/dev/"))
        held_.emplace(target.string(), std::pair{id, firstLine(process / "comm")});
    }
  }
}

const std::pair<int, std::string>* Holders::of(const std::string& node) const {
  const auto it = held_.find(node);
  return it == held_.end() ? nullptr : &it->second;
}

}  // namespace imprimo::probe
