// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <random>

#include "sim/bench.h"

namespace imprimo::sim {

/// How somebody works who puts boards under a probe.
struct FixtureModel {
  double rest = 1.5;       ///< seconds without a command to a memory, after which a board is taken out
  double patience = 6;     ///< the same for one with which nothing is done
  double gap = 2.0;        ///< seconds until the next is in
  std::uint64_t last = 0;  ///< so many boards, and then none; 0: no end
  double faulty = 0;       ///< part of the boards that have a fault, of each kind in turn
  std::uint32_t seed = 1;
};

/// Takes boards out and puts new ones in, in the bench's own time: blank serial flash, a unique ID of its own, and now
/// and then a fault.
class Fixture {
 public:
  Fixture(Bench& bench, FixtureModel model);
  /// Looks what time it is; called between packets.
  void step();
  std::uint64_t boards() const { return boards_; }
  /// Boards that had a fault, by which most runs fail.
  std::uint64_t faultyBoards() const { return faultyBoards_; }

 private:
  std::uint64_t commands() const;
  void takeOut();
  void putIn();
  void spoil();

  Bench& bench_;
  FixtureModel model_;
  std::mt19937 random_;
  bool in_ = true, worked_ = false;
  Time since_ = 0;  // the last command, or the board was put in or taken out
  std::uint64_t commands_ = 0, boards_ = 1, faultyBoards_ = 0;
};

}  // namespace imprimo::sim
