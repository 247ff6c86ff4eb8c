// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/open_probe.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/probe/driver.h"
#include "core/probe/ignored_probes.h"

namespace imprimo::probe {
namespace {

constexpr int kRoundTrips = 15;

const Driver& driverOf(const ProbeAddress& address) {
  for (const Driver* driver : drivers()) {
    if (address.scheme == driver->scheme()) return *driver;
  }
  throw Error(ErrorKind::Usage, fmt::format("no kind of probe is at {}", address.text()));
}

ProbeListing listAll(const ProbeOptions& options, const SystemRoot& root) {
  return listProbes(root, adapterCards({options.libraries.begin(), options.libraries.end()}));
}

ProbeEntry find(const ProbeAddress& address, const ProbeOptions& options, const SystemRoot& root) {
  const ProbeListing listing = listAll(options, root);
  for (const ProbeEntry& entry : listing.probes) {
    if (entry.serial != address.usb && "@" + entry.port != address.usb) continue;
    if (entry.usable()) return entry;
    throw Error(ErrorKind::NoProbe, fmt::format("the probe at {} cannot be used: {}", address.text(), entry.what),
                entry.remedy)
        .setHelp(entry.help, entry.address);
  }
  throw Error(ErrorKind::NoProbe, fmt::format("no probe on USB is {}", address.text()),
              listing.probes.empty() ? fmt::format("There is none at all: {}.", listing.nothingFound()) : "")
      .setHelp(listing.probes.empty() ? Help::None : Help::ListProbes);
}

}  // namespace

ProbeListing listProbes(const ProbeOptions& options, const SystemRoot& root) {
  ProbeListing listing = listAll(options, root);
  for (const std::string& ignored : ignoredProbes()) {
    std::erase_if(listing.probes,
                  [&](const ProbeEntry& e) { return e.address == ignored || "usb:@" + e.port == ignored; });
  }
  return listing;
}

std::unique_ptr<Probe> openProbe(const std::string& text, const ProbeOptions& options, const SystemRoot& root) {
  const ProbeAddress address = parseProbeAddress(text);
  if (!address.onUsb()) return driverOf(address).open(address, options);
  const ProbeEntry entry = find(address, options, root);
  return entry.by->open(entry, options, address.channel);
}

std::unique_ptr<Transport> openPackets(const std::string& text, const ProbeOptions& options, const SystemRoot& root) {
  const ProbeAddress address = parseProbeAddress(text);
  if (!address.onUsb()) return driverOf(address).packets(address, options);
  const ProbeEntry entry = find(address, options, root);
  return entry.by->packets(entry);
}

std::string onlyProbe(const ProbeListing& listing) {
  std::vector<const ProbeEntry*> usable;
  std::string others;
  for (const ProbeEntry& entry : listing.probes) {
    if (entry.usable()) usable.push_back(&entry);
    others += fmt::format("{}{} ({}): {}", others.empty() ? "" : "; ", entry.address, entry.product, entry.what);
  }
  if (usable.size() == 1) return usable.front()->address;
  if (usable.size() > 1) {
    throw Error(ErrorKind::Usage, fmt::format("there are {} probes: {}", usable.size(), others), "Name one.")
        .setHelp(Help::NameProbe);
  }
  if (!listing.probes.empty()) {
    throw Error(ErrorKind::NoProbe, fmt::format("no probe can be used: {}", others), listing.probes.front().remedy)
        .setHelp(listing.probes.front().help, listing.probes.front().address);
  }
  throw Error(ErrorKind::NoProbe, "no probe was found: " + listing.nothingFound(),
              "Name one that is reached over TCP; imprimo-bench serves a simulated one.")
      .setHelp(Help::NameProbe);
}

void measureAll(ProbeListing& listing, const ProbeOptions& options, const SystemRoot& root) {
  const auto openAndAsk = [&](const ProbeEntry& entry) {
    const auto probe = entry.by->open(entry, options, {});
    ProbeReply reply{{}, probe->info().swd ? "JTAG, SWD" : "JTAG"};
    for (int i = 0; i < kRoundTrips; ++i) reply.times.push_back(probe->roundTrip());
    return reply;
  };
  for (ProbeEntry& entry : listing.probes) {
    if (root.ask) {
      measure(entry, listing, root.ask);
    } else {
      measure(entry, listing, openAndAsk);
    }
  }
}

}  // namespace imprimo::probe
