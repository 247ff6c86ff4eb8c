// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bsdl/boundary_description.h"

#include <algorithm>

#include "core/base/text_file.h"
#include "core/bsdl/lexer.h"

namespace imprimo::bsdl {

const Instruction* BoundaryDescription::instruction(std::string_view name) const {
  const auto it = std::find_if(instructions.begin(), instructions.end(),
                               [&](const Instruction& i) { return sameWord(i.name, name); });
  return it == instructions.end() ? nullptr : &*it;
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
  return std::any_of(idcodes.begin(), idcodes.end(), [&](const Pattern& p) { return p.matches(idcode); });
}

BoundaryDescription parseFile(const std::filesystem::path& path) {
  return parse(readTextFile(path), path.string());
}

}  // namespace imprimo::bsdl
