// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/bytes.h"
#include "sim/serial/uart_line.h"

namespace imprimo::test {

/// What a receiver at one rate takes for bytes when they are sent at another.
inline Bytes heardAt(double receiverHz, const Bytes& sent, double senderHz) {
  sim::LineLevels levels{{true, sim::fromSeconds(20 / receiverHz)}};
  for (const std::uint8_t byte : sent) sim::sendUart(byte, sim::fromSeconds(1 / senderHz), levels);
  levels.push_back({true, sim::fromSeconds(20 / receiverHz)});
  sim::UartReceiver receiver;
  receiver.setBit(sim::fromSeconds(1 / receiverHz));
  Bytes all;
  for (const sim::LineLevel& level : levels)
    receiver.feed(level, [&](std::uint8_t byte, bool) { all.push_back(byte); });
  return all;
}

}  // namespace imprimo::test
