// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/bridge_core.h"

namespace imprimo::sim {
namespace {

constexpr std::uint8_t kSync = 0xA7;
constexpr std::uint8_t kHello = 0x01, kExchange = 0x02, kGuard = 0x03, kMark = 0x04;

/// Bit-serial CRC-8 as a shift register would do it, bytes most significant bit first.
std::uint8_t crcOf(std::uint32_t header) {
  unsigned crc = 0;
  for (int byte = 0; byte < 3; ++byte) {
    for (int bit = 7; bit >= 0; --bit) {
      const unsigned in = header >> (8 * byte + bit) & 1;
      const unsigned top = crc >> 7 & 1;
      crc = crc << 1 & 0xFF;
      if ((in ^ top) != 0) crc ^= 0x07;
    }
  }
  return static_cast<std::uint8_t>(crc);
}

}  // namespace

void BridgeCore::enter() {
  state_ = State::Seek;
  window_ = 0;
  holding_ = false;
  tailOpen_ = false;
  answer_ = false;
}

void BridgeCore::configured() {
  holding_ = refusedMark_ = droppedMark_ = tailOpen_ = answer_ = false;
  state_ = State::Seek;
  mark_ = 0;
}

void BridgeCore::checkFlushed(const char* when) {
  if (state_ == State::Header || state_ == State::Body) {
    violations_.add(std::string("bridge: ") + when + " inside a frame");
  } else if (tailOpen_) {
    violations_.add(std::string("bridge: ") + when + " before the last frame was flushed");
  }
}

void BridgeCore::leave(Time now) {
  checkFlushed("Shift-DR left");
  if (chipSelected_) {
    flash_.deselect(now, bitIndex_);
    chipSelected_ = false;
  }
  state_ = State::Seek;
}

void BridgeCore::paused() {
  checkFlushed("clock stopped");
}

bool BridgeCore::clock(bool tdi, Time now) {
  const bool tdo = answer_;
  answer_ = false;
  tailOpen_ = false;
  switch (state_) {
    case State::Seek:
      // Least significant bit first: the newest bit comes in at the top.
      window_ = static_cast<std::uint8_t>(window_ >> 1 | (tdi ? 0x80 : 0));
      if (window_ == kSync) {
        state_ = State::Header;
        header_ = 0;
        headerBits_ = 0;
      }
      break;
    case State::Header:
      header_ |= static_cast<std::uint32_t>(tdi) << headerBits_;
      if (++headerBits_ == 32) headerDone();
      break;
    case State::Body:
      answer_ = bodyClock(tdi, now);
      break;
    case State::Deaf:
      break;
  }
  return tdo;
}

void BridgeCore::headerDone() {
  opcode_ = static_cast<std::uint8_t>(header_);
  length_ = header_ >> 8 & 0xFFFF;
  const bool known =
      opcode_ == kHello || opcode_ == kExchange || opcode_ == kGuard || (opcode_ == kMark && keepsMarks_);
  if (crcOf(header_) != header_ >> 24 || !known) {
    refusedMark_ = true;
    state_ = State::Deaf;
    return;
  }
  const bool held = holding_ && opcode_ != kHello;
  if (held) droppedMark_ = true;
  if (malformed()) {
    violations_.add("bridge: a frame with a length that its opcode does not have");
    if (opcode_ == kGuard && !held) holding_ = true;
  }
  dropped_ = held || malformed();
  byteIndex_ = 0;
  bitIndex_ = 0;
  in_ = out_ = 0;
  window_ = 0;
  state_ = length_ == 0 ? State::Seek : State::Body;
  tailOpen_ = length_ == 0;
}

bool BridgeCore::malformed() const {
  switch (opcode_) {
    case kHello:
      return length_ != 8;
    case kExchange:
      return length_ == 0;
    case kMark:
      return length_ != 4;
    default:
      return length_ < 5;
  }
}

/// What is answered during the byte that begins.
std::uint8_t BridgeCore::beginByte(Time now) {
  if (dropped_) return 0;
  if (opcode_ == kHello) {
    switch (byteIndex_) {
      case 0:
        return 0x49;
      case 1:
        return 0x4D;
      case 2:
        return 0x50;
      case 3:
        return 0x52;
      case 4:
        return 0x01;
      case 6:
        return static_cast<std::uint8_t>((refusedMark_ ? 1 : 0) | (droppedMark_ ? 2 : 0));
      default:
        return 0x00;
    }
  }
  if (opcode_ == kExchange) {
    if (byteIndex_ == 0) {
      flash_.select(now);
      chipSelected_ = true;
    }
    return flash_.output(now);
  }
  if (opcode_ == kMark) return 0;  // bit by bit, below
  if (byteIndex_ < 3) return 0;
  if (byteIndex_ == 3) {
    flash_.select(now);
    chipSelected_ = true;
    return 0;
  }
  return flash_.output(now);
}

bool BridgeCore::bodyClock(bool tdi, Time now) {
  if (bitIndex_ == 0) out_ = beginByte(now);
  bool answer = (out_ >> (7 - bitIndex_) & 1) != 0;
  if (opcode_ == kMark && !dropped_) {
    // A shift register, also where the frame is cut off.
    answer = mark_ >> 31 != 0;
    mark_ = mark_ << 1 | (tdi ? 1 : 0);
  }
  in_ = static_cast<std::uint8_t>(in_ << 1 | (tdi ? 1 : 0));
  if (++bitIndex_ == 8) endByte(now);
  return answer;
}

void BridgeCore::endByte(Time now) {
  bitIndex_ = 0;
  if (!dropped_) {
    if (opcode_ == kExchange) flash_.input(in_);
    if (opcode_ == kHello && byteIndex_ == 6) refusedMark_ = droppedMark_ = false;
    if (opcode_ == kGuard) {
      if (byteIndex_ < 3) guard_[byteIndex_] = in_;
      if (byteIndex_ == 3) flash_.input(guard_[0]);
      if (byteIndex_ > 3) flash_.input(0);
    }
  }
  if (++byteIndex_ == length_) endBody(now);
}

void BridgeCore::endBody(Time now) {
  if (chipSelected_) {
    flash_.deselect(now, 0);
    chipSelected_ = false;
  }
  if (opcode_ == kGuard && !dropped_ && (out_ & guard_[1]) != guard_[2]) holding_ = true;
  state_ = State::Seek;
  window_ = 0;
  tailOpen_ = true;
}

}  // namespace imprimo::sim
