// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/serial/swo_capture.h"

#include <algorithm>

namespace imprimo::sim {
namespace {

enum : std::uint8_t {
  kTransport = 0x17,
  kMode = 0x18,
  kBaudrate = 0x19,
  kControl = 0x1A,
  kStatus = 0x1B,
  kData = 0x1C,
};
constexpr std::uint8_t kOk = 0x00, kError = 0xFF;
constexpr std::uint8_t kUart = 1, kManchester = 2;
constexpr std::uint8_t kActive = 0x01, kStreamError = 0x40, kOverrun = 0x80;

void append32(Bytes& out, std::uint32_t value) {
  for (int i = 0; i < 32; i += 8) out.push_back(static_cast<std::uint8_t>(value >> i));
}

}  // namespace

bool SwoCapture::isMine(std::uint8_t command) {
  return command >= kTransport && command <= kData;
}

void SwoCapture::receive(std::uint8_t byte) {
  if (buffer_.size() >= model_.room) {
    overrun_ = true;
  } else {
    buffer_.push_back(byte);
  }
}

void SwoCapture::hear(const LineLevels& levels) {
  if (!active_) return;
  for (const LineLevel& level : levels) {
    if (mode_ == kUart) {
      uart_.feed(level, [this](std::uint8_t byte, bool framed) {
        if (!framed) error_ = true;
        receive(byte);
      });
    } else if (!manchester_.feed(level, [this](std::uint8_t byte) { receive(byte); })) {
      error_ = true;
    }
  }
}

bool SwoCapture::setMode(std::uint8_t mode) {
  if (active_ || mode > kManchester) return false;
  if ((mode == kUart && !model_.uart) || (mode == kManchester && !model_.manchester)) return false;
  mode_ = mode;
  return true;
}

/// The nearest that the divider gives; 0: none.
std::uint32_t SwoCapture::setRate(std::uint32_t hz) {
  if (active_ || hz == 0 || hz > model_.highest) return 0;
  const std::uint32_t divider = std::max<std::uint32_t>(1, (model_.clock + hz / 2) / hz);
  rate_ = model_.clock / divider;
  uart_.setBit(fromSeconds(1.0 / rate_));
  manchester_.restart();
  return rate_;
}

/// What went wrong is told once.
std::uint8_t SwoCapture::status() {
  const auto status =
      static_cast<std::uint8_t>((active_ ? kActive : 0) | (error_ ? kStreamError : 0) | (overrun_ ? kOverrun : 0));
  error_ = overrun_ = false;
  return status;
}

bool SwoCapture::command(ByteSpan& in, Bytes& out, std::size_t packetSize) {
  const std::uint8_t id = in[0];
  const std::size_t length = id == kStatus ? 1 : id == kBaudrate ? 5 : id == kData ? 3 : 2;
  if (in.size() < length) return false;
  const ByteSpan taken = in.first(length);
  in = in.subspan(length);
  out.push_back(id);
  const auto answer = [&](bool good) { out.push_back(good ? kOk : kError); };
  switch (id) {
    case kTransport:
      // There is no endpoint of its own.
      answer(!active_ && taken[1] <= 1);
      if (out.back() == kOk) transport_ = taken[1];
      break;
    case kMode:
      answer(setMode(taken[1]));
      break;
    case kBaudrate:
      append32(out, setRate(loadLe32(&taken[1])));
      break;
    case kControl:
      if ((taken[1] & 1) != 0 && (mode_ == 0 || rate_ == 0)) {
        answer(false);
        break;
      }
      if ((taken[1] & 1) != 0 && !active_) {
        buffer_.clear();
        error_ = overrun_ = false;
        manchester_.restart();
      }
      active_ = (taken[1] & 1) != 0;
      answer(true);
      break;
    case kStatus:
      out.push_back(status());
      append32(out, static_cast<std::uint32_t>(buffer_.size()));
      break;
    default: {
      const std::size_t room = packetSize > out.size() + 3 ? packetSize - out.size() - 3 : 0;
      const std::size_t count =
          transport_ == 1 ? std::min<std::size_t>({loadLe16(&taken[1]), buffer_.size(), room}) : 0;
      out.push_back(status());
      out.push_back(static_cast<std::uint8_t>(count));
      out.push_back(static_cast<std::uint8_t>(count >> 8));
      out.insert(out.end(), buffer_.begin(), buffer_.begin() + static_cast<std::ptrdiff_t>(count));
      buffer_.erase(buffer_.begin(), buffer_.begin() + static_cast<std::ptrdiff_t>(count));
    }
  }
  return true;
}

}  // namespace imprimo::sim
