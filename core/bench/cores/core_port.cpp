// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/cores/core_port.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/debug/jtag_wires.h"
#include "core/debug/swd_wires.h"

namespace imprimo::bench {

bool samePort(const sheet::CoreEntry& a, const sheet::CoreEntry& b) {
  return a.port == b.port && a.position == b.position && a.target == b.target;
}

std::shared_ptr<CorePort> makeCorePort(const sheet::Sheet& sheet, const sheet::CoreEntry& entry, probe::Probe& probe,
                                       jtag::Chain* chain) {
  const bool jtag = entry.port == sheet::CoreEntry::Port::Jtag;
  if (jtag ? chain == nullptr : probe.swd() == nullptr)
    throw Error(ErrorKind::NoProbe,
                fmt::format("{} is on {}, and the probe at {} does not speak it", entry.name, jtag ? "JTAG" : "SWD",
                            probe.info().address),
                "Use one that does.");
  if (!jtag) return std::make_shared<CorePort>(std::make_unique<debug::SwdWires>(*probe.swd(), entry.target));
  const sheet::Device& device = sheet.chain.at(entry.position - 1);
  return std::make_shared<CorePort>(std::make_unique<debug::JtagWires>(
      *chain, entry.position, debug::PortInstructions::of(device.name, device.irLength, device.description.get())));
}

}  // namespace imprimo::bench
