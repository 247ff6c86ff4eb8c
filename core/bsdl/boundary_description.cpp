// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bsdl/boundary_description.h"

#include <algorithm>
#include <cstdlib>

#include "core/bsdl/lexer.h"

namespace imprimo::bsdl {

std::size_t Port::width() const {
  return range ? static_cast<std::size_t>(std::abs(range->first - range->second)) + 1 : 1;
}

const Instruction* BoundaryDescription::instruction(std::string_view name) const {
  const auto it = std::find_if(instructions.begin(), instructions.end(),
                               [&](const Instruction& i) { return sameWord(i.name, name); });
  return it == instructions.end() ? nullptr : &*it;
}

const Port* BoundaryDescription::port(std::string_view name) const {
  const auto it = std::find_if(ports.begin(), ports.end(), [&](const Port& p) { return sameWord(p.name, name); });
  return it == ports.end() ? nullptr : &*it;
}

std::optional<BitVector> BoundaryDescription::opcode(std::string_view instructionName) const {
  if (sameWord(instructionName, "BYPASS")) return BitVector(instructionLength, true);
  const Instruction* found = instruction(instructionName);
  if (found == nullptr || found->opcodes.empty()) return std::nullopt;
  BitVector bits;
  const std::string& text = found->opcodes.front();
  for (auto c = text.rbegin(); c != text.rend(); ++c) bits.append(*c == '1');
  return bits;
}

bool BoundaryDescription::matchesIdcode(std::uint32_t idcode) const {
  return std::any_of(idcodes.begin(), idcodes.end(),
                     [&](const Pattern& p) { return !p.saysNothing() && p.matches(idcode); });
}

bool BoundaryDescription::worksLike(const BoundaryDescription& other) const {
  return instructionLength == other.instructionLength && instructions == other.instructions &&
         instructionCapture == other.instructionCapture && registers == other.registers &&
         boundaryLength == other.boundaryLength && cells == other.cells;
}

}  // namespace imprimo::bsdl
