// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/probe.h"

#include <fmt/format.h>

#include "core/base/error.h"

namespace imprimo::probe {
namespace {

template <typename Ability>
Ability& need(Ability* ability, Probe& probe, const char* what) {
  if (ability != nullptr) return *ability;
  throw Error(ErrorKind::Refused, fmt::format("the probe at {} {}", probe.info().address, what));
}

}  // namespace

TapPort& tapOf(Probe& probe) {
  return need(probe.tap(), probe, "has no JTAG");
}

SwdPort& swdOf(Probe& probe) {
  return need(probe.swd(), probe, "does not speak SWD here");
}

SwoPort& swoOf(Probe& probe) {
  return need(probe.swo(), probe, "cannot listen to SWO");
}

PinPort& pinsOf(Probe& probe) {
  return need(probe.pins(), probe, "has no pins that can be driven one by one");
}

ResetWire& resetOf(Probe& probe) {
  return need(probe.resetWire(), probe, "has no wire to the target's reset");
}

}  // namespace imprimo::probe
