// SPDX-License-Identifier: GPL-3.0-or-later
//
// Wires beside the TAP, by DAP_SWJ_Pins: output, which of them, how long to wait (4); response: command, all of them.
#include <fmt/format.h>

#include "core/base/error.h"
#include "core/probe/dap/dap_probe.h"

namespace imprimo::probe {
namespace {

constexpr std::uint8_t kPins = 0x10, kTrstPin = 0x20, kResetPin = 0x80;

}  // namespace

void DapProbe::pulseReset(std::chrono::milliseconds time) {
  const auto drive = [&](std::uint8_t level) { command(Bytes{kPins, level, kResetPin, 0, 0, 0, 0}); };
  drive(0);
  if (wires_ == Wires::Jtag) {
    run(jtag::ScanBatch().delay(time));
  } else if (counted_ || !waitByHost(time, false, [] {})) {
    askDelay(time);
  }
  drive(kResetPin);
}

void DapProbe::throwNoPin(const std::string& name) const {
  throw Error(ErrorKind::Refused, fmt::format("the probe at {} has no pin {}", info_.address, name));
}

// Both pins are pulled up on the target, so letting go is driving them high (DAP_SWJ_Pins).
void DapProbe::drivePin(const std::string& name, std::optional<bool> level) {
  if (name != "TRST" && name != "RESET") throwNoPin(name);
  const std::uint8_t pin = name == "TRST" ? kTrstPin : kResetPin;
  command(Bytes{kPins, level.value_or(true) ? pin : std::uint8_t{0}, pin, 0, 0, 0, 0});
}

bool DapProbe::pinLevel(const std::string& name) {
  if (name != "TRST" && name != "RESET") throwNoPin(name);
  const Bytes answer = command(Bytes{kPins, 0, 0, 0, 0, 0, 0});
  return answer.size() >= 2 && (answer[1] & (name == "TRST" ? kTrstPin : kResetPin)) != 0;
}

}  // namespace imprimo::probe
