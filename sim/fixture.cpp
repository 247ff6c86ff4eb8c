// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/fixture.h"

namespace imprimo::sim {

Fixture::Fixture(Bench& bench, FixtureModel model)
    : bench_(bench), model_(model), random_(model.seed), since_(bench.board().now()), commands_(commands()) {}

/// A long one is not over when nothing else comes.
std::uint64_t Fixture::commands() const {
  std::uint64_t sum = 0;
  for (const auto& flash : bench_.board().flashes())
    sum += flash->commandCount() + flash->bytesRead() + flash->bytesWritten();
  return sum;
}

void Fixture::step() {
  const Time now = bench_.board().now();
  const double seconds = toSeconds(now - since_);
  if (!in_) {
    if (seconds >= model_.gap && (model_.last == 0 || boards_ < model_.last)) putIn();
    return;
  }
  if (const std::uint64_t count = commands(); count != commands_) {
    commands_ = count;
    worked_ = true;
    since_ = now;
  } else if (seconds >= (worked_ ? model_.rest : model_.patience)) {
    takeOut();
  }
}

void Fixture::takeOut() {
  Board& board = bench_.board();
  board.repair();
  board.addFault({.kind = BoardFault::Kind::NoPower, .from = UINT64_MAX});
  in_ = false;
  since_ = board.now();
}

void Fixture::putIn() {
  Board& board = bench_.board();
  board.repair();
  ++boards_;
  std::uint8_t part = 0;
  for (const auto& flash : board.flashes()) {
    flash->cells().fill(0, flash->cells().size(), kBlankByte);
    flash->ignoreCommand(0);
    flash->corruptWritten(0, 0);
    if (!flash->model().uniqueId.empty()) {
      Bytes id(flash->model().uniqueId.size(), ++part);
      for (std::size_t i = 0; i < id.size() && i < 8; ++i) id[i] = static_cast<std::uint8_t>(boards_ >> (8 * i));
      flash->setUniqueId(id);
    }
  }
  board.cyclePower();
  in_ = true;
  worked_ = false;
  since_ = board.now();
  commands_ = commands();
  // Not by chance alone: so many of any hundred boards are.
  if (static_cast<std::uint64_t>(static_cast<double>(boards_) * model_.faulty) >
      static_cast<std::uint64_t>(static_cast<double>(boards_ - 1) * model_.faulty))
    spoil();
}

void Fixture::spoil() {
  Board& board = bench_.board();
  const auto upTo = [&](std::uint64_t most) { return 1 + random_() % most; };
  ++faultyBoards_;
  switch (faultyBoards_ % 5) {
    case 0:  // it loses its supply in the middle
      board.addFault({.kind = BoardFault::Kind::NoPower,
                      .from = UINT64_MAX,
                      .until = board.now() + fromSeconds(0.2 + 0.001 * static_cast<double>(upTo(1500)))});
      break;
    case 1:
      if (!board.flashes().empty())
        board.flashes()[0]->corruptWritten(board.flashes()[0]->bytesWritten() + upTo(100'000), 0x10);
      break;
    case 2:
      if (!board.flashes().empty()) board.flashes()[0]->ignoreCommand(board.flashes()[0]->commandCount() + upTo(200));
      break;
    case 3:  // not pressed down
      board.stickTdo(true);
      break;
    default:
      board.addFault({.kind = BoardFault::Kind::Noise, .aboveHz = 1'000'000, .rate = 0.0005});
      break;
  }
}

}  // namespace imprimo::sim
