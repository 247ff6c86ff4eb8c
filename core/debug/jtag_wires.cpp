// SPDX-License-Identifier: GPL-3.0-or-later
//
// Scans of a JTAG debug port (ADIv5.2, B3.4): 35 bits, the first one next to TDO
//   in   bit 0 RnW, bits 2-1 A[3:2], bits 34-3 data
//   out  bits 2-0 answer (2 OK or FAULT, 1 WAIT), bits 34-3 what the access before this one read
#include "core/debug/jtag_wires.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"

namespace imprimo::debug {
namespace {

using jtag::Register;
using jtag::Rest;
using probe::PortAnswer;
using probe::RegisterAnswers;

constexpr std::size_t kScanBits = 35, kAnswerBits = 3;
constexpr std::uint8_t kControlStatus = 0x4, kReadBuffer = 0xC;
constexpr unsigned kWait = 1, kOk = 2;
constexpr std::uint32_t kStickyOverrun = 1u << 1, kStickyOther = 1u << 4 | 1u << 5 | 1u << 7;
constexpr std::uint32_t kClearOverrun = 1u << 4;
constexpr std::size_t kMostAtOnce = 8192, kFewestAtOnce = 16;
constexpr std::uint32_t kMostIdle = 255;

/// Whether a code could be one of an instruction's, whose text has the last bit to be shifted first.
bool fits(const std::string& text, const BitVector& code) {
  if (text.size() != code.size()) return false;
  for (std::size_t i = 0; i < code.size(); ++i) {
    const char c = text[text.size() - 1 - i];
    if (c != 'X' && (c == '1') != code[i]) return false;
  }
  return true;
}

}  // namespace

PortInstructions PortInstructions::of(const std::string& device, std::uint32_t irLength,
                                      const bsdl::BoundaryDescription* description) {
  constexpr std::uint32_t kLeast = 4;
  if (irLength < kLeast)
    throw Error(ErrorKind::BadFile,
                fmt::format("{} is no debug port: its instruction register has {} bits, and a debug port's has 4",
                            device, irLength),
                "Check \"device\" of the core.");
  const auto code = [&](std::string_view name, std::uint64_t low) {
    if (description != nullptr) {
      if (const auto own = description->opcode(name)) return *own;
    }
    BitVector opcode = BitVector::fromLsbFirst(low, kLeast);
    opcode.appendFill(true, irLength - kLeast);
    if (description == nullptr || name == "IDCODE") return opcode;
    for (const bsdl::Instruction& other : description->instructions) {
      if (other.isPrivate || std::none_of(other.opcodes.begin(), other.opcodes.end(),
                                          [&](const std::string& text) { return fits(text, opcode); }))
        continue;
      throw Error(ErrorKind::BadFile,
                  fmt::format("{} is no debug port: its description has {} where a debug port has {}", device,
                              other.name, name),
                  "Check \"device\" of the core.");
    }
    return opcode;
  };
  return {code("ABORT", 0b1000), code("DPACC", 0b1010), code("APACC", 0b1011), code("IDCODE", 0b1110)};
}

JtagWires::JtagWires(jtag::Chain& chain, std::size_t position, PortInstructions instructions)
    : chain_(chain), position_(position), instructions_(std::move(instructions)), atOnce_(kMostAtOnce) {}

std::vector<JtagWires::Access> JtagWires::flattened(const probe::RegisterBatch& batch) {
  std::vector<Access> all;
  all.reserve(batch.accesses());
  for (const probe::RegisterRun& run : batch.runs()) {
    for (std::size_t i = 0; i < run.count; ++i)
      all.push_back({run.ap, run.read, run.address, run.read ? 0 : run.words[i]});
  }
  return all;
}

/// Scans one behind another for one device, without passing Run-Test/Idle where no clocks are wanted there.
class JtagWires::Scans {
 public:
  explicit Scans(const JtagWires& wires) : wires_(wires) {}

  void select(const BitVector& opcode) {
    if (selected_ == &opcode) return;
    selected_ = &opcode;
    jtag::Scan scan;
    scan.into = Register::Instruction;
    scan.out = wires_.chain_.instructions(wires_.position_, opcode);
    add(std::move(scan), 0);
  }

  void access(const Access& access) {
    const PortInstructions& codes = wires_.instructions_;
    select(access.aborts() ? codes.abort : access.ap ? codes.apacc : codes.dpacc);
    const std::uint64_t bits = (access.read ? 1u : 0u) | static_cast<std::uint64_t>(access.address >> 2) << 1 |
                               static_cast<std::uint64_t>(access.data) << kAnswerBits;
    data(bits, kScanBits, pending_ ? kScanBits : kAnswerBits, access.ap ? wires_.idle_ : 0);
    pending_ = access.read;
  }

  /// What the access before gave, and CTRL/STAT: two more answers.
  void status() {
    pending_ = true;
    access({false, true, kControlStatus, 0});
    access({false, true, kReadBuffer, 0});
  }

  void data(std::uint64_t bits, std::size_t count, std::size_t captured, std::uint32_t idle) {
    const std::size_t skipped = wires_.chain_.after(wires_.position_);
    jtag::Scan scan;
    scan.out = BitVector(skipped);
    scan.out.appendBits(bits, count);
    scan.out.appendFill(false, wires_.chain_.before(wires_.position_));
    scan.captures = {{skipped, skipped + captured}};
    add(std::move(scan), idle);
  }

  jtag::ScanAnswers run() {
    if (last_) put(Rest::Idle);
    wires_.chain_.forget();
    jtag::JtagPort& port = wires_.chain_.port();
    std::uint64_t clocks = 0;
    for (const jtag::ScanBatch::Item& item : batch_.items()) clocks += jtag::clocksOf(item);
    wires_.asked_ += std::chrono::nanoseconds(clocks * 1'000'000'000 / std::max(port.clockHz(), 1u));
    return port.run(batch_);
  }

 private:
  void add(jtag::Scan&& scan, std::uint32_t idle) {
    if (last_) put(Rest::Update);
    scan.from = from_;
    last_ = std::move(scan);
    if (idle == 0) return;
    put(Rest::Idle);
    batch_.idle(idle);
  }
  void put(Rest until) {
    last_->until = from_ = until;
    batch_.add(std::move(*last_));
    last_.reset();
  }

  const JtagWires& wires_;
  jtag::ScanBatch batch_;
  std::optional<jtag::Scan> last_;  // not in the batch yet: what follows says how it ends
  Rest from_ = Rest::Idle;
  const BitVector* selected_ = nullptr;
  bool pending_ = false;  // what the access before read comes with the next scan
};

namespace {

unsigned answerOf(const BitVector& captured) {
  return static_cast<unsigned>(captured.bits(0, kAnswerBits));
}

std::uint32_t wordOf(const BitVector& captured) {
  return static_cast<std::uint32_t>(captured.bits(kAnswerBits, 32));
}

}  // namespace

/// Accesses in one batch, and at its end whether a flag was set by one of them.
RegisterAnswers JtagWires::round(std::span<const Access> accesses) {
  const std::size_t count = accesses.size();
  Scans scans(*this);
  for (const Access& access : accesses) scans.access(access);
  scans.status();
  const jtag::ScanAnswers captured = scans.run();
  RegisterAnswers answers;
  // What a read gave comes with the scan after it.
  const auto answered = [&](std::size_t i) { return i > 0 && accesses[i - 1].read ? i - 1 : i; };
  const auto stop = [&](std::size_t done, PortAnswer why) {
    answers.done = done;
    answers.last = why;
    return answers;
  };
  for (std::size_t i = 0; i < count; ++i) {
    const unsigned answer = accesses[i].aborts() ? kOk : answerOf(captured.at(i));
    if (answer != kOk && answer != kWait) return stop(answered(i), PortAnswer::Silent);
    if (answer == kWait) {
      Ending flags;
      flags.take(captured.at(count), captured.at(count + 1));
      if ((flags.status.value_or(0) & kStickyOther) != 0) break;
      // What was asked before goes on, and what it reads is not known to stay.
      return stop(answered(i), PortAnswer::Overrun);
    }
    if (i > 0 && accesses[i - 1].read) answers.words.push_back(wordOf(captured.at(i)));
  }
  Ending ending;
  ending.take(captured.at(count), captured.at(count + 1));
  for (int tries = 0; !ending.silent && !ending.status && tries < kOverruns; ++tries) {
    Scans again(*this);
    again.status();
    const jtag::ScanAnswers later = again.run();
    ending.take(later.at(0), later.at(1));
  }
  if (ending.silent) return stop(answered(count), PortAnswer::Silent);
  if (!ending.status) return stop(count > 0 ? count - 1 : 0, PortAnswer::Wait);
  // With something else to be told the flags are cleared by who is told.
  const bool portOnly = std::none_of(accesses.begin(), accesses.end(), [](const Access& access) { return access.ap; });
  const std::uint32_t told = *ending.status & (kStickyOther | (ending.overrun ? 0 : kStickyOverrun));
  if (!portOnly && told != 0) {
    // One of them failed, and it does not say which.
    answers.words.clear();
    return stop(0, (told & kStickyOther) != 0 ? PortAnswer::Fault : PortAnswer::Overrun);
  }
  if (ending.overrun) clearOverrun(*ending.status);
  if (count > 0 && accesses[count - 1].read) answers.words.push_back(*ending.word);
  return stop(count, PortAnswer::Ok);
}

/// Two scans, for CTRL/STAT and behind it. One that comes too early is left out, and the next has its answer.
void JtagWires::Ending::take(const BitVector& first, const BitVector& second) {
  const unsigned one = answerOf(first), two = answerOf(second);
  silent = (one != kOk && one != kWait) || (two != kOk && two != kWait);
  overrun = overrun || one == kWait || two == kWait;
  if (!word && one == kOk) word = wordOf(first);
  if (two != kOk) return;
  if (one == kOk) {
    status = wordOf(second);
  } else if (!word) {
    word = wordOf(second);
  }
}

/// The flag that asking for the status too early has set; where a port of version 0 has it, it is cleared by a one.
void JtagWires::clearOverrun(std::uint32_t status) {
  Scans scans(*this);
  if (hasDpidr_) {
    scans.access({false, false, 0x0, kClearOverrun});
  } else {
    scans.access({false, false, kControlStatus, (status & kPowerRequests) | controlBits() | kStickyOverrun});
  }
  scans.status();
  scans.run();
}

RegisterAnswers JtagWires::access(const probe::RegisterBatch& batch) {
  const std::vector<Access> all = flattened(batch);
  RegisterAnswers answers;
  while (answers.done < all.size()) {
    const std::size_t left = all.size() - answers.done, some = std::min(careful_ > 0 ? 1 : atOnce_, left);
    const RegisterAnswers part = round(std::span(all).subspan(answers.done, some));
    answers.words.insert(answers.words.end(), part.words.begin(), part.words.end());
    answers.done += part.done;
    if (part.last == PortAnswer::Ok) {
      if (careful_ > 0) {
        --careful_;
      } else if (some == atOnce_) {
        atOnce_ = std::min(kMostAtOnce, 2 * atOnce_);
      }
      continue;
    }
    answers.last = part.last;
    if (part.last == PortAnswer::Fault && some > 1) careful_ = some + 1;
    if (part.last == PortAnswer::Overrun) {
      // One by one each is waited for.
      if (part.done == 0) careful_ = std::max<std::size_t>(careful_, 4);
      if (atOnce_ <= kFewestAtOnce || some < kFewestAtOnce) idle_ = std::min(kMostIdle, 2 * idle_ + 1);
      atOnce_ = std::max(kFewestAtOnce, std::min(atOnce_, some) / 2);
    }
    return answers;
  }
  return answers;
}

void JtagWires::pass(std::chrono::microseconds time) {
  if (chain_.port().clock()) return;
  chain_.port().run(jtag::ScanBatch().delay(time));
  asked_ += time;
}

RegisterAnswers JtagWires::wake() {
  careful_ = 0;
  probe::RegisterBatch batch;
  batch.read(false, 0x0);
  RegisterAnswers id = round(flattened(batch));
  hasDpidr_ = id.last != PortAnswer::Ok || (id.words.front() & 1) != 0;
  if (hasDpidr_) return id;
  // A port of version 0 has no DPIDR; it is known by the device's IDCODE.
  Scans scans(*this);
  scans.select(instructions_.idcode);
  scans.data(0, 32, 32, 0);
  id.words = {static_cast<std::uint32_t>(scans.run().at(0).bits(0, 32))};
  return id;
}

}  // namespace imprimo::debug
