// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <set>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/probe/probe_list.h"

namespace imprimo::probe {

std::filesystem::path udevRulePath() {
  return "/etc/udev/rules.d/60-imprimo-probes.rules";
}

std::string udevRule(const ProbeListing& listing) {
  // "uaccess" lets whoever sits at this computer in, and nobody else.
  std::string rule =
      "# Debug probes may be used by the people at this computer.\n"
      "ACTION!=\"add|change|bind\", GOTO=\"imprimo_end\"\n"
      "SUBSYSTEM==\"usb\", ATTR{product}==\"*CMSIS-DAP*\", TAG+=\"uaccess\"\n"
      "SUBSYSTEM==\"hidraw\", ATTRS{product}==\"*CMSIS-DAP*\", TAG+=\"uaccess\"\n";
  std::set<std::pair<int, int>> numbers;
  for (const AdapterCard::Usb& usb : genericAdapter().usb) numbers.emplace(usb.vendor, usb.product);
  for (const ProbeEntry& entry : listing.probes) numbers.emplace(entry.vendorId, entry.productId);
  for (const auto& [vendor, product] : numbers) {
    rule += fmt::format(
        "SUBSYSTEM==\"usb\", ATTR{{idVendor}}==\"{:04x}\", ATTR{{idProduct}}==\"{:04x}\", TAG+=\"uaccess\"\n", vendor,
        product);
  }
  return rule + "LABEL=\"imprimo_end\"\n";
}

void installUdevRule(const std::string& rule) {
  const auto file = std::filesystem::temp_directory_path() / fmt::format("imprimo-rule-{}", ::getpid());
  writeFileAtomically(file, rule);
  std::string script =
      "install -m 644 \"$1\" \"$2\" && udevadm control --reload && udevadm trigger --subsystem-match=usb";
  std::string words[] = {"pkexec", "sh", "-c", script, "sh", file.string(), udevRulePath().string()};
  std::vector<char*> arguments;
  for (std::string& word : words) arguments.push_back(word.data());
  arguments.push_back(nullptr);
  pid_t child = 0;
  int status = -1;
  const int code = ::posix_spawnp(&child, "pkexec", nullptr, nullptr, arguments.data(), environ);
  if (code == 0) ::waitpid(child, &status, 0);
  std::error_code ignored;
  std::filesystem::remove(file, ignored);
  if (code == 0 && WIFEXITED(status) && WEXITSTATUS(status) == 0) return;
  throw Error(
      ErrorKind::CannotWrite,
      code != 0 ? std::string("the udev rule was not installed: there is no pkexec on this computer")
                : fmt::format("the udev rule was not installed (pkexec ended with {})",
                              WIFEXITED(status) ? WEXITSTATUS(status) : -1),
      fmt::format("Write it to {} as administrator, then run 'udevadm control --reload'.", udevRulePath().string()));
}

}  // namespace imprimo::probe
