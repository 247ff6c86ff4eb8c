// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/session.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <iostream>

#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/jtag/await_target.h"
#include "core/probe/adapter_card.h"
#include "core/probe/open_probe.h"
#include "core/probe/token.h"
#include "core/sheet/core_route.h"
#include "core/store/folders.h"
#include "core/store/open_bench.h"
#include "core/store/user_library.h"
#include "records/store_address.h"
#include "serial/serial_source.h"

namespace imprimo::ctl {

void checkGlobalFiles(const CommonOptions& options) {
  if (!options.store.empty()) static_cast<void>(records::parseStoreAddress(options.store));
  std::error_code none;
  // A pipe gives what it has only once, and to whoever needs it.
  const auto check = [&](const std::string& file, const FileKind& kind) {
    InputFile(file, kind);
    return std::filesystem::is_regular_file(file, none);
  };
  if (!options.adapter.empty() && check(options.adapter, kCardFile)) probe::readAdapterCard(options.adapter);
  if (!options.tokenFile.empty() && options.tokenFile != "-") check(options.tokenFile, kTokenFile);
  for (const std::string& folder : options.libraries) {
    if (!std::filesystem::is_directory(folder, none))
      throw Error(ErrorKind::BadFile, fmt::format("--library {}: there is no such folder", folder));
  }
}

probe::ProbeOptions probeOptions(const CommonOptions& options, const Context& context,
                                 std::optional<std::uint32_t> sheetClock) {
  probe::ProbeOptions settings;
  settings.stop = context.stop;
  settings.clockHz = options.speed.value_or(sheetClock.value_or(settings.clockHz));
  settings.adapter = options.adapter;
  settings.libraries = options.libraries;
  settings.libraries.push_back((store::dataFolder() / "adapters").string());
  if (options.tokenFile == "-") {
    std::string token;
    std::getline(std::cin, token);
    settings.token = token;
  } else if (!options.tokenFile.empty()) {
    settings.token = probe::readTokenFile(options.tokenFile);
  }
  return settings;
}

std::string probeAddress(const CommonOptions& options, const Context& context) {
  if (!options.probe.empty()) return options.probe;
  return probe::onlyProbe(probe::listProbes(probeOptions(options, context, std::nullopt), context.system));
}

std::unique_ptr<probe::Probe> openProbe(const CommonOptions& options, const Context& context,
                                        std::optional<std::uint32_t> sheetClock) {
  return probe::openProbe(probeAddress(options, context), probeOptions(options, context, sheetClock), context.system);
}

namespace {

/// Tells each second that is left once.
std::function<void(double)> waitTeller(const CommonOptions& options, const Context& context) {
  return [json = options.json, &err = context.err, told = -1](double left) mutable {
    if (static_cast<int>(left) == told || json) return;
    told = static_cast<int>(left);
    err << fmt::format("waiting for the target, {} s left\n", told + 1);
  };
}

}  // namespace

void awaitTarget(const CommonOptions& options, const Context& context, jtag::JtagPort& port,
                 std::optional<std::uint32_t> sheetWait, const std::function<void()>& examine) {
  const auto seconds = options.wait ? options.wait : sheetWait;
  if (!seconds) return examine();
  jtag::awaitTarget(port, std::chrono::seconds(*seconds), examine, waitTeller(options, context), context.stop);
}

void awaitTarget(const CommonOptions& options, const Context& context, bench::Bench& bench,
                 std::optional<std::uint32_t> sheetWait) {
  const auto seconds = options.wait ? options.wait : sheetWait;
  if (!seconds) {
    bench.examine();
    return;
  }
  bench.waitForTarget(std::chrono::seconds(*seconds), waitTeller(options, context), context.stop);
}

sheet::Sheet openSheet(const std::string& file, const CommonOptions& options, const Context& context) {
  sheet::Sheet sheet = sheet::readSheet(file);
  for (Placement& placement : sheet.placements) placement.large = options.large;
  for (const std::string& warning : sheet.warnings) context.err << "imprimoctl: warning: " << warning << "\n";
  return sheet;
}

std::unique_ptr<bench::Bench> openBench(const CommonOptions& options, const Context& context,
                                        const sheet::Sheet& sheet) {
  const std::string address = probeAddress(options, context);
  const probe::ProbeOptions settings = probeOptions(options, context, sheet.clockHz);
  return store::openBench(sheet, {address, "imprimoctl", settings, context.system, options.libraries,
                                  serial::opener(context.system, address, settings.libraries)});
}

bench::ConfigCardFinder cardFinder(const CommonOptions& options) {
  return [more = options.libraries](const std::string& entity) { return store::findConfigCard(entity, more); };
}

bsdl::Library openLibrary(const CommonOptions& options, const Context& context) {
  bsdl::Library library = store::openLibrary(options.libraries);
  for (const std::string& warning : library.warnings()) context.err << "imprimoctl: warning: " << warning << "\n";
  return library;
}

std::string oneMemory(const SheetOptions& options, const sheet::Sheet& sheet) {
  const std::string core = options.core.empty() ? std::string() : sheet.core(options.core).name;
  std::vector<std::string> names;
  for (const sheet::MemoryEntry& memory : sheet.memories) {
    const sheet::CoreRoute* route = sheet::coreRoute(*memory.route);
    if (core.empty() || (route != nullptr && route->core == core)) names.push_back(memory.name);
  }
  const std::string of = core.empty() ? "the sheet" : core;
  if (!options.memory.empty()) {
    const std::string& name = sheet.memory(options.memory).name;
    if (std::find(names.begin(), names.end(), name) != names.end()) return name;
    throw Error(ErrorKind::Usage, fmt::format("{} is no memory of {}", name, core));
  }
  if (names.size() == 1) return names.front();
  if (names.empty()) throw Error(ErrorKind::Usage, of + " has no memory");
  throw Error(ErrorKind::Usage, of + " has several memories", fmt::format("Name one: {}.", fmt::join(names, ", ")));
}

std::string oneCore(const SheetOptions& options, const sheet::Sheet& sheet) {
  if (!options.core.empty()) return sheet.core(options.core).name;
  if (sheet.cores.size() == 1) return sheet.cores.front().name;
  if (sheet.cores.empty()) throw Error(ErrorKind::Usage, "the sheet has no cores");
  std::string names;
  for (const sheet::CoreEntry& core : sheet.cores) names += (names.empty() ? "" : ", ") + core.name;
  throw Error(ErrorKind::Usage, "the sheet has several cores", "Name one with --core: " + names + ".");
}

}  // namespace imprimo::ctl
