// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/bench.h"
#include "core/probe/open_probe.h"

namespace imprimo::store {

/// What a bench is opened with, beside its sheet.
struct BenchSetup {
  std::string address;  ///< of the probe
  std::string program;  ///< who holds it, for others that want it
  probe::ProbeOptions probe;
  probe::SystemRoot system;
  std::vector<std::string> libraries;  ///< folders with part cards and configuration cards, beside the user's own
  bench::OpenSerial serial{};          ///< ports of this computer; empty: there are none
};

/// The one way to a bench: the probe is held for this program and opened again in the same way, and descriptions are
/// looked for in the user's library. Throws NoProbe, BadFile.
std::unique_ptr<bench::Bench> openBench(const sheet::Sheet& sheet, const BenchSetup& setup);

}  // namespace imprimo::store
