// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/debug/debug_port.h"

#include <fmt/format.h>

#include "core/base/number.h"

namespace imprimo::debug {
namespace {

using probe::PortAnswer;
using probe::RegisterAnswers;
using probe::RegisterBatch;

// Registers of the port (B2.2), and bits of CTRL/STAT and ABORT.
constexpr std::uint8_t kPortAbort = 0x0, kPortControl = 0x4, kPortSelect = 0x8;
constexpr std::uint32_t kClearSticky = 0x1E;  // ORUNERRCLR, WDERRCLR, STKERRCLR, STKCMPCLR
constexpr std::uint32_t kStickyFlags = 0xB2;  // the same in CTRL/STAT
constexpr std::uint32_t kPowerAnswers = kPowerRequests << 1;
constexpr std::uint8_t kPortIdr = 0xFC;
constexpr int kPowerTries = 200;
constexpr unsigned kByAddressFrom = 3;  // the version of ports whose access ports have addresses
constexpr std::uint32_t kMemApRegisters = 0xD00;

const char* answerText(PortAnswer answer) {
  switch (answer) {
    case PortAnswer::Ok:
      return "OK";
    case PortAnswer::Wait:
    case PortAnswer::Overrun:
      return "WAIT";
    case PortAnswer::Fault:
      return "FAULT";
    case PortAnswer::Silent:
      return "nothing";
    case PortAnswer::Low:
      return "nothing, and SWDIO stays low";
    case PortAnswer::WrongParity:
      return "data whose parity is wrong";
  }
  return "";
}

std::uint32_t selectOf(AccessPort ap, std::uint8_t address) {
  return ap.byAddress() ? ap.at + kMemApRegisters + (address & 0xF0) : ap.at << 24 | (address & 0xF0);
}

}  // namespace

std::string AccessPort::words() const {
  return byAddress() ? "access port at " + hexAddress(at) : fmt::format("access port {}", at);
}

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
  const RegisterAnswers id = wires_.wake();
  if (id.last != PortAnswer::Ok || id.words.empty()) {
    const bool swd = std::string_view(wires_.name()) == "SWD";
    throw Error(
        ErrorKind::BrokenChain,
        fmt::format("no debug port answers on {} (it said {})", wires_.name(), answerText(id.last)),
        id.last == PortAnswer::Low
            ? "The target has no power, or SWDIO is connected to ground. A core that is held in reset by the "
              "board still answers; one whose firmware switches the pins off needs \"connect\": \"under-reset\"."
        : swd ? "Check power, ground, SWCLK and SWDIO. Where the firmware switches the pins off or resets the "
                "core, give the core \"connect\": \"under-reset\"."
              : "Check \"device\" of the core. Where the firmware switches the port off or resets the core, give "
                "the core \"connect\": \"under-reset\".");
  }
  return id.words.front();
}

void DebugPort::connect() {
  connected_ = false;
  select_.reset();
  dpidr_ = readId();
  RegisterBatch begin;
  begin.write(false, kPortAbort, kClearSticky);
  begin.write(false, kPortSelect, 0);
  begin.write(false, kPortControl, kPowerRequests | wires_.controlBits());
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
      ++connections_;
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

/// A register of the port in another bank than the first; nothing where it does not answer.
std::optional<std::uint32_t> DebugPort::bankRegister(std::uint8_t bank, std::uint8_t address) {
  RegisterBatch batch;
  batch.write(false, kPortSelect, bank);
  batch.read(false, address);
  batch.write(false, kPortSelect, 0);
  select_ = 0;
  const RegisterAnswers answers = wires_.access(batch);
  if (answers.last == PortAnswer::Ok) return answers.words.front();
  select_.reset();
  putInOrder(answers.last);
  return std::nullopt;
}

std::optional<std::uint32_t> DebugPort::targetId() {
  constexpr std::uint8_t kTargetIdBank = 2;
  return version() < 2 ? std::nullopt : bankRegister(kTargetIdBank, kPortControl);
}

void DebugPort::selectValue(std::uint32_t value, const std::string& what) {
  if (select_ == value) return;
  select_.reset();
  RegisterAnswers done = single(false, false, kPortSelect, value);
  if (done.last != PortAnswer::Ok) {
    putInOrder(done.last);
    done = single(false, false, kPortSelect, value);
  }
  if (done.last != PortAnswer::Ok)
    throw PortFault(fmt::format("{} cannot be selected: the debug port answers {}", what, answerText(done.last)),
                    done.last);
  select_ = value;
}

void DebugPort::select(AccessPort ap, std::uint8_t address) {
  selectValue(selectOf(ap, address), ap.words());
}

/// Once more where it was refused, and as often as it takes where it came too early.
RegisterAnswers DebugPort::tried(AccessPort ap, bool read, std::uint8_t address, std::uint32_t value) {
  RegisterAnswers answers;
  for (int tries = 0, early = 0; tries < 2 && early < kOverruns;) {
    select(ap, address);
    answers = single(true, read, address, value);
    if (answers.last == PortAnswer::Ok) return answers;
    putInOrder(answers.last);
    ++(answers.last == PortAnswer::Overrun ? early : tries);
  }
  throw PortFault(fmt::format("register 0x{:02x} of {} cannot be {}: the debug port answers {}", address, ap.words(),
                              read ? "read" : "written", answerText(answers.last)),
                  answers.last);
}

std::uint32_t DebugPort::readAp(AccessPort ap, std::uint8_t address) {
  return tried(ap, true, address, 0).words.front();
}

void DebugPort::writeAp(AccessPort ap, std::uint8_t address, std::uint32_t value) {
  tried(ap, false, address, value);
}

std::uint32_t DebugPort::readDp(std::uint8_t address) {
  const RegisterAnswers answers = single(false, true, address, 0);
  if (answers.last == PortAnswer::Ok) return answers.words.front();
  putInOrder(answers.last);
  throw PortFault(
      fmt::format("register 0x{:x} of the debug port cannot be read: it answers {}", address, answerText(answers.last)),
      answers.last);
}

void DebugPort::writeDp(std::uint8_t address, std::uint32_t value) {
  if ((address & 0xC) == kPortSelect) select_.reset();
  const RegisterAnswers answers = single(false, false, address, value);
  if (answers.last == PortAnswer::Ok) return;
  putInOrder(answers.last);
  throw PortFault(fmt::format("register 0x{:x} of the debug port cannot be written: it answers {}", address,
                              answerText(answers.last)),
                  answers.last);
}

void DebugPort::gone() {
  connected_ = false;
  throw Error(ErrorKind::BrokenChain, fmt::format("the debug port (DPIDR 0x{:08x}) no longer answers", dpidr_),
              "Check power and wires, and connect again.");
}

std::uint32_t DebugPort::putInOrder(PortAnswer answer) {
  // Whoever does not answer at all, or not whole, takes nothing before it was made to listen.
  if (probe::isNoAnswer(answer) || answer == PortAnswer::WrongParity) {
    select_.reset();
    const RegisterAnswers id = wires_.wakeAgain();
    if (id.last != PortAnswer::Ok || id.words.empty() || id.words.front() != dpidr_) gone();
  }
  const RegisterAnswers control = single(false, true, kPortControl, 0);
  const std::uint32_t status = control.words.empty() ? 0 : control.words.front();
  RegisterBatch clear;
  clear.write(false, kPortAbort, kClearSticky);
  // With nothing but WAIT the access that hangs is given up too (DAPABORT).
  if (answer == PortAnswer::Wait) clear.write(false, kPortAbort, 1);
  // A JTAG port of version 0 has its flags cleared where they stand.
  if (wires_.controlBits() != 0 && version() == 0)
    clear.write(false, kPortControl, (status & kPowerRequests) | wires_.controlBits() | kStickyFlags);
  if (probe::isNoAnswer(wires_.access(clear).last)) gone();
  return status;
}

std::vector<AccessPort> DebugPort::accessPorts(unsigned most) {
  if (version() >= kByAddressFrom) return portsOfTable();
  std::vector<AccessPort> ports;
  for (unsigned ap = 0; ap < most; ++ap) {
    // They are numbered without gaps in all but a few chips; the first that is not there ends the search.
    if (readAp({ap}, kPortIdr) == 0) break;
    ports.push_back({ap});
  }
  return ports;
}

/// The table at BASEPTR0, which is read as access ports are: what its entries lead to is looked at for an IDR (IHI
/// 0074, C3.3 and D4.5).
std::vector<AccessPort> DebugPort::portsOfTable() {
  constexpr std::uint8_t kBasePointerBank = 2;
  constexpr std::uint32_t kValid = 1, kPageMask = ~0xFFFu, kPresent = 3, kMemApClass = 8;
  constexpr unsigned kMostEntries = 64;
  const std::optional<std::uint32_t> pointer = bankRegister(kBasePointerBank, 0x0);
  if (!pointer || (*pointer & kValid) == 0) return {};
  const auto word = [&](std::uint32_t at) -> std::uint32_t {
    selectValue(at & ~0xFu, hexAddress(at));
    const RegisterAnswers answers = single(true, true, at & 0xC, 0);
    if (answers.last == PortAnswer::Ok) return answers.words.front();
    putInOrder(answers.last);
    return 0;
  };
  const auto isPort = [&](std::uint32_t at) {
    return (word(at + kMemApRegisters + kPortIdr) >> 13 & 15) == kMemApClass;
  };
  const std::uint32_t table = *pointer & kPageMask;
  if (isPort(table)) return {{table}};
  std::vector<AccessPort> ports;
  for (unsigned i = 0; i < kMostEntries; ++i) {
    const std::uint32_t entry = word(table + 4 * i);
    if (entry == 0) break;
    const std::uint32_t at = table + (entry & kPageMask);
    if ((entry & kPresent) == kPresent && isPort(at)) ports.push_back({at});
  }
  return ports;
}

std::string dpidrText(std::uint32_t dpidr) {
  return fmt::format("version {}, maker 0x{:02X} of bank {}", dpidr >> 12 & 15, dpidr >> 1 & 0x7F,
                     (dpidr >> 8 & 15) + 1);
}

}  // namespace imprimo::debug
