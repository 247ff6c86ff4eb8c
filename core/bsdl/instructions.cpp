// SPDX-License-Identifier: GPL-3.0-or-later
//
// Instructions, the identification registers and who selects which register (IEEE 1149.1-2013 B.8.11 to B.8.13):
//
//   INSTRUCTION_OPCODE  name "(" pattern { "," pattern } ")" { "," ... }
//   INSTRUCTION_PRIVATE name { "," name }
//   IDCODE_REGISTER     pattern of 32 { "," pattern of 32 }
//   REGISTER_ACCESS     name [ "[" number "]" ] "(" name [ "CAPTURES" pattern ] { "," ... } ")" { "," ... }
#include <fmt/format.h>

#include "core/bsdl/reading.h"

namespace imprimo::bsdl {

// No device has longer ones; a larger figure is a slip and would only make us ask for memory.
constexpr std::uint32_t kMostInstructionBits = 1024;

std::string takePattern(Cursor& cursor) {
  std::string bits;
  while (!cursor.isSymbol(',') && !cursor.isSymbol(')') && !cursor.atEnd()) {
    const Token token = cursor.take();
    for (const char c : token.text) {
      if (c != '0' && c != '1' && c != 'x' && c != 'X') {
        cursor.failAt(token.offset, fmt::format("a bit is 0, 1 or X, not '{}'", c));
      }
      bits += c == 'x' ? 'X' : c;
    }
  }
  if (bits.empty()) cursor.expected("a pattern of 0, 1 and X");
  return bits;
}

namespace {

std::uint32_t numberOf(const Reading& reading, const RawAttribute& a, std::uint32_t most) {
  const auto value = wholeNumber(a.value());
  if (!value || *value > most) {
    reading.source.fail(a.offset, fmt::format("{} should be a whole number up to {}", a.name, most));
  }
  return *value;
}

void needLength(const Reading& reading, std::size_t offset, const std::string& bits, const std::string& what) {
  if (bits.size() == reading.device.instructionLength) return;
  reading.source.fail(offset, fmt::format("{} has {} bits, the instruction register has {}", what, bits.size(),
                                          reading.device.instructionLength));
}

void opcodes(Reading& reading, const RawAttribute& a) {
  Cursor inside = a.joined.cursor(reading.source);
  while (!inside.atEnd()) {
    Instruction instruction;
    const std::size_t at = inside.peek().offset;
    instruction.name = inside.needName("an instruction's name");
    inside.needSymbol('(');
    do {
      const std::size_t bitsAt = inside.peek().offset;
      instruction.opcodes.push_back(takePattern(inside));
      needLength(reading, a.joined.offsetInFile(bitsAt), instruction.opcodes.back(),
                 "the opcode of " + instruction.name);
    } while (inside.takeSymbol(','));
    inside.needSymbol(')');
    if (reading.device.instruction(instruction.name) != nullptr) {
      inside.failAt(at, fmt::format("{} has its opcodes twice", instruction.name));
    }
    reading.device.instructions.push_back(std::move(instruction));
    if (!inside.another()) break;
  }
}

void markPrivate(Reading& reading, const RawAttribute& a) {
  Cursor inside = a.joined.cursor(reading.source);
  while (!inside.atEnd()) {
    const std::size_t at = inside.peek().offset;
    const std::string name = inside.needName("an instruction's name");
    bool found = false;
    for (Instruction& instruction : reading.device.instructions) {
      if (!sameWord(instruction.name, name)) continue;
      instruction.isPrivate = true;
      found = true;
    }
    if (!found) inside.failAt(at, fmt::format("{} has no opcode in INSTRUCTION_OPCODE", name));
    if (!inside.another()) break;
  }
}

std::vector<Pattern> codes(const Reading& reading, const RawAttribute& a) {
  std::vector<Pattern> result;
  Cursor inside = a.joined.cursor(reading.source);
  while (!inside.atEnd()) {
    const std::string bits = takePattern(inside);
    if (bits.size() != 32) {
      reading.source.fail(a.offset, fmt::format("{} has {} bits, should have 32", a.name, bits.size()));
    }
    Pattern code;
    for (const char c : bits) {
      code.value = code.value << 1 | (c == '1');
      code.mask = code.mask << 1 | (c != 'X');
    }
    result.push_back(code);
    if (!inside.another()) break;
  }
  return result;
}

void registerAccess(Reading& reading, const RawAttribute& a) {
  Cursor inside = a.joined.cursor(reading.source);
  while (!inside.atEnd()) {
    RegisterAccess access;
    access.name = inside.needName("a register's name");
    if (inside.takeSymbol('[')) {
      // A register whose length changes has a star or a range here (1149.1-2013): then it is not known.
      if (inside.peek().kind == TokenKind::Number && inside.peek(1).text == "]") {
        access.length = inside.needInteger("the register's length");
      }
      while (!inside.atEnd() && !inside.isSymbol(']')) inside.take();
      inside.needSymbol(']');
    }
    inside.needSymbol('(');
    do {
      RegisterAccess::Use use;
      use.instruction = inside.needName("an instruction's name");
      if (inside.takeWord("CAPTURES")) use.captures = takePattern(inside);
      while (!inside.isSymbol(',') && !inside.isSymbol(')') && !inside.atEnd()) inside.take();
      access.uses.push_back(std::move(use));
    } while (inside.takeSymbol(','));
    inside.needSymbol(')');
    reading.device.registers.push_back(std::move(access));
    if (!inside.another()) break;
  }
}

}  // namespace

void readInstructions(Reading& reading) {
  BoundaryDescription& device = reading.device;
  if (const RawAttribute* a = reading.find("INSTRUCTION_LENGTH")) {
    device.instructionLength = numberOf(reading, *a, kMostInstructionBits);
    if (device.instructionLength < 2) reading.source.fail(a->offset, "an instruction register has at least 2 bits");
  } else {
    reading.source.fail(reading.end, fmt::format("{} has no INSTRUCTION_LENGTH", device.entity));
  }
  if (const RawAttribute* a = reading.find("INSTRUCTION_OPCODE")) opcodes(reading, *a);
  if (const RawAttribute* a = reading.find("INSTRUCTION_CAPTURE")) {
    Cursor inside = a->joined.cursor(reading.source);
    device.instructionCapture = takePattern(inside);
    needLength(reading, a->offset, device.instructionCapture, a->name);
    if (!device.instructionCapture.ends_with("01")) {
      device.warnings.push_back(reading.source.at(a->offset, "INSTRUCTION_CAPTURE should end in 01"));
    }
  }
  if (const RawAttribute* a = reading.find("INSTRUCTION_PRIVATE")) markPrivate(reading, *a);
  if (const RawAttribute* a = reading.find("IDCODE_REGISTER")) {
    device.idcodes = codes(reading, *a);
    for (const Pattern& p : device.idcodes) {
      if ((p.mask & 1) != 0 && (p.value & 1) == 0) {
        reading.source.fail(a->offset, "the last bit of an IDCODE is 1 (IEEE 1149.1-2013 12.1.1)");
      }
      if (p.saysNothing()) {
        device.warnings.push_back(reading.source.at(
            a->offset,
            "this IDCODE_REGISTER fits every part, so nothing is recognised by it; give maker and part number"));
      }
    }
  }
  if (const RawAttribute* a = reading.find("USERCODE_REGISTER")) device.usercodes = codes(reading, *a);
  if (const RawAttribute* a = reading.find("REGISTER_ACCESS")) registerAccess(reading, *a);
  if (const RawAttribute* a = reading.find("BOUNDARY_LENGTH")) device.boundaryLength = numberOf(reading, *a, 1u << 24);
}

}  // namespace imprimo::bsdl
