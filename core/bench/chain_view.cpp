// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/chain_view.h"

#include <fmt/format.h>

namespace imprimo::bench {

svf::ChainView chainView(const jtag::FoundChain& found, const sheet::Sheet* sheet, const jtag::Describe& describe) {
  std::vector<svf::ChainPart> parts;
  for (std::size_t i = 0; i < found.parts.size(); ++i) {
    const jtag::FoundPart& f = found.parts[i];
    svf::ChainPart part{f.name, f.irLength.certain() ? f.irLength.min : 0, f.idcode, nullptr};
    if (f.idcode && describe) part.description = describe(*f.idcode);
    if (sheet != nullptr && sheet->chain.size() == found.parts.size()) {
      const sheet::Part& own = sheet->chain[i];
      part.name = own.name;
      if (own.description && (!f.idcode || own.description->matchesIdcode(*f.idcode)))
        part.description = own.description.get();
      if (part.irLength == 0) part.irLength = own.irLength;
    }
    if (part.name.empty()) part.name = fmt::format("part {}", i + 1);
    parts.push_back(std::move(part));
  }
  return svf::ChainView(std::move(parts), found.irTotal);
}

svf::ChainView chainView(const sheet::Sheet& sheet) {
  std::vector<svf::ChainPart> parts;
  for (const sheet::Part& own : sheet.chain) {
    std::optional<std::uint32_t> idcode;
    if (!own.idcodes.empty()) idcode = own.idcodes.front().value;
    parts.push_back({own.name, own.irLength, idcode, own.description.get()});
  }
  return svf::ChainView(std::move(parts));
}

}  // namespace imprimo::bench
