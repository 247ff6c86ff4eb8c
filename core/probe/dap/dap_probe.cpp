// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/dap/dap_probe.h"

#include <fmt/format.h>

#include <algorithm>
#include <numeric>

#include "core/base/error.h"
#include "core/probe/cut_apart.h"
#include "core/probe/dap/dap_codes.h"
#include "core/probe/token.h"

namespace imprimo::probe {
namespace {

using std::chrono::microseconds;
using std::chrono::milliseconds;
using std::chrono::nanoseconds;

constexpr std::uint8_t kInfo = 0x00, kHostStatus = 0x01, kConnect = 0x02, kDisconnect = 0x03, kClock = 0x11;
constexpr std::uint8_t kAskNonce = 0x80, kProveToken = 0x81, kUnknownCommand = 0xFF;
constexpr std::uint8_t kInfoVendor = 0x01, kInfoProduct = 0x02, kInfoSerial = 0x03, kInfoFirmware = 0x09;
constexpr std::uint8_t kInfoCapabilities = 0xF0, kInfoPacketCount = 0xFE, kInfoPacketSize = 0xFF;
constexpr std::uint8_t kWhoseTime = 0x82;  // the first of ours: docs/formats/bench.md
constexpr std::uint8_t kSwdPort = 1, kJtagPort = 2, kCanSwd = 0x01, kCanJtag = 0x02, kCanSwoUart = 0x04,
                       kCanSwoManchester = 0x08, kCanExecuteSeveral = 0x10;
/// A wait from so long on is worth a round trip that shows whether it was one.
constexpr microseconds kWorthMeasuring{20'000};
/// No probe is as slow as this; limits are for those that do not keep the clock that was asked for.
constexpr double kSlowestHz = 10'000;

}  // namespace

DapProbe::DapProbe(std::unique_ptr<Transport> transport, const ProbeOptions& options)
    : transport_(std::move(transport)) {
  info_.address = transport_->name();
  info_.kind = "CMSIS-DAP";
  info_.pins = {"TRST", "RESET"};
  Bytes count = command(Bytes{kInfo, kInfoPacketCount});
  if (count[0] == kUnknownCommand) {
    proveToken(options.token);
    count = command(Bytes{kInfo, kInfoPacketCount});
  }
  const Bytes size = command(Bytes{kInfo, kInfoPacketSize});
  if (count.size() >= 3 && count[1] == 1) info_.packetCount = std::clamp<std::size_t>(count[2], 1, 64);
  if (size.size() >= 4 && size[1] == 2) info_.packetSize = std::clamp<std::size_t>(loadLe16(size.data() + 2), 64, 4096);
  info_.packetSize = std::min(info_.packetSize, transport_->largestPacket());
  transport_->setPacketSize(info_.packetSize);
  counted_ = transport_->linkTime() == LinkTime::Counted;
  if (transport_->linkTime() == LinkTime::Ask) {
    const Bytes told = command(Bytes{kWhoseTime});
    counted_ = told.size() >= 2 && told[0] == kWhoseTime && told[1] == 1;
  }
  const Bytes can = command(Bytes{kInfo, kInfoCapabilities});
  if (can.size() >= 3 && can[1] >= 1) {
    info_.swd = (can[2] & kCanSwd) != 0;
    executesSeveral_ = (can[2] & kCanExecuteSeveral) != 0;
  }
  if (can.size() >= 3 && can[1] >= 1) info_.jtag = (can[2] & kCanJtag) != 0;
  if (can.size() >= 3 && can[1] >= 1 && (can[2] & (kCanSwoUart | kCanSwoManchester)) != 0) {
    swo_ = std::make_unique<DapSwo>([this](ByteSpan request) { return command(request); }, (can[2] & kCanSwoUart) != 0,
                                    (can[2] & kCanSwoManchester) != 0, info_.packetSize);
  }
  if (options.wires == Wires::Swd ? !info_.swd : !info_.jtag) {
    throw Error(
        ErrorKind::NoProbe,
        fmt::format("the probe at {} cannot do {}", info_.address, options.wires == Wires::Swd ? "SWD" : "JTAG"),
        "Use one that can.");
  }
  info_.vendor = infoText(kInfoVendor);
  info_.product = infoText(kInfoProduct);
  info_.serial = infoText(kInfoSerial);
  info_.firmware = infoText(kInfoFirmware);

  PacketWay way{info_.packetSize,
                info_.packetCount,
                executesSeveral_,
                [this](ByteSpan request) {
                  use(Wires::Swd);
                  sendPacket(request);
                },
                [this] { return receivePacket(); },
                [this] { return std::max(clockHz_, 1u); },
                {}};
  if (!counted_) way.hostTime = [this] { return transport_->now(); };
  swd_ = std::make_unique<DapSwd>(std::move(way));
  select(options.wires);
  wires_ = options.wires;
  setClock(options.clockHz);
  command(Bytes{kHostStatus, 0, 1});
  if (options.wires == Wires::Swd) {
    swd_->configure();
  } else {
    run(jtag::ScanBatch().reset());  // wherever somebody before left the TAP, batches begin in Run-Test/Idle
  }
}

/// Switches the probe and, from SWD to JTAG, a target that can do both: at least 50 ones, 0xE73C, at least 5 ones
/// (ADIv5.2, B5.2.3), which on a chain is nothing but its reset. The other way is that of who speaks SWD.
void DapProbe::use(Wires wires) {
  if (wires_ == wires || lost_) return;
  if (wires == Wires::Swd) leaveTap();
  command(Bytes{kDisconnect});
  select(wires);
  wires_ = wires;
  setClock(clockHz_);
  if (wires == Wires::Swd) return swd_->configure();
  ++interruptions_;
  command(Bytes{kDapSwjSequence, 80, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0x3C, 0xE7, 0xFF});
  run(jtag::ScanBatch().reset());
}

/// Five clocks with TMS high, and none behind them that would leave Test-Logic-Reset.
void DapProbe::leaveTap() {
  command(Bytes{kDapJtagSequence, 1, 0x40 | 5, 0});
}

void DapProbe::select(Wires wires) {
  const std::uint8_t port = wires == Wires::Swd ? kSwdPort : kJtagPort;
  const Bytes connected = command(Bytes{kConnect, port});
  if (connected.size() >= 2 && connected[0] == kConnect && connected[1] == port) return;
  throw Error(ErrorKind::NoProbe,
              fmt::format("the probe at {} does not switch to {}", info_.address, wires == Wires::Swd ? "SWD" : "JTAG"),
              "Unplug it and plug it in again; another program may have left it otherwise.");
}

void DapProbe::sendPacket(ByteSpan request) {
  if (lost_) throw Error(ErrorKind::LinkLost, fmt::format("the probe at {} is no longer connected", info_.address));
  try {
    transport_->send(request);
  } catch (...) {
    lost_ = true;
    throw;
  }
}

Bytes DapProbe::receivePacket() {
  try {
    return transport_->receive(kPatience);
  } catch (...) {
    lost_ = true;
    throw;
  }
}

DapProbe::~DapProbe() {
  if (lost_) return;
  try {
    if (swo_) swo_->end();
    if (wires_ == Wires::Jtag) leaveTap();
    command(Bytes{kHostStatus, 0, 0});
    command(Bytes{kDisconnect});
  } catch (const Error&) {
    // Nothing is left that could be put in order.
  }
}

Bytes DapProbe::command(ByteSpan request) {
  if (lost_) throw Error(ErrorKind::LinkLost, fmt::format("the probe at {} is no longer connected", info_.address));
  try {
    transport_->send(request);
    Bytes response = transport_->receive(kPatience);
    if (response.empty() || (response[0] != request[0] && response[0] != kUnknownCommand)) {
      throw Error(ErrorKind::LinkLost, fmt::format("the response of {} does not match the command", info_.address),
                  "It may not be a CMSIS-DAP probe, or its firmware is out of step: connect again.");
    }
    return response;
  } catch (...) {
    lost_ = true;
    throw;
  }
}

void DapProbe::requireOk(ByteSpan request, const char* what) {
  const Bytes response = command(request);
  if (response.size() >= 2 && response[0] == request[0] && response[1] == 0) return;
  throw Error(ErrorKind::NoProbe, fmt::format("the probe at {} would not {}", info_.address, what));
}

std::string DapProbe::infoText(std::uint8_t id) {
  const Bytes response = command(Bytes{kInfo, id});
  if (response.size() < 2 || response[0] != kInfo) return {};
  const std::size_t length = std::min<std::size_t>(response[1], response.size() - 2);
  std::string text(response.begin() + 2, response.begin() + 2 + static_cast<std::ptrdiff_t>(length));
  return visibleText(text.substr(0, text.find('\0')));
}

void DapProbe::proveToken(const std::optional<std::string>& token) {
  const Bytes nonce = command(Bytes{kAskNonce});
  if (nonce[0] != kAskNonce || nonce.size() < 33) {
    throw Error(ErrorKind::NoProbe, fmt::format("{} rejected DAP_Info", info_.address), "It may not be a probe.");
  }
  if (!token) {
    throw Error(ErrorKind::NoProbe, fmt::format("the probe at {} wants a token", info_.address),
                "Give the file that holds it.")
        .setHelp(Help::GiveToken);
  }
  Bytes proof{kProveToken};
  const Bytes digest = tokenProof(*token, ByteSpan(nonce).subspan(1, 32));
  proof.insert(proof.end(), digest.begin(), digest.end());
  try {
    const Bytes answer = command(proof);
    if (answer.size() >= 2 && answer[0] == kProveToken && answer[1] == 0) return;
  } catch (const Error&) {
    // A wrong token is answered by closing the connection.
  }
  lost_ = true;
  throw Error(ErrorKind::NoProbe, fmt::format("the probe at {} does not accept the token", info_.address),
              "Ask whoever shares it for the right one.");
}

jtag::ScanAnswers DapProbe::run(const jtag::ScanBatch& batch) {
  if (lost_) throw Error(ErrorKind::LinkLost, fmt::format("the probe at {} is no longer connected", info_.address));
  use(Wires::Jtag);
  const std::vector<std::size_t> wanted = wantedBits(batch);
  BitVector captured;
  captured.reserve(std::accumulate(wanted.begin(), wanted.end(), std::size_t{0}));

  try {
    DapPacker* itself = nullptr;
    const auto finish = [&] {
      itself->flush();
      drain(captured);
    };
    DapHabits habits{executesSeveral_, {}, {}};
    if (!counted_) {
      habits.wait = [&](microseconds time, bool looked) { return waitByHost(time, looked, finish); };
      habits.stay = [&](bool tms, std::uint32_t clocks, jtag::Lasting lasting) {
        return stayByHost(*itself, tms, clocks, lasting, finish);
      };
    }
    DapPacker packer(
        info_.packetSize,
        [&](DapPacket&& packet) {
          if (inFlight_.size() >= info_.packetCount) itself->reuse(takeOldest(captured));
          // Packets ahead of this one take their time as well; they are few, so each gets twice its own on top.
          const auto clocks = static_cast<double>(packet.clocks);
          const double seconds = std::max(2.0 * clocks / clockHz_, clocks / kSlowestHz);
          const auto limit = kPatience + milliseconds(static_cast<long>(seconds * 1000)) +
                             2 * std::chrono::ceil<milliseconds>(packet.waits);
          transport_->send(packet.request);
          inFlight_.push_back({std::move(packet), limit});
        },
        std::move(habits));
    itself = &packer;
    packer.add(batch);
    packer.flush();
    drain(captured);
  } catch (...) {
    lost_ = true;
    inFlight_.clear();
    throw;
  }
  return cutApart(std::move(captured), wanted);
}

DapPacket DapProbe::takeOldest(BitVector& captured) {
  const Bytes response = transport_->receive(inFlight_.front().limit);
  DapPacket packet = std::move(inFlight_.front().packet);
  inFlight_.pop_front();
  packet.unpack(response, captured);
  return packet;
}

void DapProbe::drain(BitVector& captured) {
  while (!inFlight_.empty()) takeOldest(captured);
}

std::optional<nanoseconds> DapProbe::clock() const {
  return counted_ ? std::nullopt : std::optional(transport_->now());
}

/// One Delay, of at most 65 535 us. False where the probe does not know the command.
bool DapProbe::askDelay(microseconds time) {
  const Bytes response =
      command(Bytes{kDapDelay, static_cast<std::uint8_t>(time.count()), static_cast<std::uint8_t>(time.count() >> 8)});
  return response.size() >= 2 && response[0] == kDapDelay && response[1] == 0;
}

/// Does the probe's Delay let time pass? A wait that the round trip cannot hide is asked for twice.
void DapProbe::tryDelay() {
  nanoseconds trip = nanoseconds::max();
  for (int i = 0; i < 3; ++i) {
    const nanoseconds began = transport_->now();
    command(Bytes{kInfo, kInfoPacketCount});
    trip = std::min(trip, transport_->now() - began);
  }
  const auto time = std::clamp(std::chrono::ceil<microseconds>(3 * trip), microseconds(5'000), microseconds(60'000));
  delays_ = Delays::Work;
  for (int i = 0; i < 2 && delays_ == Delays::Work; ++i) {
    const nanoseconds began = transport_->now();
    if (!askDelay(time)) {
      delays_ = Delays::Unknown;
    } else if (transport_->now() - began < time) {
      delays_ = Delays::PassNoTime;
    }
  }
}

/// False where the probe's own Delay is good enough. `finish` brings everything in front to its end.
bool DapProbe::waitByHost(microseconds time, bool looked, const std::function<void()>& finish) {
  if (time.count() == 0) return true;
  if (delays_ == Delays::Untried) {
    finish();
    tryDelay();
  }
  if (looked && delays_ != Delays::Unknown) return false;
  if (delays_ == Delays::Work && time < kWorthMeasuring) return false;
  finish();
  const nanoseconds began = transport_->now();
  const auto left = [&] { return time - (transport_->now() - began); };
  // The probe is asked all the same: it may be a simulation, where time passes in no other way.
  for (microseconds asked{0}; delays_ != Delays::Unknown && asked < time && left().count() > 0;) {
    const auto some = std::min(time - asked, microseconds(0xFFFF));
    if (!askDelay(some)) break;
    asked += some;
  }
  if (left().count() > 0) transport_->sleep(left());
  return true;
}

bool DapProbe::stayByHost(DapPacker& packer, bool tms, std::uint32_t clocks, jtag::Lasting lasting,
                          const std::function<void()>& finish) {
  finish();
  const nanoseconds began = transport_->now();
  const auto passed = [&] { return transport_->now() - began; };
  // As many as are in flight at once, and then as many as go in the time that is left, so far as that has been seen.
  const std::uint32_t atOnce = static_cast<std::uint32_t>(info_.packetSize / 9 * 64 * info_.packetCount);
  for (std::uint32_t given = 0; given < clocks && (!lasting.fewer || passed() < lasting.time);) {
    std::uint32_t some = lasting.fewer ? atOnce : clocks;
    if (given > 0) {
      const double perClock = static_cast<double>(passed().count()) / given;
      const auto fits = static_cast<double>((lasting.time - passed()).count()) / std::max(perClock, 1.0);
      some = static_cast<std::uint32_t>(std::clamp(fits, 64.0, 4e9));
    }
    some = std::min(some, clocks - given);
    packer.tms(tms, some);
    finish();
    given += some;
  }
  if (passed() < lasting.time) transport_->sleep(lasting.time - passed());
  return true;
}

void DapProbe::setClock(std::uint32_t hz) {
  Bytes clock{kClock, 0, 0, 0, 0};
  for (int i = 0; i < 4; ++i) clock[1 + i] = static_cast<std::uint8_t>(hz >> (8 * i));
  requireOk(clock, "set its clock");
  clockHz_ = hz;
}

std::chrono::microseconds DapProbe::roundTrip() {
  const auto begin = std::chrono::steady_clock::now();
  command(Bytes{kInfo, kInfoPacketCount});
  return std::chrono::duration_cast<std::chrono::microseconds>(std::chrono::steady_clock::now() - begin);
}

std::vector<BitVector> DapProbe::clockRaw(std::span<const RawClocks> clocks) {
  use(Wires::Jtag);
  std::vector<BitVector> answers;
  for (const RawClocks& c : clocks) {
    BitVector captured;
    for (std::size_t at = 0; at < c.tdi.size(); at += 64) {
      const std::size_t count = std::min<std::size_t>(64, c.tdi.size() - at);
      Bytes request{kDapJtagSequence, 1,
                    static_cast<std::uint8_t>((count & 63) | (c.tms ? 0x40 : 0) | (c.capture ? 0x80 : 0))};
      const std::uint64_t bits = c.tdi.bits(at, count);
      for (std::size_t i = 0; i < count; i += 8) request.push_back(static_cast<std::uint8_t>(bits >> i));
      const Bytes response = command(request);
      if (response.size() < 2 + (c.capture ? (count + 7) / 8 : 0) || response[1] != 0) {
        lost_ = true;
        throw Error(ErrorKind::LinkLost, fmt::format("the probe at {} gives too short an answer", info_.address));
      }
      std::uint64_t word = 0;
      for (std::size_t i = 0; c.capture && i < count; i += 8)
        word |= static_cast<std::uint64_t>(response[2 + i / 8]) << i;
      if (c.capture) captured.appendBits(word, count);
    }
    if (c.capture) answers.push_back(std::move(captured));
  }
  return answers;
}

}  // namespace imprimo::probe
