// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/flash/registers.h"

#include <fmt/format.h>

#include <bitset>

#include "core/base/error.h"
#include "core/base/number.h"

namespace imprimo::flash {
namespace {

std::string binary(std::uint8_t value) {
  return std::bitset<8>(value).to_string();
}

memory::RegisterBits busyBit() {
  return {0, 0, "busy", "an erase, a program or a register write is under way", true, false};
}
memory::RegisterBits enabledBit() {
  return {1, 1, "write enable", "the next change is allowed; set by 06", true, false};
}

}  // namespace

memory::Register FlashRegister::described() const {
  return {name,
          fmt::format("read by 0x{:02x}, {}", read, write ? fmt::format("written by 0x{:02x}", *write) : "read only"),
          write.has_value(), bits};
}

std::vector<memory::Register> described(const std::vector<FlashRegister>& registers) {
  std::vector<memory::Register> all;
  all.reserve(registers.size());
  for (const FlashRegister& r : registers) all.push_back(r.described());
  return all;
}

std::vector<FlashRegister> standardRegisters(const FlashFacts& facts) {
  FlashRegister first{"status 1", 0x05, 0x01, 0x06, {}, {busyBit(), enabledBit()}};
  FlashRegister second{"status 2", 0x35, 0x01, 0x06, {"status 1", "status 2"}, {}};
  const memory::RegisterBits quad{1, 1, "quad enable", "two of the part's pins are data", false, false};
  switch (facts.quadEnable.value_or(0)) {
    case 1:
    case 4:
    case 5:
      // One byte alone would clear the second register.
      first.together = second.together;
      second.bits = {quad};
      return {first, second};
    case 2:
      first.bits.push_back({6, 6, quad.name, quad.what, false, false});
      return {first};
    case 3:
      second = {"status 2", 0x3F, 0x3E, 0x06, {}, {{7, 7, quad.name, quad.what, false, false}}};
      return {first, second};
    case 6:
      second = {"status 2", 0x35, 0x31, 0x06, {}, {quad}};
      return {first, second, {"status 3", 0x15, 0x11, 0x06, {}, {}}};
    default:
      return {first};
  }
}

std::vector<std::uint8_t> readRegisters(spi::SpiPort& port, const std::vector<FlashRegister>& registers) {
  spi::SpiBatch batch;
  for (int round = 0; round < 2; ++round) {
    for (const FlashRegister& r : registers) batch.exchange({r.read}, 1);
  }
  const spi::SpiAnswers answers = port.run(batch);
  std::vector<std::uint8_t> values;
  for (std::size_t i = 0; i < registers.size(); ++i) {
    const std::uint8_t once = answers.answers.at(i).at(0), again = answers.answers.at(registers.size() + i).at(0);
    std::uint8_t readOnly = 0;
    for (const memory::RegisterBits& b : registers[i].bits) readOnly |= b.readOnly ? b.mask() : 0;
    if (((once ^ again) & ~readOnly) != 0) {
      throw Error(
          ErrorKind::LinkLost,
          fmt::format("{} reads {} and then {}: two reads differ", registers[i].name, hexByte(once), hexByte(again)),
          "Lower the clock or shorten the cable.");
    }
    values.push_back(again);
  }
  return values;
}

std::vector<std::uint8_t> writeRegister(spi::SpiPort& port, const std::vector<FlashRegister>& registers,
                                        std::size_t index, std::uint8_t value, const ReadyCheck& ready) {
  using namespace std::chrono_literals;
  const FlashRegister& target = registers.at(index);
  if (!target.write) throw Error(ErrorKind::Usage, fmt::format("{} can only be read", target.name));
  const std::uint8_t writable = target.described().writable();
  const std::vector<std::uint8_t> before = readRegisters(port, registers);
  Bytes command{*target.write};
  if (target.together.empty()) command.push_back(value);
  for (const std::string& name : target.together) {
    const std::size_t other = memory::registerNamed(described(registers), name);
    command.push_back(other == index ? value : before[other]);
  }
  spi::SpiBatch batch;
  batch.exchange({target.enable});
  batch.exchange(std::move(command));
  batch.expect({ready.command, ready.mask, ready.value, 200us, 1s});
  if (port.run(batch).timedOutAt) {
    throw Error(ErrorKind::NotProgrammed,
                fmt::format("the part is still busy a second after {} was written", target.name),
                "Wait, and read the registers again; if it stays so, switch the board off and on.");
  }
  std::vector<std::uint8_t> after = readRegisters(port, registers);
  const std::uint8_t wrong = (after[index] ^ value) & writable;
  if (wrong != 0) {
    const bool unchanged = ((after[index] ^ before[index]) & writable) == 0;
    throw Error(
        unchanged ? ErrorKind::Refused : ErrorKind::NotProgrammed,
        fmt::format("{} should hold {} ({}) and holds {} ({}): the part did not take {}", target.name, hexByte(value),
                    binary(value), hexByte(after[index]), binary(after[index]), unchanged ? "it" : "all of it"),
        unchanged ? "Its write-protect pin (WP) may be low, or a lock bit may hold the register."
                  : "Some of these bits may not be there, or may be set once and for all.");
  }
  return after;
}

Bytes readUniqueId(spi::SpiPort& port, const UniqueIdCommand& command) {
  Bytes out{command.command};
  out.resize(1 + command.dummyBytes, 0x00);
  spi::SpiBatch batch;
  batch.exchange(out, command.bytes);
  batch.exchange(out, command.bytes);
  const spi::SpiAnswers answers = port.run(batch);
  if (answers.answers.at(0) != answers.answers.at(1)) {
    throw Error(ErrorKind::Refused, "the unique ID changes from read to read", "Lower the clock or shorten the cable.");
  }
  return answers.answers[0];
}

}  // namespace imprimo::flash
