// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/open_probe.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/probe/dap_probe.h"
#include "core/probe/ftdi_stream.h"
#include "core/probe/mpsse_probe.h"
#include "core/probe/packet_pipe.h"
#include "core/probe/tcp_transport.h"

namespace imprimo::probe {
namespace {

constexpr int kRoundTrips = 15;

std::unique_ptr<Transport> packetsOf(const ProbeEntry& entry) {
  auto pipe = entry.kind == ProbeEntry::Kind::DapBulk
                  ? openBulkPipe(entry.bus, entry.device, entry.interface, entry.address)
                  : openHidPipe(entry.node, entry.reportSize, entry.address);
  return std::make_unique<PipeTransport>(std::move(pipe));
}

std::unique_ptr<Probe> open(const ProbeEntry& entry, const ProbeOptions& options, std::optional<char> channel) {
  if (entry.kind != ProbeEntry::Kind::Mpsse) return std::make_unique<DapProbe>(packetsOf(entry), options);
  AdapterCard card = options.adapter.empty() ? entry.card : readAdapterCard(options.adapter);
  card.channel = channel.value_or(card.channel);
  auto probe =
      std::make_unique<MpsseProbe>(openFtdiStream(entry.bus, entry.device, card.channel,
                                                  answerRoomOf(entry.vendorId, entry.productId), entry.address),
                                   card, options);
  probe->setNames(entry.vendor, entry.product, entry.serial);
  return probe;
}

ProbeEntry find(const ProbeAddress& address, const ProbeOptions& options, const SystemRoot& root) {
  const ProbeListing listing = listProbes(options, root);
  for (const ProbeEntry& entry : listing.probes) {
    if (entry.serial != address.usb && "@" + entry.port != address.usb) continue;
    if (entry.usable()) return entry;
    throw Error(ErrorKind::NoProbe, fmt::format("the probe at {} cannot be used: {}", address.text(), entry.what),
                entry.remedy);
  }
  throw Error(ErrorKind::NoProbe, fmt::format("no probe on USB is {}", address.text()),
              listing.probes.empty() ? fmt::format("There is none at all: {}.", listing.nothingFound())
                                     : "'imprimoctl probes' lists those that are there.");
}

}  // namespace

ProbeListing listProbes(const ProbeOptions& options, const SystemRoot& root) {
  return listProbes(root, adapterCards({options.libraries.begin(), options.libraries.end()}));
}

std::unique_ptr<Probe> openProbe(const std::string& text, const ProbeOptions& options, const SystemRoot& root) {
  const ProbeAddress address = parseProbeAddress(text);
  switch (address.via) {
    case ProbeAddress::Via::Tcp:
      return std::make_unique<DapProbe>(
          std::make_unique<TcpTransport>(address.place, address.text(), options.connectLimit, options.stop), options);
    case ProbeAddress::Via::MpsseTcp:
      return std::make_unique<MpsseProbe>(
          std::make_unique<TcpStream>(address.place, address.text(), options.connectLimit, options.stop),
          options.adapter.empty() ? genericAdapter() : readAdapterCard(options.adapter), options);
    case ProbeAddress::Via::Usb:
      break;
  }
  return open(find(address, options, root), options, address.channel);
}

std::unique_ptr<Transport> openPackets(const std::string& text, const ProbeOptions& options, const SystemRoot& root) {
  const ProbeAddress address = parseProbeAddress(text);
  if (address.via == ProbeAddress::Via::Tcp) {
    return std::make_unique<TcpTransport>(address.place, address.text(), options.connectLimit, options.stop);
  }
  if (address.via != ProbeAddress::Via::Usb) return nullptr;
  const ProbeEntry entry = find(address, options, root);
  return entry.kind == ProbeEntry::Kind::Mpsse ? nullptr : packetsOf(entry);
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
    throw Error(ErrorKind::Usage, fmt::format("there are {} probes: {}", usable.size(), others),
                "Name one with --probe.");
  }
  if (!listing.probes.empty()) {
    throw Error(ErrorKind::NoProbe, fmt::format("no probe can be used: {}", others), listing.probes.front().remedy);
  }
  throw Error(ErrorKind::NoProbe, "no probe was found: " + listing.nothingFound(),
              "Name one with --probe tcp:HOST:PORT; imprimo-bench serves a simulated one.");
}

void measureAll(ProbeListing& listing, const ProbeOptions& options, const SystemRoot& root) {
  const auto openAndAsk = [&](const ProbeEntry& entry) {
    const auto probe = open(entry, options, {});
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
