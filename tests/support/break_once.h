// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "sim/bench.h"

namespace imprimo::test {

/// What breaks once in a run on a serial flash.
enum class Breaks { Link, Refusal, ShortAnswer, Power, Command, ByteIn, ByteOut };

/// How long a run is when nothing breaks.
struct RunLengths {
  std::uint64_t firstPacket, packets, commands, bytesIn, bytesOut;
  double begin, end;
};

/// `where`: 0 is the beginning of the run, 1 its end. `mask`: the bits of a byte that are turned over.
inline void breakOnce(sim::Bench& bench, sim::SpiFlash& flash, Breaks breaks, const RunLengths& l, double where,
                      std::uint8_t mask) {
  const auto nth = [where](std::uint64_t from, std::uint64_t to) {
    return from + static_cast<std::uint64_t>(where * static_cast<double>(to - from));
  };
  switch (breaks) {
    case Breaks::Link:
      return bench.dropLinkAtPacket(nth(l.firstPacket + 1, l.packets));
    case Breaks::Refusal:
      return bench.refuseAtPacket(nth(l.firstPacket + 1, l.packets));
    case Breaks::ShortAnswer:
      return bench.shortenAnswerAtPacket(nth(l.firstPacket + 1, l.packets));
    case Breaks::Power: {
      sim::BoardFault fault;
      fault.kind = sim::BoardFault::Kind::NoPower;
      fault.until = sim::fromSeconds(l.begin + where * (l.end - l.begin));
      return bench.board().addFault(fault);
    }
    case Breaks::Command:
      return flash.ignoreCommand(nth(1, l.commands));
    case Breaks::ByteIn:
      return flash.corruptWritten(nth(1, l.bytesIn), mask);
    case Breaks::ByteOut:
      return flash.corruptRead(nth(1, l.bytesOut), mask);
  }
}

}  // namespace imprimo::test
