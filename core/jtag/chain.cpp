// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/jtag/chain.h"

#include <algorithm>
#include <random>
#include <stdexcept>

namespace imprimo::jtag {

BitVector Chain::instructions(const std::vector<Holds>& some) const {
  for (const Holds& each : some) {
    if (each.position < 1 || each.position > size() || each.opcode.size() != irLengths_[each.position - 1])
      throw std::invalid_argument("no such part, or an opcode that does not fit its instruction register");
  }
  // The first bits shifted end up in the device nearest TDO.
  BitVector instructions;
  for (std::size_t p = size(); p >= 1; --p) {
    const auto held = std::find_if(some.begin(), some.end(), [&](const Holds& each) { return each.position == p; });
    if (held != some.end()) {
      instructions.append(held->opcode);
    } else {
      instructions.appendFill(true, irLengths_[p - 1]);
    }
  }
  return instructions;
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
