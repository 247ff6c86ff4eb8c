// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/debug/swd_wires.h"

namespace imprimo::debug {
namespace {

using probe::PortAnswer;
using probe::RegisterAnswers;

/// At least 50 ones, and idle.
void addLineReset(BitVector& bits) {
  bits.appendFill(true, 56);
  bits.appendFill(false, 8);
}

BitVector lineReset() {
  BitVector bits;
  addLineReset(bits);
  return bits;
}

/// At least 50 ones, JTAG-to-SWD (0xE79E, least significant bit first), a line reset (B5.2.2).
BitVector fromJtag() {
  BitVector bits(56, true);
  bits.append(BitVector::fromLsbFirst(0xE79E, 16));
  addLineReset(bits);
  return bits;
}

/// At least eight ones, the 128 bits of the selection alert, four zeros, the activation code of SWD, a line reset
/// (B5.3.4). From SWD or JTAG it changes nothing but that the line is reset.
BitVector fromDormant() {
  BitVector bits(8, true);
  for (const std::uint64_t word : {0x86852D956209F392u, 0x19BC0EA2E3DDAFE9u})
    bits.append(BitVector::fromLsbFirst(word, 64));
  bits.appendFill(false, 4);
  bits.append(BitVector::fromLsbFirst(0x1A, 8));
  addLineReset(bits);
  return bits;
}

}  // namespace

RegisterAnswers SwdWires::readId() {
  if (target_) port_.selectTarget(*target_);
  port_.setChosenBy(this);
  probe::RegisterBatch batch;
  batch.read(false, 0x0);
  RegisterAnswers id = port_.access(batch);
  // A flag that somebody left may be told with it, by probes that ask once more than they have to.
  if (id.last == PortAnswer::Fault && !id.words.empty()) id.last = PortAnswer::Ok;
  return id;
}

RegisterAnswers SwdWires::access(const probe::RegisterBatch& batch) {
  // A port that was not chosen is silent, and the one that was would take what is meant for this one.
  if (target_ && port_.chosenBy() != this) {
    port_.sequence(lineReset());
    RegisterAnswers id = readId();
    if (id.last != PortAnswer::Ok) return {{}, 0, id.last};
  }
  return port_.access(batch);
}

RegisterAnswers SwdWires::wake() {
  port_.sequence(fromJtag());
  RegisterAnswers id = readId();
  if (id.last == PortAnswer::Ok) return id;
  port_.sequence(fromDormant());
  return readId();
}

RegisterAnswers SwdWires::wakeAgain() {
  port_.sequence(lineReset());
  RegisterAnswers id = readId();
  // It may have lost its power, and begun anew in JTAG.
  return id.last == PortAnswer::Ok ? id : wake();
}

}  // namespace imprimo::debug
