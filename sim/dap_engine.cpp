// SPDX-License-Identifier: GPL-3.0-or-later
//
// Written from Arm's CMSIS-DAP 2.1 command description.
#include "sim/dap_engine.h"

#include <algorithm>
#include <utility>

namespace imprimo::sim {
namespace {

enum : std::uint8_t {
  kInfo = 0x00,
  kHostStatus = 0x01,
  kConnect = 0x02,
  kDisconnect = 0x03,
  kTransferConfigure = 0x04,
  kTransfer = 0x05,
  kTransferBlock = 0x06,
  kTransferAbort = 0x07,
  kWriteAbort = 0x08,
  kDelay = 0x09,
  kResetTarget = 0x0A,
  kSwjPins = 0x10,
  kSwjClock = 0x11,
  kSwjSequence = 0x12,
  kSwdConfigure = 0x13,
  kJtagSequence = 0x14,
  kJtagConfigure = 0x15,
  kJtagIdcode = 0x16,
  kSwdSequence = 0x1D,
  kWhoseTime = 0x82,  // ours
  kQueueCommands = 0x7E,
  kExecuteCommands = 0x7F,
  kUnknown = 0xFF,
};
constexpr std::uint8_t kOk = 0x00, kError = 0xFF;

/// Takes `count` bytes from the front; false when there are not so many.
bool take(ByteSpan& in, std::size_t count, ByteSpan& taken) {
  if (in.size() < count) return false;
  taken = in.first(count);
  in = in.subspan(count);
  return true;
}

/// A command of fixed length that is answered with its own code and `status`.
bool fixed(ByteSpan& in, Bytes& out, std::size_t arguments, std::uint8_t status, ByteSpan& taken) {
  if (!take(in, 1 + arguments, taken)) return false;
  out.push_back(taken[0]);
  out.push_back(status);
  return true;
}

std::uint64_t bitsOf(ByteSpan bytes) {
  std::uint64_t value = 0;
  for (std::size_t i = 0; i < bytes.size() && i < 8; ++i) value |= static_cast<std::uint64_t>(bytes[i]) << (8 * i);
  return value;
}

void appendBits(Bytes& out, std::uint64_t value, int count) {
  for (int i = 0; i < count; i += 8) {
    const int valid = std::min(8, count - i);
    out.push_back(static_cast<std::uint8_t>(value >> i & ((1u << valid) - 1)));
  }
}

}  // namespace

std::vector<Bytes> DapEngine::process(ByteSpan packet) {
  if (packet.empty() || packet[0] == kTransferAbort) return {};
  if (packet[0] == kQueueCommands && model_.executesSeveral) {
    Bytes held(packet.begin(), packet.end());
    held[0] = kExecuteCommands;
    queued_.push_back(std::move(held));
    return {};
  }
  std::vector<Bytes> responses;
  // A Disconnect among them empties the queue, so it is taken away first.
  const std::vector<Bytes> queued = std::exchange(queued_, {});
  for (const Bytes& held : queued) responses.push_back(respond(held));
  responses.push_back(respond(packet));
  return responses;
}

void DapEngine::disconnect() {
  queued_.clear();
  pinLevels_ = 0x8F;
}

Bytes DapEngine::respond(ByteSpan packet) {
  const std::uint8_t id = packet[0];
  Bytes out;
  if (packet[0] == kExecuteCommands && packet.size() >= 2 && model_.executesSeveral) {
    out = {kExecuteCommands, packet[1]};
    ByteSpan rest = packet.subspan(2);
    for (int i = 0; i < packet[1]; ++i) {
      if (rest.empty() || !command(rest, out)) break;
    }
  } else if (!command(packet, out)) {
    out = {id, kError};
  }
  if (out.size() > model_.packetSize) {
    board_.violations().add("probe: a packet whose response is larger than a packet");
    out.resize(model_.packetSize);
  }
  return out;
}

bool DapEngine::command(ByteSpan& in, Bytes& out) {
  ByteSpan taken;
  if (swo_ && SwoCapture::isMine(in[0])) {
    swo_->hear(board_.swoLevels());
    return swo_->command(in, out, model_.packetSize);
  }
  switch (in[0]) {
    case kInfo:
      return info(in, out);
    case kHostStatus:
      return fixed(in, out, 2, kOk, taken);
    case kConnect:
    case kSwjClock:
    case kDelay:
    case kWhoseTime:
    case kResetTarget:
      return plain(in, out);
    case kDisconnect:
      if (!fixed(in, out, 0, kOk, taken)) return false;
      disconnect();
      return true;
    case kTransferConfigure:
      if (!fixed(in, out, 5, kOk, taken)) return false;
      swd_.configureTransfer(taken[1], loadLe16(&taken[2]), loadLe16(&taken[4]));
      return true;
    case kTransfer:
      return transfer(in, out);
    case kTransferBlock:
      return transferBlock(in, out);
    case kWriteAbort:
      return fixed(in, out, 5, kOk, taken);
    case kSwjPins:
      return pins(in, out);
    case kSwjSequence:
      return swjSequence(in, out);
    case kSwdConfigure:
      if (!fixed(in, out, 1, kOk, taken)) return false;
      swd_.configure(static_cast<std::uint8_t>((taken[1] & 3) + 1), (taken[1] & 4) != 0);
      return true;
    case kSwdSequence:
      return swdSequence(in, out);
    case kJtagSequence:
      return jtagSequence(in, out);
    case kJtagConfigure:
      return jtagConfigure(in, out);
    case kJtagIdcode:
      return jtagIdcode(in, out);
    default:
      break;
  }
  out.push_back(kUnknown);
  in = {};
  return true;
}

/// The port that DAP_Connect gets: 1 SWD, 2 JTAG, 0 none.
std::uint8_t DapEngine::portFor(std::uint8_t asked) const {
  if (asked == 1) return model_.swd ? 1 : 0;
  return asked <= 2 && model_.jtag ? 2 : 0;
}

/// Commands about the probe itself that are answered in a few bytes.
bool DapEngine::plain(ByteSpan& in, Bytes& out) {
  ByteSpan taken;
  switch (in[0]) {
    case kConnect:
      if (!take(in, 2, taken)) return false;
      // Without a wish it is JTAG.
      speaksSwd_ = portFor(taken[1]) == 1;
      out.insert(out.end(), {kConnect, portFor(taken[1])});
      return true;
    case kResetTarget:
      if (!take(in, 1, taken)) return false;
      out.insert(out.end(), {kResetTarget, kOk, 0});
      return true;
    case kSwjClock: {
      if (!take(in, 5, taken)) return false;
      const std::uint32_t hz = loadLe32(&taken[1]);
      if (hz != 0) board_.setClock(std::clamp(hz, model_.lowestClock, model_.highestClock));
      out.insert(out.end(), {kSwjClock, hz != 0 ? kOk : kError});
      return true;
    }
    case kDelay:
      if (model_.delay == ProbeModel::Delay::Unknown) break;
      if (!fixed(in, out, 2, kOk, taken)) return false;
      if (model_.delay == ProbeModel::Delay::Waits) board_.wait(loadLe16(&taken[1]) * kMicrosecond);
      return true;
    case kWhoseTime:
      if (!model_.tellsTime) break;
      if (!take(in, 1, taken)) return false;
      out.insert(out.end(), {kWhoseTime, 1});
      return true;
    default:
      break;
  }
  out.push_back(kUnknown);
  in = {};
  return true;
}

bool DapEngine::info(ByteSpan& in, Bytes& out) {
  ByteSpan taken;
  if (!take(in, 2, taken)) return false;
  const auto text = [&](const std::string& s) {
    out.push_back(static_cast<std::uint8_t>(s.size() + 1));
    out.insert(out.end(), s.begin(), s.end());
    out.push_back(0);
  };
  out.push_back(kInfo);
  switch (taken[1]) {
    case 0x01:
      text(model_.vendor);
      break;
    case 0x02:
      text(model_.product);
      break;
    case 0x03:
      text(model_.serial);
      break;
    case 0x04:
      text("2.1.1");
      break;  // of the protocol
    case 0x09:
      text(model_.firmware);
      break;
    case 0xF0:
      // SWD, JTAG, SWO in both codings, atomic commands
      out.insert(out.end(), {1, static_cast<std::uint8_t>((model_.swd ? 0x01 : 0) | (model_.jtag ? 0x02 : 0) |
                                                          (model_.swo && model_.swo->uart ? 0x04 : 0) |
                                                          (model_.swo && model_.swo->manchester ? 0x08 : 0) |
                                                          (model_.executesSeveral ? 0x10 : 0))});
      break;
    case 0xFD:
      out.push_back(model_.swo ? 4 : 0);
      for (int i = 0; model_.swo && i < 32; i += 8) out.push_back(static_cast<std::uint8_t>(model_.swo->room >> i));
      break;
    case 0xFE:
      out.insert(out.end(), {1, static_cast<std::uint8_t>(model_.packetCount)});
      break;
    case 0xFF:
      out.insert(out.end(),
                 {2, static_cast<std::uint8_t>(model_.packetSize), static_cast<std::uint8_t>(model_.packetSize >> 8)});
      break;
    default:
      out.push_back(0);
  }
  return true;
}

bool DapEngine::jtagSequence(ByteSpan& in, Bytes& out) {
  ByteSpan head;
  if (!take(in, 2, head)) return false;
  out.insert(out.end(), {kJtagSequence, kOk});
  for (int i = 0; i < head[1]; ++i) {
    ByteSpan info, data;
    if (!take(in, 1, info)) return false;
    const int count = (info[0] & 0x3F) == 0 ? 64 : info[0] & 0x3F;
    if (!take(in, static_cast<std::size_t>(count + 7) / 8, data)) return false;
    const std::uint64_t tdo = board_.clock((info[0] & 0x40) != 0, bitsOf(data), count);
    if ((info[0] & 0x80) != 0) appendBits(out, tdo, count);
  }
  return true;
}

bool DapEngine::jtagConfigure(ByteSpan& in, Bytes& out) {
  ByteSpan head, lengths;
  if (!take(in, 2, head) || !take(in, head[1], lengths)) return false;
  constexpr std::size_t kMostDevices = 8;  // what the firmware was built for
  const bool fits = lengths.size() <= kMostDevices;
  if (fits) irLengths_.assign(lengths.begin(), lengths.end());
  out.insert(out.end(), {kJtagConfigure, fits ? kOk : kError});
  return true;
}

bool DapEngine::jtagIdcode(ByteSpan& in, Bytes& out) {
  ByteSpan taken;
  if (!take(in, 2, taken)) return false;
  const std::size_t index = taken[1];
  if (index >= irLengths_.size()) {
    out.insert(out.end(), {kJtagIdcode, kError, 0, 0, 0, 0});
    return true;
  }
  // IDCODE (1110) into that part, ones into the others, then 32 bits from its register. Index 0 is the part nearest to
  // TDO, whose bits are the first to be shifted.
  board_.clock(true, 0, 2);
  board_.clock(false, 0, 2);
  for (std::size_t i = 0; i < irLengths_.size(); ++i) {
    for (int bit = 0; bit < irLengths_[i]; ++bit) {
      const bool level = i != index || (0xE >> std::min(bit, 31) & 1) != 0;
      board_.clock(i + 1 == irLengths_.size() && bit + 1 == irLengths_[i], level, 1);
    }
  }
  board_.clock(true, 0, 2);
  board_.clock(false, 0, 2);
  for (std::size_t i = 0; i < index; ++i) board_.clock(false, 0, 1);
  const std::uint64_t low = board_.clock(false, 0, 31);
  const std::uint64_t high = board_.clock(true, 0, 1);
  board_.clock(true, 0, 1);
  board_.clock(false, 0, 1);
  out.insert(out.end(), {kJtagIdcode, kOk});
  appendBits(out, (low & 0x7FFFFFFF) | (high & 1) << 31, 32);
  return true;
}

bool DapEngine::swjSequence(ByteSpan& in, Bytes& out) {
  ByteSpan head, data;
  if (!take(in, 2, head)) return false;
  const std::size_t count = head[1] == 0 ? 256 : head[1];
  if (!take(in, (count + 7) / 8, data)) return false;
  for (std::size_t i = 0; i < count; ++i) {
    const bool level = (data[i / 8] >> (i % 8) & 1) != 0;
    if (speaksSwd_) {
      board_.swdClock(true, level);
    } else {
      board_.clock(level, (pinLevels_ & 0x04) != 0, 1);
    }
  }
  out.insert(out.end(), {kSwjSequence, kOk});
  return true;
}

bool DapEngine::swdSequence(ByteSpan& in, Bytes& out) {
  ByteSpan head;
  if (!take(in, 2, head)) return false;
  out.insert(out.end(), {kSwdSequence, kOk});
  for (int i = 0; i < head[1]; ++i) {
    ByteSpan info, data;
    if (!take(in, 1, info)) return false;
    const std::size_t count = (info[0] & 0x3F) == 0 ? 64 : info[0] & 0x3F;
    if ((info[0] & 0x80) != 0) {
      std::uint64_t bits = 0;
      for (std::size_t k = 0; k < count; ++k) bits |= static_cast<std::uint64_t>(board_.swdClock(false, true)) << k;
      appendBits(out, bits, static_cast<int>(count));
    } else {
      if (!take(in, (count + 7) / 8, data)) return false;
      for (std::size_t k = 0; k < count; ++k) board_.swdClock(true, (data[k / 8] >> (k % 8) & 1) != 0);
    }
  }
  return true;
}

bool DapEngine::pins(ByteSpan& in, Bytes& out) {
  constexpr std::uint8_t kTck = 0x01, kTms = 0x02, kTdi = 0x04, kTdo = 0x08, kReset = 0x80;
  ByteSpan taken;
  if (!take(in, 7, taken)) return false;
  const std::uint8_t before = pinLevels_;
  const std::uint8_t mask = taken[2];
  pinLevels_ = static_cast<std::uint8_t>((before & ~mask) | (taken[1] & mask));
  if ((before & kTck) == 0 && (pinLevels_ & kTck) != 0) {
    const bool tdo = (board_.clock((pinLevels_ & kTms) != 0, (pinLevels_ & kTdi) != 0, 1) & 1) != 0;
    pinLevels_ = static_cast<std::uint8_t>((pinLevels_ & ~kTdo) | (tdo ? kTdo : 0));
  }
  if ((before & kReset) == 0 && (pinLevels_ & kReset) != 0) board_.pulseReset();
  board_.holdReset((pinLevels_ & kReset) == 0);
  board_.wait(std::min<std::uint32_t>(loadLe32(&taken[3]), 3'000'000) * kMicrosecond);
  out.insert(out.end(), {kSwjPins, pinLevels_});
  return true;
}

bool DapEngine::transfer(ByteSpan& in, Bytes& out) {
  if (in.empty()) return false;
  in = in.subspan(1);
  out.push_back(kTransfer);
  return swd_.transfer(in, out, model_.packetSize - 3);
}

bool DapEngine::transferBlock(ByteSpan& in, Bytes& out) {
  if (in.empty()) return false;
  in = in.subspan(1);
  out.push_back(kTransferBlock);
  return swd_.block(in, out, model_.packetSize - 4);
}

}  // namespace imprimo::sim
