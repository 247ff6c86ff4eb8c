// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/ignored_probes.h"

#include <fstream>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/user_folders.h"
#include "core/probe/probe_address.h"

namespace imprimo::probe {

std::filesystem::path ignoredProbesFile() {
  return dataFolder() / "ignored-probes";
}

std::vector<std::string> ignoredProbes() {
  std::vector<std::string> all;
  std::ifstream in(ignoredProbesFile());
  for (std::string line; std::getline(in, line);) {
    if (!line.empty()) all.push_back(line);
  }
  return all;
}

void setIgnoredProbes(const std::vector<std::string>& addresses) {
  std::string text;
  for (const std::string& address : addresses) {
    if (!parseProbeAddress(address).onUsb())
      throw Error(ErrorKind::Usage, "'" + address + "' is no probe of this computer", "For example usb:SERIAL.");
    text += address + "\n";
  }
  makeFolders(ignoredProbesFile().parent_path());
  writeFileAtomically(ignoredProbesFile(), text);
}

}  // namespace imprimo::probe
