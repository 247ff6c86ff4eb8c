// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/in_process_link.h"

namespace imprimo::sim {

bool InProcessLink::send(ByteSpan packet) {
  const Time half = fromSeconds(bench_.probe().latency / 2);
  Board& board = bench_.board();
  const Time arrival = hostTime_ + half;
  if (board.now() < arrival) board.advance(arrival - board.now());  // the probe had nothing to do
  auto responses = bench_.process(packet);
  if (!responses) return false;
  for (Bytes& response : *responses) answers_.push_back({std::move(response), board.now() + half});
  return true;
}

std::optional<Bytes> InProcessLink::receive() {
  if (answers_.empty()) return std::nullopt;
  Answer answer = std::move(answers_.front());
  answers_.pop_front();
  hostTime_ = std::max(hostTime_, answer.at);
  return std::move(answer.bytes);
}

}  // namespace imprimo::sim
