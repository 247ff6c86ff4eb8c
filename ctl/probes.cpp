// SPDX-License-Identifier: GPL-3.0-or-later
//
// What is plugged in, what keeps it from being used, and handing one on to another machine.
#include <fmt/format.h>

#include <ostream>

#include "core/base/error.h"
#include "core/probe/open_probe.h"
#include "core/probe/packet_pipe.h"
#include "core/probe/share_server.h"
#include "ctl/commands.h"
#include "ctl/json_out.h"
#include "ctl/session.h"

namespace imprimo::ctl {
namespace {

double milliseconds(std::chrono::microseconds time) {
  return static_cast<double>(time.count()) / 1000;
}

Json probeJson(const probe::ProbeEntry& e) {
  Json json = {{"address", e.address},
               {"kind", e.kind},
               {"vendor", e.vendor},
               {"product", e.product},
               {"serial", e.serial},
               {"port", e.port},
               {"state", probe::nameOf(e.state)},
               {"what", e.what}};
  if (!e.remedy.empty()) json["remedy"] = e.remedy;
  if (e.holderId != 0) json["holder"] = {{"name", e.holder}, {"process", e.holderId}};
  if (!e.speaks.empty()) json["speaks"] = e.speaks;
  if (e.roundTrip) json["round_trip_us"] = e.roundTrip->count();
  return json;
}

void tell(const probe::ProbeEntry& e, std::ostream& out) {
  const std::string time =
      e.roundTrip && e.state == probe::ProbeState::Ready
          ? fmt::format(", {}, {:.2f} ms from question to answer", e.speaks, milliseconds(*e.roundTrip))
          : "";
  out << fmt::format("{:<20}  {:<18}  {:<28}  {}{}\n", e.address, e.kind, e.product, e.what, time);
  if (!e.remedy.empty()) out << fmt::format("{:<20}  {}\n", "", e.remedy);
}

void release(const probe::ProbeListing& listing, const std::string& address) {
  for (const probe::ProbeEntry& e : listing.probes) {
    if (e.address != address) continue;
    if (e.state != probe::ProbeState::KernelDriver) {
      throw Error(ErrorKind::Refused, fmt::format("no kernel driver has {}: {}", address, e.what), e.remedy);
    }
    return probe::releaseKernelDriver(e.bus, e.device, e.interface, e.address);
  }
  throw Error(ErrorKind::NoProbe, fmt::format("no probe on USB is {}", address),
              "'imprimoctl probes' lists those that are there.");
}

}  // namespace

int probes(const Options& options, const Context& context) {
  const probe::ProbeOptions settings = probeOptions(options, context, std::nullopt);
  probe::ProbeListing listing = probe::listProbes(settings, context.system);
  if (!options.release.empty()) {
    release(listing, options.release);
    listing = probe::listProbes(settings, context.system);
  }
  if (options.installRule) probe::installUdevRule(probe::udevRule(listing));
  if (options.rule) {
    context.out << probe::udevRule(listing);
    return 0;
  }
  probe::measureAll(listing, settings, context.system);
  Json json = {{"usb", listing.usbThere}, {"probes", Json::array()}};
  for (const probe::ProbeEntry& e : listing.probes) json["probes"].push_back(probeJson(e));
  if (!options.json) {
    for (const probe::ProbeEntry& e : listing.probes) tell(e, context.out);
  }
  if (!options.probe.empty() && !options.probe.starts_with("usb:")) {
    // A probe elsewhere is not found by looking; it is asked.
    const auto probe = probe::openProbe(options.probe, settings, context.system);
    const auto time = probe->roundTrip();
    json["probes"].push_back({{"address", probe->info().address},
                              {"kind", probe->info().kind},
                              {"product", probe->info().product},
                              {"serial", probe->info().serial},
                              {"state", "ready"},
                              {"what", "ready"},
                              {"round_trip_us", time.count()}});
    if (!options.json) {
      context.out << fmt::format("{:<20}  {:<18}  {:<28}  ready, {:.2f} ms from question to answer\n",
                                 probe->info().address, probe->info().kind, probe->info().product, milliseconds(time));
    }
  }
  if (json["probes"].empty()) {
    json["message"] = listing.nothingFound();
    context.err << "imprimoctl: no probe on USB: " << listing.nothingFound() << "\n";
  }
  const bool locked = std::any_of(listing.probes.begin(), listing.probes.end(), [](const probe::ProbeEntry& e) {
    return e.state == probe::ProbeState::NoPermission;
  });
  if (locked && !options.json) {
    context.out << fmt::format("\nThe rule ({}), installed by 'imprimoctl probes --install-rule':\n{}",
                               probe::udevRulePath().string(), probe::udevRule(listing));
  }
  if (options.json) print(context, json);
  return 0;
}

int share(const Options& options, const Context& context) {
  probe::ShareOptions settings;
  const auto listen = parseHostPort(options.listen.empty() ? "127.0.0.1:0" : options.listen, true);
  if (!listen) {
    throw Error(ErrorKind::Usage, fmt::format("--listen takes HOST:PORT, not '{}'", options.listen),
                "For example 127.0.0.1:4711 or [::1]:4711.");
  }
  settings.listen = *listen;
  probe::ProbeOptions opening = probeOptions(options, context, std::nullopt);
  settings.token = std::exchange(opening.token, std::nullopt);
  if (!settings.token && !listen->isLoopback()) {
    throw Error(ErrorKind::Usage, fmt::format("other computers reach {}, so a token is needed there", listen->text()),
                "Give one with --token-file FILE (or - for standard input), or listen on 127.0.0.1.");
  }
  const std::string address = probeAddress(options, context);
  if (address.starts_with("tcp:")) {
    throw Error(ErrorKind::Usage, fmt::format("{} is shared already", address),
                "Only a probe at this computer can be shared.");
  }
  std::unique_ptr<probe::SharedProbe> shared;
  if (auto packets = probe::openPackets(address, opening, context.system)) {
    shared = probe::shareTransport(std::move(packets));
  } else {
    shared = probe::shareProbe(probe::openProbe(address, opening, context.system));
  }
  probe::ShareServer server(*shared, settings);
  context.out << "sharing " << address << " at tcp:" << server.listening().text()
              << (settings.token ? ", with a token" : "") << std::endl;
  server.serve(context.stop, [&](const std::string& news) {
    if (options.verbose) context.err << "imprimoctl: " << news << "\n";
  });
  return 0;
}

}  // namespace imprimo::ctl
