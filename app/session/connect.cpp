// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/connect.h"

#include "app/session/help_words.h"
#include "core/store/folders.h"
#include "core/store/open_bench.h"
#include "core/store/user_library.h"
#include "serial/serial_source.h"

namespace imprimo::app {

probe::ProbeOptions probeOptions() {
  probe::ProbeOptions options;
  options.libraries = {(store::dataFolder() / "adapters").string(), store::libraryFolder().string()};
  return options;
}

std::map<std::size_t, bench::DeviceReport> lookAtDevices(bench::Bench& bench) {
  std::map<std::size_t, bench::DeviceReport> devices;
  for (std::size_t position = 1; position <= bench.sheet().chain.size(); ++position) {
    if (!bench.sheet().chain[position - 1].description) continue;
    try {
      bench::DeviceReport report = bench.devices().lookAt(position);
      if (!report.text.empty()) devices[position] = std::move(report);
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::BadFile) throw;  // a broken card is told of where it is used
    }
  }
  return devices;
}

namespace {

/// A core that does not answer is no reason to give the rest up, where there is a rest.
void lookAtCores(bench::Bench& bench, ConnectReport& report) {
  std::exception_ptr first;
  for (const sheet::CoreEntry& core : bench.sheet().cores) {
    try {
      report.cores[core.name] = bench.core(core.name).lookAt();
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::LinkLost || e.kind() == ErrorKind::NoProbe) throw;
      report.coreErrors[core.name] = told(e);
      if (!first) first = std::current_exception();
    }
  }
  if (first && report.cores.empty() && bench.sheet().onlySwd()) std::rethrow_exception(first);
}

}  // namespace

ConnectReport openBench(std::unique_ptr<bench::Bench>& bench, const ConnectWish& wish) {
  ConnectReport report;
  const sheet::Sheet& sheet = wish.sheet;
  try {
    bench.reset();
    probe::ProbeOptions options = probeOptions();
    options.clockHz = sheet.clockHz.value_or(options.clockHz);
    bench = store::openBench(sheet, {wish.address.toStdString(),
                                     "imprimo",
                                     options,
                                     wish.system,
                                     {},
                                     serial::opener(wish.system, wish.address.toStdString(), options.libraries)});
    report.probe = bench->probe().info();
    report.clockHz = bench->probe().clockHz();
    if (wish.wait) bench->waitForTarget(std::chrono::seconds(*wish.wait), wish.told, wish.stop);
    report.chain = bench->examine();
    report.rows = jtag::compare(bench::expectedChain(sheet), report.chain);
    jtag::requireMatch(bench::expectedChain(sheet), report.chain);
    report.matches = true;
    if (!sheet.onlySwd()) report.link = bench->checkLink(100);
    lookAtCores(*bench, report);
    report.devices = lookAtDevices(*bench);
  } catch (const Error& e) {
    report.error = e.kind();
    report.message = told(e);
    if (const auto* broken = dynamic_cast<const jtag::BrokenChain*>(&e)) report.broken = *broken;
    if (e.kind() != ErrorKind::ChainMismatch) bench.reset();
    return report;
  }
  for (const sheet::MemoryEntry& entry : sheet.memories) {
    try {
      const sheet::RoutePtr& route = entry.route;
      if (route->load && !bench->at(entry.name).routeAnswers()) {
        // Loading it stops whatever runs there, so that is left to the user.
        report.unloaded[entry.name] = sheet.chain[route->position - 1].name;
        continue;
      }
      report.memories[entry.name] = bench->at(entry.name).identify();
      report.registers[entry.name] = bench->at(entry.name).lastRegisters();
    } catch (const Error& e) {
      report.memoryErrors[entry.name] = told(e);
      if (e.kind() != ErrorKind::LinkLost) continue;
      report.error = e.kind();
      report.message = report.memoryErrors[entry.name];
      bench.reset();
      return report;
    }
  }
  return report;
}

}  // namespace imprimo::app
