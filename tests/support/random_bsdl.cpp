// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/random_bsdl.h"

#include <fmt/format.h>

#include <set>

namespace imprimo::test {
namespace {

std::size_t below(std::mt19937& random, std::size_t limit) {
  return random() % limit;
}

std::string randomBits(std::mt19937& random, std::size_t count, const char* alphabet, std::size_t letters) {
  std::string bits;
  for (std::size_t i = 0; i < count; ++i) bits += alphabet[below(random, letters)];
  return bits;
}

/// Writes a description in a style of its own: case, blanks, where strings are split, comments.
class Writer {
 public:
  explicit Writer(std::mt19937& random) : random_(random), upper_(random() % 2 == 0), split_(random() % 3) {}

  void word(const std::string& text) { text_ += inCase(text); }
  void raw(const std::string& text) { text_ += text; }
  void gap() {
    static const char* const kGaps[] = {" ", "  ", "\n  ", "\t", " -- a remark; \"quoted\"\n", "\r\n"};
    text_ += kGaps[below(random_, split_ == 0 ? 2 : std::size(kGaps))];
  }
  void attribute(const std::string& name, const std::string& entity, const std::string& value, bool quoted) {
    gap();
    word("attribute");
    text_ += ' ';
    word(name);
    word(" of ");
    word(entity);
    gap();
    text_ += ":";
    word(" entity is ");
    quoted ? string(value) : raw(value);
    text_ += ";";
  }
  void string(const std::string& value) {
    std::size_t at = 0;
    do {
      const std::size_t count = split_ == 0 ? value.size() : 1 + below(random_, split_ == 1 ? 60 : 9);
      text_ += '"' + value.substr(at, count) + '"';
      at += std::min(count, value.size() - at);
      if (at < value.size()) {
        text_ += " &";
        gap();
      }
    } while (at < value.size());
  }
  std::string inCase(std::string text) const {
    if (upper_) {
      for (char& c : text) c = c >= 'a' && c <= 'z' ? static_cast<char>(c - 'a' + 'A') : c;
    }
    return text;
  }
  std::string take() { return std::move(text_); }

 private:
  std::mt19937& random_;
  bool upper_;
  std::size_t split_;
  std::string text_;
};

std::string codeText(const bsdl::Pattern& p) {
  std::string bits;
  for (int i = 31; i >= 0; --i) bits += (p.mask >> i & 1) == 0 ? 'X' : (p.value >> i & 1) != 0 ? '1' : '0';
  return bits;
}

std::string cellText(const bsdl::Cell& cell) {
  std::string text = fmt::format("{} ({}, {}, {}, {}", cell.number, cell.type, cell.port.empty() ? "*" : cell.port,
                                 bsdl::nameOf(cell.function), cell.safe);
  if (cell.disable)
    text += fmt::format(", {}, {}, {}", cell.disable->control, cell.disable->value, cell.disable->result);
  return text + ")";
}

template <typename Items, typename Text>
std::string joined(const Items& items, Text&& text) {
  std::string all;
  for (const auto& item : items) all += (all.empty() ? "" : ", ") + text(item);
  return all;
}

void invent(std::mt19937& random, bsdl::BoundaryDescription& device, std::size_t cells) {
  device.instructionLength = static_cast<std::uint32_t>(2 + below(random, 63));
  std::set<std::string> taken{std::string(device.instructionLength, '1')};
  device.instructions.push_back({"BYPASS", {std::string(device.instructionLength, '1')}, false});
  for (const char* name : {"EXTEST", "SAMPLE", "IDCODE", "LOOK_1", "tune", "Q"}) {
    const std::string code = randomBits(random, device.instructionLength, "01", 2);
    if (taken.insert(code).second) device.instructions.push_back({name, {code}, random() % 4 == 0});
  }
  device.instructionCapture = randomBits(random, device.instructionLength - 2, "01X", 3) + "01";
  for (std::size_t i = 0; i < below(random, 3); ++i) {
    const std::uint32_t mask = random() % 2 == 0 ? 0xFFFFFFFF : 0x0FFFFFFF;
    device.idcodes.push_back({static_cast<std::uint32_t>((random() & 0xFFFFF000) | 0xFFD) & mask, mask});
  }
  device.ports.push_back({"IO", "inout", std::pair{0, static_cast<int>(cells)}});
  for (const char* name : {"TCK", "TMS", "TDI"}) device.ports.push_back({name, "in", {}});
  device.ports.push_back({"TDO", "out", {}});
  device.boundaryLength = static_cast<std::uint32_t>(cells);
  for (std::uint32_t i = 0; i < cells; ++i) {
    bsdl::Cell cell;
    cell.number = i;
    cell.type = fmt::format("BC_{}", 1 + below(random, 10));
    cell.safe = "01X"[below(random, 3)];
    switch (below(random, 4)) {
      case 0:
        cell.function = bsdl::CellFunction::Control;
        break;
      case 1:
        cell.function = bsdl::CellFunction::Internal;
        break;
      case 2:
        cell.function = bsdl::CellFunction::Input;
        cell.port = fmt::format("IO({})", i);
        break;
      default:
        cell.function = bsdl::CellFunction::Output3;
        cell.port = fmt::format("IO({})", i);
        cell.disable = bsdl::Cell::Disable{static_cast<std::uint32_t>(below(random, cells)), "01"[below(random, 2)],
                                           below(random, 2) == 0 ? "Z" : "PULL1"};
    }
    device.cells.push_back(std::move(cell));
  }
}

}  // namespace

RandomDevice randomDevice(std::mt19937& random, const std::string& entity, std::size_t cells) {
  RandomDevice result;
  bsdl::BoundaryDescription& device = result.device;
  device.entity = entity;
  invent(random, device, cells);

  Writer w(random);
  device.entity = w.inCase(entity);
  if (random() % 2 == 0) w.raw("-- made up\n");
  w.word("entity " + entity + " is");
  w.gap();
  w.word("port (");
  for (std::size_t i = 0; i < device.ports.size(); ++i) {
    const bsdl::Port& p = device.ports[i];
    if (i > 0) w.raw(";");
    w.gap();
    w.raw(p.name + ":");
    w.word(" " + p.mode + " bit");
    if (p.range) {
      w.word("_vector(");
      w.raw(fmt::format("{}", p.range->first));
      w.word(" to ");
      w.raw(fmt::format("{})", p.range->second));
    }
  }
  w.raw(");");
  w.attribute("INSTRUCTION_LENGTH", entity, std::to_string(device.instructionLength), false);
  w.attribute(
      "INSTRUCTION_OPCODE", entity,
      joined(device.instructions, [](const bsdl::Instruction& i) { return i.name + " (" + i.opcodes[0] + ")"; }), true);
  w.attribute("INSTRUCTION_CAPTURE", entity, device.instructionCapture, true);
  std::vector<std::string> secret;
  for (const bsdl::Instruction& i : device.instructions) {
    if (i.isPrivate) secret.push_back(i.name);
  }
  if (!secret.empty())
    w.attribute("INSTRUCTION_PRIVATE", entity, joined(secret, [](const std::string& s) { return s; }), true);
  if (!device.idcodes.empty()) w.attribute("IDCODE_REGISTER", entity, joined(device.idcodes, codeText), true);
  w.attribute("BOUNDARY_LENGTH", entity, std::to_string(cells), false);
  if (cells > 0) w.attribute("BOUNDARY_REGISTER", entity, joined(device.cells, cellText), true);
  w.gap();
  w.word("end " + entity + ";");
  result.text = w.take();
  return result;
}

}  // namespace imprimo::test
