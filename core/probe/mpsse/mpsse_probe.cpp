// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/mpsse/mpsse_probe.h"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

#include "core/base/error.h"
#include "core/probe/cut_apart.h"

namespace imprimo::probe {
namespace {

using namespace mpsse;
using std::chrono::milliseconds;

constexpr std::uint32_t kBaseHz = 30'000'000;  // TCK at divisor 0, undivided
constexpr std::uint16_t kTck = 1, kTdi = 2, kTms = 8;
/// Clocks run ahead of the host for at most so long: that is how late a stop is, and how much is cut off at worst.
constexpr double kMostAhead = 0.1, kMarkAfter = 0.025;
/// What is queued when a batch is over is waited for only where that takes longer than asking.
constexpr double kLeftQueued = 0.01;

}  // namespace

MpsseProbe::MpsseProbe(std::unique_ptr<ByteStream> stream, AdapterCard card, const ProbeOptions& options)
    : stream_(std::move(stream)), card_(std::move(card)) {
  info_.address = stream_->name();
  info_.kind = "MPSSE";
  info_.product = "MPSSE adapter";
  info_.firmware = "adapter card " + card_.name;
  synchronise();
  send(Bytes{kNoDivideBy5, kNoAdaptive, kTwoPhase, kLoopOff});
  synchronise();  // an engine without these would have said so
  levels_ = kTms;
  directions_ = kTck | kTdi | kTms;
  for (const AdapterCard::Pin& pin : card_.drive) drive(pin, true);
  if (card_.reset && !card_.resetOpenDrain) drive({card_.reset->number, !card_.reset->level}, true);
  setPins();
  MpsseProbe::setClock(options.clockHz);
  checkLoopback();
  info_.swd = card_.swd.has_value();
  if (card_.reset) info_.pins = {"RESET"};
  if (options.wires == Wires::Jtag) {
    MpsseProbe::run(
        jtag::ScanBatch().reset());  // wherever somebody before left the TAP, batches begin in Run-Test/Idle
    return;
  }
  if (!card_.swd)
    throw Error(ErrorKind::NoProbe,
                fmt::format("the adapter at {} cannot do SWD: its card does not say how SWDIO is wired", info_.address),
                "Add \"swd\" to an adapter card (docs/formats/adapter-card.md), or use another probe.");
  swd_ = std::make_unique<MpsseSwd>([this](const SwdShift& shift) { return shiftSwd(shift); },
                                    [] { return std::chrono::steady_clock::now().time_since_epoch(); });
}

/// Where the target outdoes a resistor all of it goes in one piece; a buffer is switched in between.
BitVector MpsseProbe::shiftSwd(const SwdShift& shift) {
  return exchange([&](MpssePacker& packer) {
    if (!card_.swd->enable) {
      BitVector bits;
      std::vector<jtag::BitRange> captures;
      for (const SwdShift::Stretch& stretch : shift.stretches) {
        if (stretch.capture) captures.push_back({bits.size(), bits.size() + stretch.out.size()});
        bits.append(stretch.out);
      }
      return packer.shift(bits, {0, bits.size()}, captures);
    }
    const AdapterCard::Pin& enable = *card_.swd->enable;
    for (const SwdShift::Stretch& stretch : shift.stretches) {
      drive({enable.number, stretch.drives == enable.level}, true);
      const bool low = enable.number < 8;
      packer.command(Bytes{low ? kSetLow : kSetHigh, static_cast<std::uint8_t>(low ? levels_ : levels_ >> 8),
                           static_cast<std::uint8_t>(low ? directions_ : directions_ >> 8)});
      std::vector<jtag::BitRange> captures;
      if (stretch.capture) captures.push_back({0, stretch.out.size()});
      packer.shift(stretch.out, {0, stretch.out.size()}, captures);
    }
  });
}

void MpsseProbe::drivePin(const std::string& name, std::optional<bool> level) {
  if (name != "RESET" || !card_.reset)
    throw Error(ErrorKind::Refused, fmt::format("the adapter at {} has no pin {}", info_.address, name));
  if (level.value_or(true)) {
    drive({card_.reset->number, !card_.reset->level}, !card_.resetOpenDrain);
  } else {
    drive(*card_.reset, true);
  }
  setPins();
}

bool MpsseProbe::pinLevel(const std::string& name) {
  if (name != "RESET" || !card_.reset)
    throw Error(ErrorKind::Refused, fmt::format("the adapter at {} has no pin {}", info_.address, name));
  const Bytes pins = ask(Bytes{kReadLow, kReadHigh}, 2);
  return ((pins[0] | pins[1] << 8) >> card_.reset->number & 1) != (card_.reset->level ? 1 : 0);
}

MpsseProbe::~MpsseProbe() {
  if (lost_) return;
  try {
    // Closing would cut off what is still queued, this included, so the answer is waited for.
    ask(Bytes{kTmsOut, 4, 0x1F, kSetLow, 0, 0, kSetHigh, 0, 0, kReadLow}, 1);
  } catch (const Error&) {
    // Nothing is left that could be put in order.
  }
}

void MpsseProbe::setNames(const std::string& vendor, const std::string& product, const std::string& serial) {
  info_.vendor = vendor;
  info_.product = product;
  info_.serial = serial;
}

void MpsseProbe::send(ByteSpan commands) {
  if (lost_) throw Error(ErrorKind::LinkLost, fmt::format("the adapter at {} is no longer connected", info_.address));
  try {
    stream_->write(commands);
  } catch (...) {
    lost_ = true;
    throw;
  }
}

Bytes MpsseProbe::ask(ByteSpan commands, std::size_t answer) {
  Bytes all(commands.begin(), commands.end());
  all.push_back(kSendNow);
  send(all);
  try {
    Bytes said = stream_->read(answer, limitFor(std::exchange(unmarked_, 0)));
    return said;
  } catch (...) {
    lost_ = true;
    throw;
  }
}

/// A command that no engine has is answered with itself behind 0xFA; anything else means that it is no engine, or one
/// that is out of step.
void MpsseProbe::synchronise() {
  const auto refuse = [&](const std::string& what) {
    lost_ = true;
    throw Error(
        ErrorKind::NoProbe, fmt::format("the adapter at {} {}", info_.address, what),
        "It may not be a high-speed MPSSE chip, or another program has left it in the middle of a command: unplug "
        "it and plug it in again.");
  };
  Bytes said;
  try {
    said = ask(Bytes{kNoSuchCommand}, 2);
  } catch (const Error& e) {
    refuse(fmt::format("does not answer as a serial engine does ({})", e.what()));
  }
  if (said[0] != kBadCommand || said[1] != kNoSuchCommand) {
    refuse(fmt::format("does not know the command 0x{:02X}", said[0] == kBadCommand ? said[1] : 0));
  }
}

void MpsseProbe::checkLoopback() {
  const Bytes pattern{0x5A, 0xC3, 0x00, 0xFF};
  Bytes commands{kLoopOn, kBytesBoth, static_cast<std::uint8_t>(pattern.size() - 1), 0};
  commands.insert(commands.end(), pattern.begin(), pattern.end());
  commands.push_back(kLoopOff);
  const Bytes back = ask(commands, pattern.size());
  if (back == pattern) return;
  lost_ = true;
  throw Error(ErrorKind::NoProbe,
              fmt::format("the adapter at {} fails its own loopback: sent 5A C3 00 FF, got {:02X} {:02X} {:02X} {:02X}",
                          info_.address, back[0], back[1], back[2], back[3]),
              "Unplug it and plug it in again; if that does not help, the chip is broken.");
}

void MpsseProbe::drive(const AdapterCard::Pin& pin, bool output) {
  const auto bit = static_cast<std::uint16_t>(1u << pin.number);
  levels_ = static_cast<std::uint16_t>(pin.level ? levels_ | bit : levels_ & ~bit);
  directions_ = static_cast<std::uint16_t>(output ? directions_ | bit : directions_ & ~bit);
}

void MpsseProbe::setPins() {
  send(Bytes{kSetLow, static_cast<std::uint8_t>(levels_), static_cast<std::uint8_t>(directions_), kSetHigh,
             static_cast<std::uint8_t>(levels_ >> 8), static_cast<std::uint8_t>(directions_ >> 8)});
}

void MpsseProbe::setClock(std::uint32_t hz) {
  hz = std::clamp<std::uint32_t>(hz, 500, card_.highestClock);
  const std::uint32_t divisor = std::min<std::uint32_t>((kBaseHz + hz - 1) / hz - 1, 0xFFFF);
  send(Bytes{kDivisor, static_cast<std::uint8_t>(divisor), static_cast<std::uint8_t>(divisor >> 8)});
  clockHz_ = kBaseHz / (divisor + 1);
}

void MpsseProbe::pulseReset(milliseconds time) {
  if (!card_.reset) {
    throw Error(ErrorKind::Refused,
                fmt::format("no wire to the target's reset is known of the adapter at {}", info_.address),
                "Name it in an adapter card (docs/formats/adapter-card.md).");
  }
  drive(*card_.reset, true);
  setPins();
  ask(Bytes{kReadLow}, 1);
  stream_->wait(time);
  drive({card_.reset->number, !card_.reset->level}, !card_.resetOpenDrain);
  setPins();
}

std::chrono::microseconds MpsseProbe::roundTrip() {
  const auto begin = std::chrono::steady_clock::now();
  ask(Bytes{kReadLow}, 1);
  return std::chrono::duration_cast<std::chrono::microseconds>(std::chrono::steady_clock::now() - begin);
}

std::optional<bool> MpsseProbe::targetPowered() {
  if (!card_.sense) return std::nullopt;
  const Bytes pins = ask(Bytes{kReadLow, kReadHigh}, 2);
  return ((pins[0] | pins[1] << 8) >> card_.sense->number & 1) == (card_.sense->level ? 1 : 0);
}

milliseconds MpsseProbe::limitFor(double seconds) const {
  return kStreamPatience + milliseconds(static_cast<long>(3000.0 * seconds));
}

void MpsseProbe::fetch(BitVector& captured) {
  const InFlight oldest = std::move(inFlight_.front());
  inFlight_.pop_front();
  oldest.chunk.unpack(stream_->read(oldest.chunk.answer, limitFor(oldest.seconds)), captured);
  unread_ -= oldest.chunk.answer;
  ahead_ -= oldest.seconds;
}

void MpsseProbe::put(MpsseChunk&& chunk, BitVector& captured) {
  const auto time = chunk.wait;
  const double seconds = secondsOf(chunk.clocks);
  // Only an answer tells that all of it has been clocked: before time is let pass, and every now and then.
  if (time.count() > 0 || (chunk.answer == 0 && unmarked_ + seconds > kMarkAfter)) {
    chunk.commands.push_back(kReadLow);
    chunk.answer += 1;
  }
  if (chunk.answer > 0) chunk.commands.push_back(kSendNow);
  while (!inFlight_.empty() &&
         (unread_ + chunk.answer > stream_->answerRoom() || ahead_ + unmarked_ + seconds > kMostAhead)) {
    fetch(captured);
  }
  stream_->write(chunk.commands);
  unmarked_ += seconds;
  if (chunk.answer > 0) {
    unread_ += chunk.answer;
    ahead_ += unmarked_;
    inFlight_.push_back({std::move(chunk), std::exchange(unmarked_, 0)});
  }
  if (time.count() == 0) return;
  while (!inFlight_.empty()) fetch(captured);
  stream_->wait(time);
}

BitVector MpsseProbe::exchange(const std::function<void(MpssePacker&)>& pack) {
  if (lost_) throw Error(ErrorKind::LinkLost, fmt::format("the adapter at {} is no longer connected", info_.address));
  BitVector captured;
  try {
    MpssePacker packer([&](MpsseChunk&& chunk) { put(std::move(chunk), captured); },
                       MpsseLimits::of(stream_->answerRoom(), clockHz_));
    pack(packer);
    packer.flush();
    while (!inFlight_.empty()) fetch(captured);
    if (unmarked_ > kLeftQueued) ask(Bytes{kReadLow}, 1);
  } catch (...) {
    lost_ = true;
    inFlight_.clear();
    unread_ = 0;
    ahead_ = unmarked_ = 0;
    throw;
  }
  return captured;
}

jtag::ScanAnswers MpsseProbe::run(const jtag::ScanBatch& batch) {
  return cutApart(exchange([&](MpssePacker& packer) { packer.add(batch); }), wantedBits(batch));
}

std::vector<BitVector> MpsseProbe::clockRaw(std::span<const RawClocks> clocks) {
  std::vector<std::size_t> wanted;
  BitVector captured = exchange([&](MpssePacker& packer) {
    for (const RawClocks& c : clocks) {
      drive({3, c.tms}, true);
      packer.command(Bytes{kSetLow, static_cast<std::uint8_t>(levels_), static_cast<std::uint8_t>(directions_)});
      std::vector<jtag::BitRange> captures;
      if (c.capture) {
        captures.push_back({0, c.tdi.size()});
        wanted.push_back(c.tdi.size());
      }
      packer.shift(c.tdi, {0, c.tdi.size()}, captures);
    }
  });
  return cutApart(std::move(captured), wanted);
}

}  // namespace imprimo::probe
