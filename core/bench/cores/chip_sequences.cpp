// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/cores/chip_sequences.h"

#include <fmt/format.h>

#include <algorithm>
#include <string_view>

#include "core/base/number.h"
#include "core/bench/cores/cores.h"

namespace imprimo::bench {
namespace {

constexpr std::uint32_t kResetPin = 1u << 7;  // nRESET of DAP_SWJ_Pins
constexpr const char* kRemedy = "Make a core card of the chip, and name that in the sheet.";
constexpr std::uint32_t kResetControl = 0xE000ED0C, kResetRequest = 0x05FA0004;

packs::SequenceRun::Options optionsOf(const packs::Chip& chip, std::string file, bool jtag, std::uint32_t accessPort) {
  packs::SequenceRun::Options options;
  options.file = std::move(file);
  options.processor = chip.processor;
  options.protocol = jtag ? 1 : 2;
  options.accessPort = accessPort;
  return options;
}

std::uint32_t address32(std::uint64_t address) {
  if (address <= UINT32_MAX) return static_cast<std::uint32_t>(address);
  throw Error(ErrorKind::Refused,
              fmt::format("the sequence of the pack asks for {}, beyond 32 bits", hexAddress(address)), kRemedy);
}

}  // namespace

ChipSequences::ChipSequences(std::shared_ptr<const packs::Chip> chip, std::string file, const sheet::CoreEntry& entry,
                             probe::Probe& probe, debug::PortWires& wires, debug::DebugPort& port, debug::MemAp& bus)
    : chip_(std::move(chip)),
      probe_(probe),
      wires_(wires),
      port_(port),
      bus_(bus),
      jtag_(entry.port == sheet::CoreEntry::Port::Jtag),
      own_(bus.accessPort().at),
      run_(chip_->device, *this, optionsOf(*chip_, std::move(file), jtag_, own_)) {}

void ChipSequences::carryOut(const std::string& name) {
  if (has(name)) run_.run(name);
}

std::uint32_t ChipSequences::readPort(std::uint32_t, std::uint32_t address) {
  return port_.readDp(static_cast<std::uint8_t>(address));
}

void ChipSequences::writePort(std::uint32_t, std::uint32_t address, std::uint32_t value) {
  port_.writeDp(static_cast<std::uint8_t>(address), value);
}

std::uint32_t ChipSequences::readAccessPort(std::uint32_t ap, std::uint32_t address) {
  return port_.readAp({ap}, static_cast<std::uint8_t>(address));
}

void ChipSequences::writeAccessPort(std::uint32_t ap, std::uint32_t address, std::uint32_t value) {
  port_.writeAp({ap}, static_cast<std::uint8_t>(address), value);
  busOf(ap).forget();  // it may have been CSW
}

debug::MemAp& ChipSequences::busOf(std::uint32_t ap) {
  if (ap == own_) return bus_;
  return others_.try_emplace(ap, port_, debug::AccessPort{ap}).first->second;
}

std::uint64_t ChipSequences::readMemory(std::uint32_t ap, std::uint64_t address, unsigned bytes) {
  Bytes read(bytes);
  busOf(ap).readEach(address32(address), read, std::min(bytes, 4u));
  std::uint64_t value = 0;
  for (std::size_t i = bytes; i-- > 0;) value = value << 8 | read[i];
  return value;
}

void ChipSequences::writeMemory(std::uint32_t ap, std::uint64_t address, unsigned bytes, std::uint64_t value) {
  Bytes written(bytes);
  for (std::size_t i = 0; i < bytes; ++i) written[i] = static_cast<std::uint8_t>(value >> (8 * i));
  busOf(ap).writeEach(address32(address), written, std::min(bytes, 4u));
}

void ChipSequences::delay(std::uint64_t microseconds) {
  wires_.pass(std::chrono::microseconds(microseconds));
}

void ChipSequences::holdReset(bool held) {
  probe::pinsOf(probe_).drivePin("RESET", held ? std::optional(false) : std::nullopt);
}

std::uint32_t ChipSequences::pins(std::uint32_t output, std::uint32_t select, std::uint64_t microseconds) {
  if ((select & kResetPin) != 0) holdReset((output & kResetPin) == 0);
  if (microseconds > 0) delay(microseconds);
  return output;
}

void ChipSequences::bits(std::uint32_t count, std::uint64_t value) {
  if (jtag_ || probe_.swd() == nullptr || count > 64)
    throw Error(ErrorKind::Refused, "the sequence of the pack sends bits, which is possible on SWD only", kRemedy);
  probe_.swd()->sequence(BitVector::fromLsbFirst(value, count == 0 ? 64 : count));
}

void ChipSequences::message(const std::string& text) {
  if (std::find(messages_.begin(), messages_.end(), text) == messages_.end()) messages_.push_back(text);
}

void ChipSequences::setFlash(const AddressRange& flash) {
  run_.predefine("__FlashAddr", flash.begin);
  run_.predefine("__FlashLen", flash.size());
}

std::uint64_t ChipSequences::now() {
  return static_cast<std::uint64_t>(std::chrono::duration_cast<std::chrono::microseconds>(wires_.now()).count());
}

/// What the standard's own do; setting the port up and the like is done by whoever carries sequences out.
bool ChipSequences::standard(const std::string& name) {
  if (name == "ResetSystem" || name == "ResetProcessor") {
    bus_.writeWord(kResetControl, kResetRequest);
    return true;
  }
  if (name == "ResetHardware") {
    probe::resetOf(probe_).pulseReset(kResetPulse);
    return true;
  }
  if (name == "ResetHardwareAssert" || name == "ResetHardwareDeassert") {
    holdReset(name == "ResetHardwareAssert");
    return true;
  }
  static constexpr std::string_view kNothing[] = {
      "DebugPortSetup",       "DebugPortStart",    "DebugPortStop",   "DebugDeviceUnlock", "DebugCoreStart",
      "DebugCoreStop",        "ResetCatchSet",     "ResetCatchClear", "TraceStart",        "TraceStop",
      "RecoverySupportStart", "DebugCodeMemRemap", "FlashInit",       "FlashUninit"};
  return std::find(std::begin(kNothing), std::end(kNothing), name) != std::end(kNothing);
}

}  // namespace imprimo::bench
