// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/dap/dap_swo.h"

#include <algorithm>

#include "core/base/error.h"

namespace imprimo::probe {
namespace {

constexpr std::uint8_t kTransport = 0x17, kMode = 0x18, kBaudrate = 0x19, kControl = 0x1A, kData = 0x1C;
constexpr std::uint8_t kByCommand = 1, kStart = 1, kStop = 0;
constexpr std::uint8_t kStreamError = 0x40, kOverrun = 0x80;

}  // namespace

bool DapSwo::ask(std::uint8_t command, std::uint8_t argument) {
  const Bytes response = command_(Bytes{command, argument});
  return response.size() >= 2 && response[0] == command && response[1] == 0;
}

std::uint32_t DapSwo::begin(SwoCoding coding, std::uint32_t hz) {
  const bool uart = coding == SwoCoding::Uart;
  if (!can(coding))
    throw Error(ErrorKind::Refused,
                uart ? "the probe cannot listen to SWO" : "the probe cannot listen to SWO in Manchester coding",
                uart ? "Use one that can, or a ring in RAM." : "Use the coding uart, or another probe.");
  // A receiver that runs takes no new settings; one that was left running by somebody before, neither.
  ask(kControl, kStop);
  active_ = false;
  if (!ask(kTransport, kByCommand) || !ask(kMode, uart ? 1 : 2))
    throw Error(ErrorKind::Refused, "the probe does not switch its receiver of SWO on",
                "Unplug it and plug it in again; another program may have left it otherwise.");
  Bytes rate{kBaudrate, 0, 0, 0, 0};
  for (int i = 0; i < 4; ++i) rate[1 + i] = static_cast<std::uint8_t>(hz >> (8 * i));
  const Bytes set = command_(rate);
  const std::uint32_t real = set.size() >= 5 && set[0] == kBaudrate ? loadLe32(set.data() + 1) : 0;
  if (real == 0 || !ask(kControl, kStart)) return 0;
  active_ = true;
  return real;
}

SwoPort::Caught DapSwo::take() {
  Caught all;
  if (!active_) return all;
  // As long as packets come full, there is more.
  const std::size_t most = packetSize_ - 4;
  constexpr int kInARow = 64;
  for (int i = 0; i < kInARow; ++i) {
    const Bytes response =
        command_(Bytes{kData, static_cast<std::uint8_t>(most), static_cast<std::uint8_t>(most >> 8)});
    if (response.size() < 4 || response[0] != kData) break;
    all.error = all.error || (response[1] & kStreamError) != 0;
    all.overrun = all.overrun || (response[1] & kOverrun) != 0;
    const std::size_t count = std::min<std::size_t>(loadLe16(response.data() + 2), response.size() - 4);
    all.bytes.insert(all.bytes.end(), response.begin() + 4, response.begin() + 4 + static_cast<std::ptrdiff_t>(count));
    if (count < most) break;
  }
  return all;
}

void DapSwo::end() {
  if (active_) ask(kControl, kStop);
  active_ = false;
}

}  // namespace imprimo::probe
