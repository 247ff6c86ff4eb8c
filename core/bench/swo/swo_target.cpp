// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/swo/swo_target.h"

#include <fmt/format.h>

namespace imprimo::bench {
namespace {

constexpr std::uint32_t kItm = 0xE0000000, kPorts = kItm + 0xE00, kTraceControl = kItm + 0xE80, kLock = kItm + 0xFB0,
                        kClass = kItm + 0xFF4;
constexpr std::uint32_t kTpiu = 0xE0040000, kDivider = kTpiu + 0x10, kProtocol = kTpiu + 0xF0,
                        kFormatter = kTpiu + 0x304;
constexpr std::uint32_t kDebugControl = 0xE000EDFC, kTraceEnable = 1u << 24;
constexpr std::uint32_t kLockKey = 0xC5ACCE55, kItmEnable = 1, kSynchronize = 4, kSource = 1u << 16;
constexpr std::uint32_t kNoFormatter = 0x100, kManchester = 1, kUart = 2;

}  // namespace

void SwoTarget::open(probe::SwoCoding coding) {
  for (const debug::ChipStep& step : core_.card().trace.steps) core_.carryOut(step, {});
  debug::MemAp& bus = core_.bus();
  if ((bus.readWord(kDebugControl) & kTraceEnable) == 0) switchedOn_ = true;
  core_.core().keepTrace(true);
  // Component identification 1 of a part of no class or of the debug architecture (IHI 0029, B2.2).
  std::uint32_t kind = 0;
  try {
    kind = bus.readWord(kClass) >> 4 & 0xF;
  } catch (const debug::BusFault&) {
    // There is nothing.
  }
  if (kind != 0xE && kind != 0x9) {
    close();
    throw Error(ErrorKind::Refused, fmt::format("{} has no instrumentation trace (ITM)", core_.name()),
                "Use a ring in its RAM, or semihosting.");
  }
  protocol_ = coding == probe::SwoCoding::Uart ? kUart : kManchester;
  bus.writeWord(kLock, kLockKey);
  bus.writeWord(kTraceControl, 0);
  bus.writeWord(kProtocol, protocol_);
  bus.writeWord(kFormatter, kNoFormatter);
  bus.writeWord(kPorts, ports_ = 0);
  bus.writeWord(kTraceControl, kItmEnable | kSynchronize | kSource);
}

void SwoTarget::setDivider(std::uint32_t clocks) {
  divider_ = clocks - 1;
  core_.bus().writeWord(kDivider, divider_);
}

void SwoTarget::openPorts(std::uint32_t ports) {
  ports_ = ports;
  core_.bus().writeWord(kPorts, ports);
}

void SwoTarget::write(unsigned port, std::uint32_t word) {
  core_.bus().writeWord(kItm + 4 * port, word);
}

bool SwoTarget::holds() {
  debug::MemAp& bus = core_.bus();
  return (bus.readWord(kDebugControl) & kTraceEnable) != 0 && (bus.readWord(kTraceControl) & kItmEnable) != 0 &&
         bus.readWord(kPorts) == ports_ && bus.readWord(kProtocol) == protocol_ && bus.readWord(kDivider) == divider_;
}

void SwoTarget::close() {
  debug::MemAp& bus = core_.bus();
  if (protocol_ != 0) bus.writeWord(kTraceControl, 0);
  if (switchedOn_) core_.core().keepTrace(false);
  switchedOn_ = false;
  protocol_ = 0;
}

}  // namespace imprimo::bench
