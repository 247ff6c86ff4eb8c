// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/bytes.h"
#include "sim/serial/manchester_line.h"
#include "sim/serial/uart_line.h"

namespace imprimo::sim {

/// What a probe has for listening to SWO.
struct SwoCaptureModel {
  bool uart = true, manchester = false;
  std::uint32_t room = 4096;           ///< bytes of its buffer
  std::uint32_t clock = 60'000'000;    ///< that its rates are divided from
  std::uint32_t highest = 10'000'000;  ///< of them
};

/// The SWO commands of CMSIS-DAP 2.1 with transport by DAP_SWO_Data: a receiver on the wire and a buffer behind it,
/// which fills up.
class SwoCapture {
 public:
  explicit SwoCapture(SwoCaptureModel model) : model_(model) {}

  static bool isMine(std::uint8_t command);
  /// What was on the wire since the last call.
  void hear(const LineLevels& levels);
  /// Carries out the command at the front of `in` and takes it away. False when it ends in the middle.
  bool command(ByteSpan& in, Bytes& out, std::size_t packetSize);

 private:
  bool setMode(std::uint8_t mode);
  std::uint32_t setRate(std::uint32_t hz);
  std::uint8_t status();
  void receive(std::uint8_t byte);

  SwoCaptureModel model_;
  std::uint8_t transport_ = 0, mode_ = 0;
  bool active_ = false, error_ = false, overrun_ = false;
  std::uint32_t rate_ = 0;
  Bytes buffer_;
  UartReceiver uart_;
  ManchesterReceiver manchester_;
};

}  // namespace imprimo::sim
