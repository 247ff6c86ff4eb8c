// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "core/probe/probe.h"
#include "core/probe/probe_address.h"
#include "core/probe/probe_list.h"
#include "core/probe/transport.h"

namespace imprimo::probe {

/// What is plugged in, with the adapter cards of the options' folders.
ProbeListing listProbes(const ProbeOptions& options, const SystemRoot& root = {});

/// Opens the probe at an address. Throws Usage, NoProbe saying what keeps it from being used, or LinkLost.
std::unique_ptr<Probe> openProbe(const std::string& address, const ProbeOptions& options, const SystemRoot& root = {});

/// The only usable probe on USB. Throws NoProbe saying what there is and what keeps it, or that there are several.
std::string onlyProbe(const ProbeListing& listing);

/// The packets of a CMSIS-DAP probe on USB as they are, for who shares it; null for any other probe.
std::unique_ptr<Transport> openPackets(const std::string& address, const ProbeOptions& options,
                                       const SystemRoot& root = {});

/// Measures all probes of a listing that are ready.
void measureAll(ProbeListing& listing, const ProbeOptions& options, const SystemRoot& root = {});

}  // namespace imprimo::probe
