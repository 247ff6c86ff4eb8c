// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/chain_view.h"

#include <fmt/format.h>

namespace imprimo::bench {

svf::ChainView chainView(const jtag::FoundChain& found, const sheet::Sheet* sheet, const jtag::Describe& describe) {
  std::vector<svf::ChainDevice> devices;
  for (std::size_t i = 0; i < found.devices.size(); ++i) {
    const jtag::FoundDevice& f = found.devices[i];
    svf::ChainDevice device{f.name, f.irLength.certain() ? f.irLength.min : 0, f.idcode, nullptr};
    if (f.idcode && describe) device.description = describe(*f.idcode);
    if (sheet != nullptr && sheet->chain.size() == found.devices.size()) {
      const sheet::Device& own = sheet->chain[i];
      device.name = own.name;
      if (own.description && (!f.idcode || own.description->matchesIdcode(*f.idcode)))
        device.description = own.description.get();
      if (device.irLength == 0) device.irLength = own.irLength;
    }
    if (device.name.empty()) device.name = fmt::format("part {}", i + 1);
    devices.push_back(std::move(device));
  }
  return svf::ChainView(std::move(devices), found.irTotal);
}

svf::ChainView chainView(const sheet::Sheet& sheet) {
  std::vector<svf::ChainDevice> devices;
  for (const sheet::Device& own : sheet.chain) {
    std::optional<std::uint32_t> idcode;
    if (!own.idcodes.empty()) idcode = own.idcodes.front().value;
    devices.push_back({own.name, own.irLength, idcode, own.description.get()});
  }
  return svf::ChainView(std::move(devices));
}

}  // namespace imprimo::bench
