// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "sim/board.h"

namespace imprimo::sim {

/// The serial interface of a board's first chip that has one, as a port of this computer: a pseudo-terminal. Bytes
/// cross as bits do: at another rate than the chip's they come out as others, and while nobody has the port open they
/// are gone.
class SerialPty {
 public:
  /// Throws Error(Refused) where no chip has one, or the system gives no terminal.
  explicit SerialPty(Board& board);
  SerialPty(const SerialPty&) = delete;
  SerialPty& operator=(const SerialPty&) = delete;
  ~SerialPty();

  /// What a program opens.
  const std::string& path() const { return path_; }
  /// Carries over what came each way by now.
  void pump();
  /// The adapter is unplugged: whoever has the port open sees it gone.
  void unplug();
  /// A new port, at another path.
  void plugIn();

 private:
  std::uint32_t baud() const;
  bool isOpen() const;

  Board& board_;
  ChipUart& uart_;
  int master_ = -1;
  std::string path_;
  UartReceiver receiver_;
  std::uint32_t receiverBaud_ = 0;
};

}  // namespace imprimo::sim
