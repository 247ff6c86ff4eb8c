// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/debug/debug_port.h"

#include <fmt/format.h>

namespace imprimo::debug {
namespace {

using probe::PortAnswer;
using probe::RegisterAnswers;
using probe::RegisterBatch;

// Registers of the port (B2.2), and bits of CTRL/STAT and ABORT.
constexpr std::uint8_t kPortDpidr = 0x0, kPortAbort = 0x0, kPortControl = 0x4, kPortSelect = 0x8;
constexpr std::uint32_t kClearSticky = 0x1E;  // ORUNERRCLR, WDERRCLR, STKERRCLR, STKCMPCLR
constexpr std::uint32_t kPowerRequests = 0x50000000, kPowerAnswers = 0xA0000000;
constexpr std::uint8_t kPortIdr = 0xFC;
constexpr int kPowerTries = 200;

const char* answerText(PortAnswer answer) {
  switch (answer) {
    case PortAnswer::Ok:
      return "OK";
    case PortAnswer::Wait:
      return "WAIT";
    case PortAnswer::Fault:
      return "FAULT";
    case PortAnswer::Silent:
      return "nothing";
    case PortAnswer::WrongParity:
      return "data whose parity is wrong";
  }
  return "";
}

/// At least 50 clocks with ones, JTAG-to-SWD (0xE79E, least significant bit first), at least 50 ones, idle (B5.2.2).
BitVector switchToSwd() {
  BitVector bits(56, true);
  bits.append(BitVector::fromLsbFirst(0xE79E, 16));
  bits.appendFill(true, 56);
  bits.appendFill(false, 8);
  return bits;
}

BitVector lineReset() {
  BitVector bits(56, true);
  bits.appendFill(false, 8);
  return bits;
}

}  // namespace

RegisterAnswers DebugPort::single(bool ap, bool read, std::uint8_t address, std::uint32_t value) {
  RegisterBatch batch;
  if (read) {
    batch.read(ap, address & 0xC);
  } else {
    batch.write(ap, address & 0xC, value);
  }
  return wires_.access(batch);
}

std::uint32_t DebugPort::readId() {
  const RegisterAnswers id = single(false, true, kPortDpidr, 0);
  if (id.last != PortAnswer::Ok || id.words.empty()) {
    throw Error(
        ErrorKind::BrokenChain, fmt::format("no debug port answers on SWD (it said {})", answerText(id.last)),
        "Check power, ground, SWCLK and SWDIO. Where the firmware switches the pins off or resets the core, give "
        "the core \"connect\": \"under-reset\".");
  }
  return id.words.front();
}

bool DebugPort::resetLine() {
  wires_.sequence(lineReset());
  select_.reset();
  const RegisterAnswers id = single(false, true, kPortDpidr, 0);
  return id.last == PortAnswer::Ok && !id.words.empty() && id.words.front() == dpidr_;
}

void DebugPort::connect() {
  connected_ = false;
  select_.reset();
  wires_.sequence(switchToSwd());
  dpidr_ = readId();
  RegisterBatch begin;
  begin.write(false, kPortAbort, kClearSticky);
  begin.write(false, kPortSelect, 0);
  begin.write(false, kPortControl, kPowerRequests);
  if (const RegisterAnswers done = wires_.access(begin); done.last != PortAnswer::Ok)
    throw Error(ErrorKind::BrokenChain,
                fmt::format("the debug port (DPIDR 0x{:08x}) does not let itself be set up: it "
                            "answers {}",
                            dpidr_, answerText(done.last)),
                "Lower the clock, and check the wires.");
  select_ = 0;
  for (int i = 0; i < kPowerTries; ++i) {
    const RegisterAnswers control = single(false, true, kPortControl, 0);
    if (control.last == PortAnswer::Ok && (control.words.front() & kPowerAnswers) == kPowerAnswers) {
      connected_ = true;
      return;
    }
  }
  throw Error(
      ErrorKind::BrokenChain, fmt::format("the debug port (DPIDR 0x{:08x}) does not acknowledge its power-up", dpidr_),
      "The chip may be held in reset or switched off by its firmware: give the core \"connect\": \"under-reset\".");
}

bool DebugPort::stillPowered() {
  const RegisterAnswers control = single(false, true, kPortControl, 0);
  if (control.last != PortAnswer::Ok) {
    putInOrder(control.last);
    return false;
  }
  return (control.words.front() & kPowerAnswers) == kPowerAnswers &&
         (control.words.front() & kPowerRequests) == kPowerRequests;
}

std::optional<std::uint32_t> DebugPort::targetId() {
  if ((dpidr_ >> 12 & 15) < 2) return std::nullopt;
  constexpr std::uint8_t kTargetIdBank = 2;
  RegisterBatch batch;
  batch.write(false, kPortSelect, kTargetIdBank);
  batch.read(false, kPortControl);
  batch.write(false, kPortSelect, 0);
  select_ = 0;
  const RegisterAnswers answers = wires_.access(batch);
  if (answers.last != PortAnswer::Ok) {
    putInOrder(answers.last);
    return std::nullopt;
  }
  return answers.words.front();
}

void DebugPort::select(std::uint8_t ap, std::uint8_t address) {
  const std::uint32_t wanted = static_cast<std::uint32_t>(ap) << 24 | (address & 0xF0);
  if (select_ == wanted) return;
  select_.reset();
  RegisterAnswers done = single(false, false, kPortSelect, wanted);
  if (done.last != PortAnswer::Ok) {
    putInOrder(done.last);
    done = single(false, false, kPortSelect, wanted);
  }
  if (done.last != PortAnswer::Ok)
    throw PortFault(
        fmt::format("access port {} cannot be selected: the debug port answers {}", ap, answerText(done.last)),
        done.last);
  select_ = wanted;
}

std::uint32_t DebugPort::readAp(std::uint8_t ap, std::uint8_t address) {
  select(ap, address);
  RegisterAnswers answers = single(true, true, address, 0);
  if (answers.last != PortAnswer::Ok) {
    putInOrder(answers.last);
    select(ap, address);
    answers = single(true, true, address, 0);
  }
  if (answers.last == PortAnswer::Ok) return answers.words.front();
  throw PortFault(fmt::format("register 0x{:02x} of access port {} cannot be read: the debug port answers {}", address,
                              ap, answerText(answers.last)),
                  answers.last);
}

void DebugPort::writeAp(std::uint8_t ap, std::uint8_t address, std::uint32_t value) {
  select(ap, address);
  RegisterAnswers answers = single(true, false, address, value);
  if (answers.last != PortAnswer::Ok) {
    putInOrder(answers.last);
    select(ap, address);
    answers = single(true, false, address, value);
  }
  if (answers.last == PortAnswer::Ok) return;
  throw PortFault(fmt::format("register 0x{:02x} of access port {} cannot be written: the debug port answers {}",
                              address, ap, answerText(answers.last)),
                  answers.last);
}

std::uint32_t DebugPort::putInOrder(PortAnswer answer) {
  // Whoever does not answer at all, or not whole, takes nothing before the line was reset.
  if (answer == PortAnswer::Silent || answer == PortAnswer::WrongParity) {
    if (!resetLine()) {
      connected_ = false;
      throw Error(ErrorKind::BrokenChain, fmt::format("the debug port (DPIDR 0x{:08x}) no longer answers", dpidr_),
                  "Check power and wires, and connect again.");
    }
  }
  const RegisterAnswers control = single(false, true, kPortControl, 0);
  const std::uint32_t status = control.words.empty() ? 0 : control.words.front();
  RegisterBatch clear;
  clear.write(false, kPortAbort, kClearSticky);
  // With nothing but WAIT the access that hangs is given up too (DAPABORT).
  if (answer == PortAnswer::Wait) clear.write(false, kPortAbort, 1);
  if (wires_.access(clear).last == PortAnswer::Silent) {
    connected_ = false;
    throw Error(ErrorKind::BrokenChain, fmt::format("the debug port (DPIDR 0x{:08x}) no longer answers", dpidr_),
                "Check power and wires, and connect again.");
  }
  return status;
}

std::vector<std::uint8_t> DebugPort::accessPorts(unsigned most) {
  std::vector<std::uint8_t> ports;
  for (unsigned ap = 0; ap < most; ++ap) {
    // They are numbered without gaps in all but a few chips; the first that is not there ends the search.
    if (readAp(static_cast<std::uint8_t>(ap), kPortIdr) == 0) break;
    ports.push_back(static_cast<std::uint8_t>(ap));
  }
  return ports;
}

std::string dpidrText(std::uint32_t dpidr) {
  return fmt::format("version {}, maker 0x{:02X} of bank {}", dpidr >> 12 & 15, dpidr >> 1 & 0x7F,
                     (dpidr >> 8 & 15) + 1);
}

}  // namespace imprimo::debug
