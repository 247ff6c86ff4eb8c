// SPDX-License-Identifier: GPL-3.0-or-later
#include "report/system_facts.h"

#include <fmt/format.h>
#include <sys/utsname.h>
#include <unistd.h>

#include <cstdlib>
#include <fstream>
#include <thread>

#include "core/base/number.h"
#include "core/base/user_folders.h"
#include "core/probe/probe_list.h"

namespace imprimo::report {
namespace {

std::string valueIn(const std::filesystem::path& file, const std::string& key) {
  std::ifstream in(file);
  for (std::string line; std::getline(in, line);) {
    if (!line.starts_with(key)) continue;
    std::string value = line.substr(key.size());
    std::erase(value, '"');
    const auto begin = value.find_first_not_of(" \t");
    return begin == std::string::npos ? std::string() : value.substr(begin);
  }
  return {};
}

std::string freeIn(const std::filesystem::path& folder) {
  std::error_code none;
  std::filesystem::path there = folder;
  while (!there.empty() && !std::filesystem::exists(there, none) && there != there.parent_path())
    there = there.parent_path();
  const auto space = std::filesystem::space(there, none);
  return none ? "unknown" : sizeText(space.available) + " free";
}

}  // namespace

std::vector<Fact> systemFacts(const std::filesystem::path& root) {
  utsname kernel{};
  uname(&kernel);
  const std::string name = valueIn(root / "etc/os-release", "PRETTY_NAME=");
  std::error_code none;
  const auto rule = root / probe::udevRulePath().relative_path();
  const auto packaged = root / "usr/lib/udev/rules.d/60-imprimo-probes.rules";
  const bool hasRule = std::filesystem::exists(rule, none) || std::filesystem::exists(packaged, none);
  return {{"system", name.empty() ? "unknown" : name},
          {"kernel", fmt::format("{} {} {}", kernel.sysname, kernel.release, kernel.machine)},
          {"processors", std::to_string(std::thread::hardware_concurrency())},
          {"memory", valueIn(root / "proc/meminfo", "MemTotal:")},
          {"rule for probes", hasRule ? "installed" : "not installed"},
          {"data folder", freeIn(dataFolder())},
          {"user", geteuid() == 0 ? "root" : "not root"}};
}

std::vector<Fact> environmentFacts() {
  std::vector<Fact> facts;
  for (const char* name :
       {"IMPRIMO_STORE", "LANG", "LC_ALL", "LC_MESSAGES", "XDG_CURRENT_DESKTOP", "XDG_SESSION_TYPE", "XDG_DATA_HOME",
        "XDG_CONFIG_HOME", "QT_QPA_PLATFORM", "QT_QPA_PLATFORMTHEME", "QT_SCALE_FACTOR", "QT_STYLE_OVERRIDE"}) {
    if (const char* value = std::getenv(name); value != nullptr) facts.emplace_back(name, value);
  }
  return facts;
}

}  // namespace imprimo::report
