// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/session.h"

#include <ostream>

#include "core/base/error.h"
#include "core/probe/open_probe.h"
#include "core/probe/token.h"
#include "core/run/folders.h"

namespace imprimo::ctl {

std::unique_ptr<probe::Probe> openProbe(const Options& options, std::optional<std::uint32_t> sheetClock) {
  if (options.probe.empty()) {
    throw Error(ErrorKind::NoProbe, "no probe was found",
                "Name one with --probe tcp:HOST:PORT; imprimo-bench serves a simulated one.");
  }
  probe::ProbeOptions settings;
  settings.clockHz = options.speed.value_or(sheetClock.value_or(settings.clockHz));
  if (!options.tokenFile.empty()) settings.token = probe::readTokenFile(options.tokenFile);
  return probe::openProbe(options.probe, settings);
}

sheet::Sheet openSheet(const Options& options, const Context& context) {
  sheet::Sheet sheet = sheet::readSheet(options.sheet);
  for (const std::string& warning : sheet.warnings) context.err << "imprimoctl: warning: " << warning << "\n";
  return sheet;
}

std::unique_ptr<run::Bench> openBench(const Options& options, const sheet::Sheet& sheet) {
  return std::make_unique<run::Bench>(sheet, openProbe(options, sheet.clockHz));
}

bsdl::Library openLibrary(const Options& options, const Context& context) {
  bsdl::Library library;
  for (const std::string& folder : options.libraries) library.addFolder(folder);
  const auto own = run::dataFolder() / "library";
  std::error_code ignored;
  if (std::filesystem::is_directory(own, ignored)) library.addFolder(own);
  for (const std::string& warning : library.warnings()) context.err << "imprimoctl: warning: " << warning << "\n";
  return library;
}

std::string oneMemory(const Options& options, const sheet::Sheet& sheet) {
  if (!options.memory.empty()) return sheet.memory(options.memory).name;
  if (sheet.memories.size() == 1) return sheet.memories.front().name;
  if (sheet.memories.empty()) throw Error(ErrorKind::Usage, "the sheet has no memory");
  std::string names;
  for (const auto& memory : sheet.memories) names += (names.empty() ? "" : ", ") + memory.name;
  throw Error(ErrorKind::Usage, "the sheet has several memories", "Name one: " + names + ".");
}

}  // namespace imprimo::ctl
