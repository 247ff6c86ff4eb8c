// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/jtag/examine.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"

namespace imprimo::jtag {
namespace {

constexpr std::size_t kMostParts = 255;
constexpr std::size_t kMostIrBits = 4096;

bool allAre(const BitVector& bits, bool value, std::size_t from = 0) {
  for (std::size_t i = from; i < bits.size(); i += 64) {
    const std::size_t count = std::min<std::size_t>(64, bits.size() - i);
    const std::uint64_t want = value ? (count == 64 ? ~0ull : (1ull << count) - 1) : 0;
    if (bits.bits(i, count) != want) return false;
  }
  return true;
}

[[noreturn]] void broken(const std::string& sentence, const std::string& remedy) {
  throw Error(ErrorKind::BrokenChain, sentence, remedy);
}

/// One batch asks three questions: what the data registers hold after a reset, how many instruction bits there are
/// (ones, then a single 0 as marker, then ones again to flush it), and how many BYPASS bits.
struct Answers {
  BitVector afterReset, instruction, bypass;

  explicit Answers(JtagPort& port) {
    BitVector ir(kMostIrBits, true);
    ir.append(false);
    ir.appendFill(true, kMostIrBits);
    ScanBatch batch;
    batch.reset();
    batch.exchange(Register::Data, BitVector((kMostParts + 1) * 32, true));
    batch.exchange(Register::Instruction, std::move(ir));
    batch.exchange(Register::Data, BitVector(kMostParts + 33, true));
    ScanAnswers answers = port.run(batch);
    afterReset = std::move(answers.at(0));
    instruction = std::move(answers.at(1));
    bypass = std::move(answers.at(2));
  }
};

void refuseDeadTdo(const Answers& a) {
  if (allAre(a.instruction, false) && allAre(a.bypass, false)) {
    broken("TDO stays at 0: no part answers",
           "The target may have no power or be held in reset, or TDO is shorted to ground: check supply and cable.");
  }
  if (allAre(a.instruction, true) && allAre(a.bypass, true)) {
    broken(
        "TDO stays at 1: no part answers",
        "The cable may be off or the target without power (an open TDO is pulled up), or TMS or TCK does not arrive.");
  }
}

std::size_t instructionBits(const BitVector& out) {
  // Before the marker come the captured bits and then ones; behind it nothing but ones.
  std::size_t marker = kMostIrBits;
  while (marker < out.size() && out[marker]) ++marker;
  if (marker == out.size()) {
    broken(fmt::format("what goes into the instruction registers does not come out again within {} bits", kMostIrBits),
           "The chain seems to be cut between two parts, or TMS does not reach all of them.");
  }
  const std::size_t bits = marker - kMostIrBits;
  bool clean = allAre(out, true, marker + 1);
  for (std::size_t i = bits; i < marker; ++i) clean = clean && out[i];
  if (!clean)
    broken("bits change on their way through the instruction registers", "Lower the clock or shorten the cable.");
  return bits;
}

std::size_t countParts(const BitVector& out) {
  std::size_t parts = 0;
  while (parts < out.size() && !out[parts]) ++parts;
  if (parts > kMostParts || !allAre(out, true, parts)) {
    broken("with all parts in BYPASS, what goes in does not come out", "Lower the clock, and check TDI and TDO.");
  }
  return parts;
}

std::vector<std::optional<std::uint32_t>> readIdcodes(const BitVector& out, std::size_t parts) {
  std::vector<std::optional<std::uint32_t>> codes;  // nearest TDO first
  std::size_t at = 0;
  for (std::size_t i = 0; i < parts; ++i) {
    if (!out[at]) {
      codes.emplace_back();
      at += 1;
      continue;
    }
    const auto code = static_cast<std::uint32_t>(out.bits(at, 32));
    if (code == UINT32_MAX) {
      broken(
          fmt::format("{} answer in BYPASS, but only {} after a reset", countText(parts, "part"), countText(i, "part")),
          "A part may be held in reset; check its reset and its supply.");
    }
    codes.emplace_back(code);
    at += 32;
  }
  if (!allAre(out, true, at)) {
    broken(fmt::format("after a reset the chain holds more bits than its {} can have", countText(parts, "part")),
           "Lower the clock; a part that leaves Test-Logic-Reset with another register selected breaks the standard.");
  }
  return codes;
}

}  // namespace

FoundChain examine(JtagPort& port, const Describe& describe) {
  const Answers answers(port);
  refuseDeadTdo(answers);
  const std::size_t irTotal = instructionBits(answers.instruction);
  const std::size_t parts = countParts(answers.bypass);
  if (parts == 0) {
    broken("TDI comes straight back on TDO: there is no part between them",
           "Check for a jumper that bypasses the chain.");
  }
  const auto idcodes = readIdcodes(answers.afterReset, parts);

  FoundChain chain;
  chain.irTotal = static_cast<std::uint32_t>(irTotal);
  for (std::size_t i = 0; i < irTotal; ++i) chain.irCapture.append(answers.instruction[i]);

  std::vector<std::optional<std::uint32_t>> known(parts);
  std::vector<std::string> names(parts);
  for (std::size_t i = 0; i < parts; ++i) {
    const bsdl::BoundaryDescription* description = idcodes[i] && describe ? describe(*idcodes[i]) : nullptr;
    if (description == nullptr) continue;
    known[i] = description->instructionLength;
    names[i] = description->entity;
  }
  auto lengths = splitCapture(chain.irCapture, known);
  if (!lengths) {
    // Somebody does not capture 01 as the standard asks: only what was looked up and the sum remain.
    const auto least = static_cast<std::uint32_t>(2 * (parts - 1));
    const auto rest = chain.irTotal > least ? chain.irTotal - least : 2;
    lengths.emplace();
    for (const auto& length : known) lengths->push_back({length.value_or(2), length.value_or(rest)});
  }
  for (std::size_t i = parts; i-- > 0;) chain.parts.push_back({idcodes[i], (*lengths)[i], names[i]});
  return chain;
}

}  // namespace imprimo::jtag
