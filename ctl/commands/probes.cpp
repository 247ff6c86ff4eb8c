// SPDX-License-Identifier: GPL-3.0-or-later
//
// What is plugged in, and what keeps it from being used.
#include <fmt/format.h>

#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/probe/ignored_probes.h"
#include "core/probe/open_probe.h"
#include "core/probe/packet_pipe.h"
#include "ctl/command.h"
#include "ctl/help_words.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
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
  if (!e.remedy.empty()) json["remedy"] = withHelp(e.remedy, e.help, e.address);
  if (e.holderId != 0) json["holder"] = {{"name", e.holder}, {"process", e.holderId}};
  if (!e.speaks.empty()) json["speaks"] = e.speaks;
  if (e.roundTrip) json["round_trip_us"] = e.roundTrip->count();
  return json;
}

void tell(const probe::ProbeEntry& e, std::ostream& out) {
  const std::string time = e.roundTrip && e.state == probe::ProbeState::Ready
                               ? fmt::format(", {}, {:.2f} ms round trip", e.speaks, milliseconds(*e.roundTrip))
                               : "";
  out << fmt::format("{:<20}  {:<18}  {:<28}  {}{}\n", e.address, e.kind, e.product, e.what, time);
  if (!e.remedy.empty()) out << fmt::format("{:<20}  {}\n", "", withHelp(e.remedy, e.help, e.address));
}

void release(const probe::ProbeListing& listing, const std::string& address) {
  for (const probe::ProbeEntry& e : listing.probes) {
    if (e.address != address) continue;
    if (e.state != probe::ProbeState::KernelDriver) {
      throw Error(ErrorKind::Refused, fmt::format("no kernel driver has {}: {}", address, e.what), e.remedy)
          .setHelp(e.help, e.address);
    }
    return probe::releaseKernelDriver(e.bus, e.device, e.interface, e.address);
  }
  throw Error(ErrorKind::NoProbe, fmt::format("no probe on USB is {}", address)).setHelp(Help::ListProbes);
}

struct ProbesOptions : CommonOptions {
  std::string release;
  bool rule = false, installRule = false;
};

void addOptions(OptionList& own, ProbesOptions& options) {
  own.option("--release", options.release, "take this probe away from the kernel's serial driver").typeName("ADDRESS");
  own.flag("--rule", options.rule, "print the udev rule that lets you use probes");
  own.flag("--install-rule", options.installRule, "install that rule; asks for an administrator's password");
}

int runProbes(const ProbesOptions& options, const Context& context) {
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
    for (const std::string& ignored : probe::ignoredProbes())
      context.err << "Left alone, as the settings say: " << ignored << "\n";
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
      context.out << fmt::format("{:<20}  {:<18}  {:<28}  ready, {:.2f} ms round trip\n", probe->info().address,
                                 probe->info().kind, probe->info().product, milliseconds(time));
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

}  // namespace

CommandRow probesCommand() {
  return commandRow<ProbesOptions>("probes", "list probes and what keeps each from being used", addOptions, runProbes);
}

}  // namespace imprimo::ctl
