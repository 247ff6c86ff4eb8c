// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/probe.h"

#include "core/base/error.h"

namespace imprimo::probe {

void Probe::drivePin(const std::string& name, std::optional<bool>) {
  throw Error(ErrorKind::Refused, "the probe at " + info().address + " has no pin " + name + " that it could drive");
}

bool Probe::pinLevel(const std::string& name) {
  throw Error(ErrorKind::Refused, "the probe at " + info().address + " has no pin " + name + " that it could look at");
}

}  // namespace imprimo::probe
