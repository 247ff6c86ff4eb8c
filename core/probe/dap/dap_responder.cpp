// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/dap/dap_responder.h"

#include <algorithm>
#include <thread>
#include <utility>

#include "core/base/error.h"

namespace imprimo::probe {
namespace {

constexpr std::uint8_t kJtag = 0x02, kAtomicCommands = 0x10;  // capabilities
constexpr std::uint8_t kOk = 0x00, kError = 0xFF, kNoAcknowledge = 0x07;

/// How many bytes follow a command's code when that is always the same; -1 for the others.
int argumentsOf(std::uint8_t id) {
  switch (id) {
    case 0x03:  // Disconnect
    case 0x0A:  // ResetTarget
      return 0;
    case 0x00:  // Info
    case 0x02:  // Connect
    case 0x13:  // SWD_Configure
    case 0x16:  // JTAG_IDCODE
      return 1;
    case 0x01:  // HostStatus
    case 0x09:  // Delay
      return 2;
    case 0x11:  // SWJ_Clock
      return 4;
    case 0x04:  // TransferConfigure
    case 0x08:  // WriteABORT
      return 5;
    case 0x10:  // SWJ_Pins
      return 6;
    default:
      return -1;
  }
}

bool take(ByteSpan& in, std::size_t count, ByteSpan& taken) {
  if (in.size() < count) return false;
  taken = in.first(count);
  in = in.subspan(count);
  return true;
}

void append(Bytes& out, std::uint64_t value, std::size_t bits) {
  for (std::size_t i = 0; i < bits; i += 8) out.push_back(static_cast<std::uint8_t>(value >> i));
}

}  // namespace

std::vector<Bytes> DapResponder::process(ByteSpan packet) {
  if (packet.empty() || packet[0] == 0x07) return {};  // TransferAbort: nothing is under way
  if (packet[0] == 0x7E) {
    Bytes held(packet.begin(), packet.end());
    held[0] = 0x7F;
    queued_.push_back(std::move(held));
    return {};
  }
  std::vector<Bytes> responses;
  for (const Bytes& held : std::exchange(queued_, {})) responses.push_back(respond(held));
  responses.push_back(respond(packet));
  return responses;
}

void DapResponder::disconnect() {
  queued_.clear();
  resetHeld_ = false;
  clock(true, ~0ull, 5);
}

Bytes DapResponder::respond(ByteSpan packet) {
  Bytes out;
  const std::uint8_t id = packet[0];  // the packet is used up below
  if (id == 0x7F && packet.size() >= 2) {
    out = {0x7F, packet[1]};
    ByteSpan rest = packet.subspan(2);
    for (int i = 0; i < packet[1] && !rest.empty() && command(rest, out); ++i) {
    }
  } else if (!command(packet, out)) {
    out = {id, kError};
  }
  if (out.size() > kPacketSize) out.resize(kPacketSize);
  return out;
}

bool DapResponder::command(ByteSpan& in, Bytes& out) {
  const std::uint8_t id = in[0];
  if (id == 0x14) return jtagSequence(in, out);
  if (id == 0x12) return swjSequence(in, out);
  if (id == 0x05 || id == 0x06) return transfer(in, out);
  ByteSpan c;
  if (id == 0x15) {  // JTAG_Configure
    ByteSpan lengths;
    if (!take(in, 2, c) || !take(in, c[1], lengths)) return false;
    irLengths_.assign(lengths.begin(), lengths.end());
    out.insert(out.end(), {id, kOk});
    return true;
  }
  if (id == 0x1D) {  // SWD_Sequence: there is no SWD here
    in = {};
    out.insert(out.end(), {id, kError});
    return true;
  }
  const int arguments = argumentsOf(id);
  if (arguments < 0) {
    in = {};
    out.push_back(0xFF);
    return true;
  }
  if (!take(in, 1 + static_cast<std::size_t>(arguments), c)) return false;
  switch (id) {
    case 0x00:
      info(c[1], out);
      return true;
    case 0x02:
      out.insert(out.end(), {id, static_cast<std::uint8_t>(c[1] == 0 || c[1] == 2 ? 2 : 0)});
      return true;
    case 0x03:
      disconnect();
      break;
    case 0x09:
      tapOf(probe_).run(jtag::ScanBatch().delay(std::chrono::microseconds(loadLe16(&c[1]))));
      break;
    case 0x0A:
      out.insert(out.end(), {id, kOk, 0});
      return true;
    case 0x10:
      pins(c[1], c[2]);
      std::this_thread::sleep_for(std::chrono::microseconds(std::min<std::uint32_t>(loadLe32(&c[3]), 3'000'000)));
      out.insert(out.end(), {id, static_cast<std::uint8_t>(resetHeld_ ? 0x0F : 0x8F)});
      return true;
    case 0x11: {
      const std::uint32_t hz = loadLe32(&c[1]);
      if (hz != 0) probe_.setClock(hz);
      out.insert(out.end(), {id, hz != 0 ? kOk : kError});
      return true;
    }
    case 0x16:
      return jtagIdcode(c[1], out);
    default:
      break;  // configures what is not used here
  }
  out.insert(out.end(), {id, kOk});
  return true;
}

void DapResponder::info(std::uint8_t id, Bytes& out) const {
  out.push_back(0x00);
  const auto text = [&](const std::string& s) {
    const std::size_t size = std::min<std::size_t>(s.size(), 60);
    out.push_back(static_cast<std::uint8_t>(size + 1));
    out.insert(out.end(), s.begin(), s.begin() + static_cast<std::ptrdiff_t>(size));
    out.push_back(0);
  };
  switch (id) {
    case 0x01:
      return text(probe_.info().vendor);
    case 0x02:
      return text(probe_.info().product);
    case 0x03:
      return text(probe_.info().serial);
    case 0x04:
      return text("2.1.1");
    case 0x09:
      return text(probe_.info().firmware);
    case 0xF0:
      return static_cast<void>(out.insert(out.end(), {1, kJtag | kAtomicCommands}));
    case 0xFE:
      return static_cast<void>(out.insert(out.end(), {1, static_cast<std::uint8_t>(kPacketCount)}));
    case 0xFF:
      return static_cast<void>(out.insert(
          out.end(), {2, static_cast<std::uint8_t>(kPacketSize & 0xFF), static_cast<std::uint8_t>(kPacketSize >> 8)}));
    default:
      out.push_back(0);
  }
}

std::uint64_t DapResponder::clock(bool tms, std::uint64_t tdi, std::size_t count) {
  const RawClocks clocks{tms, BitVector::fromLsbFirst(tdi, count), true};
  return tapOf(probe_).clockRaw({&clocks, 1}).at(0).bits(0, count);
}

bool DapResponder::jtagSequence(ByteSpan& in, Bytes& out) {
  ByteSpan head;
  if (!take(in, 2, head)) return false;
  // All of them go down together, so that one packet is one transfer.
  std::vector<RawClocks> clocks;
  for (int i = 0; i < head[1]; ++i) {
    ByteSpan about, data;
    if (!take(in, 1, about)) return false;
    const std::size_t count = (about[0] & 0x3F) == 0 ? 64 : about[0] & 0x3F;
    if (!take(in, (count + 7) / 8, data)) return false;
    std::uint64_t bits = 0;
    for (std::size_t k = 0; k < data.size(); ++k) bits |= static_cast<std::uint64_t>(data[k]) << (8 * k);
    clocks.push_back({(about[0] & 0x40) != 0, BitVector::fromLsbFirst(bits, count), (about[0] & 0x80) != 0});
  }
  out.insert(out.end(), {0x14, kOk});
  for (const BitVector& answer : tapOf(probe_).clockRaw(clocks))
    append(out, answer.bits(0, answer.size()), answer.size());
  return true;
}

bool DapResponder::swjSequence(ByteSpan& in, Bytes& out) {
  ByteSpan head, data;
  if (!take(in, 2, head)) return false;
  const std::size_t count = head[1] == 0 ? 256 : head[1];
  if (!take(in, (count + 7) / 8, data)) return false;
  std::vector<RawClocks> clocks;
  for (std::size_t i = 0; i < count; ++i) {
    const bool tms = (data[i / 8] >> (i % 8) & 1) != 0;
    if (clocks.empty() || clocks.back().tms != tms) clocks.push_back({tms, {}, false});
    clocks.back().tdi.append(true);
  }
  tapOf(probe_).clockRaw(clocks);
  out.insert(out.end(), {0x12, kOk});
  return true;
}

bool DapResponder::jtagIdcode(std::uint8_t index, Bytes& out) {
  if (index >= irLengths_.size()) {
    out.insert(out.end(), {0x16, kError, 0, 0, 0, 0});
    return true;
  }
  // IDCODE (1110) into that part, ones into the others, then 32 bits from its register. Index 0 is the part nearest to
  // TDO (DAP_JTAG_Configure), whose bits go first.
  clock(true, 0, 2);
  clock(false, 0, 2);
  for (std::size_t i = 0; i < irLengths_.size(); ++i) {
    for (std::size_t bit = 0; bit < irLengths_[i]; ++bit) {
      const bool last = i + 1 == irLengths_.size() && bit + 1 == irLengths_[i];
      clock(last, i != index || (0xE >> std::min<std::size_t>(bit, 31) & 1) != 0 ? 1 : 0, 1);
    }
  }
  clock(true, 0, 2);
  clock(false, 0, 2);
  for (std::size_t i = 0; i < index; ++i) clock(false, 0, 1);
  const std::uint64_t low = clock(false, 0, 31);
  const std::uint64_t code = low | clock(true, 0, 1) << 31;
  clock(true, 0, 1);
  clock(false, 0, 1);
  out.insert(out.end(), {0x16, kOk});
  append(out, code, 32);
  return true;
}

bool DapResponder::transfer(ByteSpan& in, Bytes& out) {
  const bool block = in[0] == 0x06;
  in = {};
  block ? out.insert(out.end(), {0x06, 0, 0, kNoAcknowledge}) : out.insert(out.end(), {0x05, 0, kNoAcknowledge});
  return true;
}

void DapResponder::pins(std::uint8_t levels, std::uint8_t mask) {
  constexpr std::uint8_t kReset = 0x80;
  if ((mask & kReset) == 0) return;
  const bool hold = (levels & kReset) == 0;
  if (resetHeld_ && !hold) {
    try {
      resetOf(probe_).pulseReset(std::chrono::milliseconds(50));
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::Refused) throw;  // no such wire: the pin just stays high
    }
  }
  resetHeld_ = hold;
}

}  // namespace imprimo::probe
