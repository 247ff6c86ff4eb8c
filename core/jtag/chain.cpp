// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/jtag/chain.h"

#include <random>
#include <stdexcept>

namespace imprimo::jtag {

BitVector Chain::instructions(std::size_t position, const BitVector& opcode) const {
  if (position < 1 || position > size() || opcode.size() != irLengths_[position - 1]) {
    throw std::invalid_argument("no such part, or an opcode that does not fit its instruction register");
  }
  // The first bits shifted end up in the device nearest TDO.
  BitVector instructions;
  for (std::size_t p = size(); p >= 1; --p) {
    if (p == position) {
      instructions.append(opcode);
    } else {
      instructions.appendFill(true, irLengths_[p - 1]);
    }
  }
  return instructions;
}

void Chain::select(std::size_t position, const BitVector& opcode) {
  hold(instructions(position, opcode));
}

void Chain::bypassAll() {
  BitVector instructions;
  for (const std::uint32_t length : irLengths_) instructions.appendFill(true, length);
  hold(std::move(instructions));
}

void Chain::hold(BitVector instructions) {
  if (instructions == held_ && heldAt_ == port_.interruptions()) return;
  ScanBatch batch;
  batch.send(Register::Instruction, instructions);
  held_.clear();  // should the port throw, nothing is known
  port_.run(batch);
  held_ = std::move(instructions);
  heldAt_ = port_.interruptions();
}

PatternCheck checkPattern(Chain& chain, int rounds) {
  constexpr std::size_t kBits = 64;
  chain.bypassAll();
  std::mt19937_64 random(1149);  // NOLINT: the same patterns each time are wanted
  std::vector<std::uint64_t> sent;
  ScanBatch batch;
  for (int i = 0; i < rounds; ++i) {
    sent.push_back(random());
    BitVector out = BitVector::fromLsbFirst(sent.back(), kBits);
    out.appendFill(false, chain.size());
    batch.exchange(Register::Data, std::move(out));
  }
  const ScanAnswers answers = chain.port().run(batch);
  PatternCheck check;
  for (std::size_t i = 0; i < sent.size(); ++i) {
    ++check.sent;
    if (answers.at(i).bits(chain.size(), kBits) == sent[i]) ++check.whole;
  }
  return check;
}

}  // namespace imprimo::jtag
