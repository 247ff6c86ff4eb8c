// SPDX-License-Identifier: GPL-3.0-or-later
//
// The boundary register and the cells it is made of (IEEE 1149.1-2013 B.8.14, B.10.2):
//
//   BOUNDARY_REGISTER  number "(" cell "," ( port | "*" ) "," function "," safe [ "," last ] ")" { "," ... }
//   last               control "," value "," result      of an output
//                      what an open input reads           of an input, since 2013
//   CELL_INFO          "(" "(" function "," instruction "," captures ")" { "," ... } ")"
//
// The form of 1990 lists the cells in BOUNDARY_CELLS besides; that says nothing more.
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <unordered_set>

#include "core/bsdl/reading.h"

namespace imprimo::bsdl {
namespace {

CellFunction function(Cursor& inside) {
  static const std::map<std::string, CellFunction> kFunctions = {{"INPUT", CellFunction::Input},
                                                                 {"OUTPUT2", CellFunction::Output2},
                                                                 {"OUTPUT3", CellFunction::Output3},
                                                                 {"CONTROL", CellFunction::Control},
                                                                 {"CONTROLR", CellFunction::ControlR},
                                                                 {"INTERNAL", CellFunction::Internal},
                                                                 {"CLOCK", CellFunction::Clock},
                                                                 {"BIDIR", CellFunction::BiDir},
                                                                 {"OBSERVE_ONLY", CellFunction::ObserveOnly}};
  const Token token = inside.peek();
  const auto it = kFunctions.find(upperCase(inside.needName("the cell's function")));
  if (it == kFunctions.end())
    inside.failAt(token.offset, fmt::format("'{}' is no function of a boundary cell", token.text));
  return it->second;
}

char safeBit(Cursor& inside) {
  const Token token = inside.peek();
  const std::string text = upperCase(inside.needWordOrNumber("the safe bit"));
  if (text != "0" && text != "1" && text != "X") {
    inside.failAt(token.offset, fmt::format("a safe bit is 0, 1 or X, not '{}'", token.text));
  }
  return text[0];
}

bool isOneOf(const std::string& word, std::initializer_list<const char*> words) {
  return std::any_of(words.begin(), words.end(), [&](const char* w) { return word == w; });
}

void lastOf(Cursor& inside, Cell& cell) {
  const Token token = inside.peek();
  if (token.kind == TokenKind::Number) {
    Cell::Disable disable;
    disable.control = inside.needInteger("the control cell's number");
    inside.needSymbol(',');
    disable.value = safeBit(inside);
    inside.needSymbol(',');
    const Token result = inside.peek();
    disable.result = upperCase(inside.needName("what the disabled driver does"));
    if (!isOneOf(disable.result, {"Z", "WEAK0", "WEAK1", "PULL0", "PULL1", "KEEPER", "OPEN0", "OPEN1"})) {
      inside.failAt(
          result.offset,
          fmt::format("a disabled driver does Z, WEAK0, WEAK1, PULL0, PULL1 or KEEPER, not '{}'", result.text));
    }
    cell.disable = std::move(disable);
    return;
  }
  cell.whenOpen = upperCase(inside.needName("a control cell's number, or what an open input reads"));
  if (!isOneOf(cell.whenOpen,
               {"EXPECT0", "EXPECT1", "KEEPER", "PULL0", "PULL1", "OPEN0", "OPEN1", "OPENX", "WEAK0", "WEAK1", "Z"})) {
    inside.failAt(token.offset, fmt::format("'{}' says nothing of an open input", token.text));
  }
}

/// Ports by name, for thousands of cells.
class PortTable {
 public:
  explicit PortTable(const BoundaryDescription& part) {
    for (const Port& port : part.ports) ports_.emplace(upperCase(port.name), &port);
  }
  /// Empty when `port` ("IO(3)") is there; otherwise what is wrong.
  std::string problem(const std::string& port) const {
    const auto bracket = port.find('(');
    const auto it = ports_.find(upperCase(port.substr(0, bracket)));
    if (it == ports_.end()) return fmt::format("{} is no port of this part", port);
    if (bracket == std::string::npos) {
      return it->second->range ? fmt::format("{} is a vector: which of its signals?", port) : std::string();
    }
    if (!it->second->range) return fmt::format("{} is no vector", port.substr(0, bracket));
    const auto [low, high] = std::minmax(it->second->range->first, it->second->range->second);
    const int index = std::atoi(port.c_str() + bracket + 1);
    return index < low || index > high ? fmt::format("{} is outside its vector, {} to {}", port, low, high)
                                       : std::string();
  }

 private:
  std::map<std::string, const Port*> ports_;
};

bool isStandardCell(const std::string& type) {
  if (!type.starts_with("BC_") && !type.starts_with("AC_")) return false;
  const auto number = wholeNumber(std::string_view(type).substr(3));
  return number && *number <= 10;
}

void boundaryRegister(Reading& reading, const RawAttribute& a) {
  BoundaryDescription& part = reading.part;
  const PortTable ports(part);
  Cursor inside = a.joined.cursor(reading.source);
  std::unordered_set<std::string> unknownTypes;
  while (!inside.atEnd()) {
    Cell cell;
    const std::size_t at = inside.peek().offset;
    cell.number = inside.needInteger("a cell's number");
    if (cell.number >= part.boundaryLength) {
      inside.failAt(at, fmt::format("cell {} of a boundary register with {} cells", cell.number, part.boundaryLength));
    }
    inside.needSymbol('(');
    const std::size_t typeAt = inside.peek().offset;
    cell.type = inside.needName("the kind of cell");
    const std::string type = upperCase(cell.type);
    const bool known = isStandardCell(type) || std::any_of(part.cellTypes.begin(), part.cellTypes.end(),
                                                           [&](const CellType& t) { return sameWord(t.name, type); });
    if (!known && unknownTypes.insert(type).second) {
      part.warnings.push_back(reading.source.at(
          a.joined.offsetInFile(typeAt),
          fmt::format("the cell {} is described by no package {}", cell.type,
                      reading.packageMissing ? "that was found; put the package beside the file" : "in the file")));
    }
    inside.needSymbol(',');
    if (!inside.takeSymbol('*')) {
      const std::size_t portAt = inside.peek().offset;
      cell.port = inside.needPort();
      if (const std::string problem = ports.problem(cell.port); !problem.empty()) inside.failAt(portAt, problem);
    }
    inside.needSymbol(',');
    cell.function = function(inside);
    inside.needSymbol(',');
    cell.safe = safeBit(inside);
    if (inside.takeSymbol(',')) lastOf(inside, cell);
    inside.needSymbol(')');
    part.cells.push_back(std::move(cell));
    if (!inside.another()) break;
  }

  std::vector<bool> told(part.boundaryLength, false);
  for (const Cell& cell : part.cells) {
    told[cell.number] = true;
    if (cell.disable && cell.disable->control >= part.boundaryLength) {
      reading.source.fail(a.offset,
                          fmt::format("cell {} is disabled by cell {}, which the register of {} cells does not have",
                                      cell.number, cell.disable->control, part.boundaryLength));
    }
  }
  const auto missing = std::find(told.begin(), told.end(), false);
  if (missing != told.end()) {
    reading.source.fail(a.offset, fmt::format("BOUNDARY_REGISTER does not describe cell {} of {}",
                                              missing - told.begin(), part.boundaryLength));
  }
}

}  // namespace

void readBoundaryRegister(Reading& reading) {
  const RawAttribute* a = reading.find("BOUNDARY_REGISTER");
  if (a == nullptr || a->joined.empty()) return;
  if (reading.find("BOUNDARY_LENGTH") == nullptr) {
    reading.source.fail(a->offset, "there is a BOUNDARY_REGISTER, but no BOUNDARY_LENGTH");
  }
  // Every cell takes at least nine characters; a length far beyond what is described is a slip, not a reason to ask
  // for memory.
  if (reading.part.boundaryLength > a->joined.text().size()) {
    reading.source.fail(
        a->offset, fmt::format("BOUNDARY_REGISTER does not describe all of {} cells", reading.part.boundaryLength));
  }
  boundaryRegister(reading, *a);
}

void readCellTypes(Reading& reading) {
  for (const RawConstant& constant : reading.constants) {
    if (constant.type != "CELL_INFO") continue;
    CellType type;
    type.name = constant.name;
    std::vector<std::string> words;
    for (const Token& token : constant.tokens) {
      if (token.kind == TokenKind::Word || token.kind == TokenKind::Number) words.push_back(upperCase(token.text));
      if (token.text != ")" || words.size() < 3) continue;
      type.captures.push_back({words[0], words[1], words[2]});
      words.clear();
    }
    reading.part.cellTypes.push_back(std::move(type));
  }
  std::erase_if(reading.constants, [](const RawConstant& c) { return c.type == "CELL_INFO"; });
}

const char* nameOf(CellFunction function) {
  switch (function) {
    case CellFunction::Input:
      return "input";
    case CellFunction::Output2:
      return "output2";
    case CellFunction::Output3:
      return "output3";
    case CellFunction::Control:
      return "control";
    case CellFunction::ControlR:
      return "controlr";
    case CellFunction::Internal:
      return "internal";
    case CellFunction::Clock:
      return "clock";
    case CellFunction::BiDir:
      return "bidir";
    case CellFunction::ObserveOnly:
      return "observe_only";
  }
  return "";
}

}  // namespace imprimo::bsdl
