// SPDX-License-Identifier: GPL-3.0-or-later
//
// The boundary register and the cells it is made of (IEEE 1149.1-2013 B.8.14, B.10.2):
//
//   BOUNDARY_REGISTER  number "(" cell "," ( port | "*" ) "," function "," safe [ "," last ] ")" { "," ... }
//   last               control "," value "," result      of an output
//                      what an open input reads           of an input, since 2013
//   CELL_INFO          "(" "(" function "," instruction "," captures ")" { "," ... } ")"
//
// Since 2013 a register may be put together from segments, each a list of cells with numbers of its own:
//
//   BOUNDARY_SEGMENT           name "[" length "]" "(" cells ")" { "," ... }
//   ASSEMBLED_BOUNDARY_LENGTH  "(" length behind a reset "," length of all ")"
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
  explicit PortTable(const BoundaryDescription& device) {
    for (const Port& port : device.ports) ports_.emplace(upperCase(port.name), &port);
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
  if (type == "AC_SELX" || type == "AC_SELU") return true;  // STD_1149_6
  const auto number = wholeNumber(std::string_view(type).substr(3));
  return number && *number <= 10;
}

class CellReader {
 public:
  CellReader(Reading& reading, const RawAttribute& a)
      : reading_(reading), attribute_(a), ports_(reading.device), inside_(a.joined.cursor(reading.source)) {}

  std::vector<Cell> whole(std::uint32_t length) {
    std::vector<Cell> cells;
    while (!inside_.atEnd()) {
      cells.push_back(cell(length));
      if (!inside_.another()) break;
    }
    check(cells, length, attribute_.name);
    return cells;
  }

  std::vector<BoundarySegment> segments() {
    std::vector<BoundarySegment> found;
    while (!inside_.atEnd()) {
      BoundarySegment segment;
      segment.name = inside_.needName("a segment's name");
      inside_.needSymbol('[');
      segment.length = inside_.needInteger("the segment's length");
      inside_.needSymbol(']');
      inside_.needSymbol('(');
      do {
        segment.cells.push_back(cell(segment.length));
      } while (inside_.takeSymbol(','));
      inside_.needSymbol(')');
      check(segment.cells, segment.length, "segment " + segment.name);
      found.push_back(std::move(segment));
      if (!inside_.another()) break;
    }
    return found;
  }

 private:
  Cell cell(std::uint32_t length) {
    Cell cell;
    const std::size_t at = inside_.peek().offset;
    cell.number = inside_.needInteger("a cell's number");
    if (cell.number >= length)
      inside_.failAt(at, fmt::format("cell {} of a boundary register with {} cells", cell.number, length));
    inside_.needSymbol('(');
    const std::size_t typeAt = inside_.peek().offset;
    cell.type = inside_.needName("the kind of cell");
    know(upperCase(cell.type), cell.type, typeAt);
    inside_.needSymbol(',');
    if (!inside_.takeSymbol('*')) {
      const std::size_t portAt = inside_.peek().offset;
      cell.port = inside_.needPort();
      if (const std::string problem = ports_.problem(cell.port); !problem.empty()) inside_.failAt(portAt, problem);
    }
    inside_.needSymbol(',');
    cell.function = function(inside_);
    inside_.needSymbol(',');
    cell.safe = safeBit(inside_);
    if (inside_.takeSymbol(',')) lastOf(inside_, cell);
    inside_.needSymbol(')');
    return cell;
  }

  void know(const std::string& type, const std::string& asWritten, std::size_t at) {
    BoundaryDescription& device = reading_.device;
    const bool known = isStandardCell(type) || std::any_of(device.cellTypes.begin(), device.cellTypes.end(),
                                                           [&](const CellType& t) { return sameWord(t.name, type); });
    if (known || !unknownTypes_.insert(type).second) return;
    device.warnings.push_back(reading_.source.at(
        attribute_.joined.offsetInFile(at),
        fmt::format("the cell {} is described by no package {}", asWritten,
                    reading_.packageMissing ? "that was found; put the package beside the file" : "in the file")));
  }

  /// Every cell takes at least nine characters; a length far beyond what is described is a slip, not a reason to ask
  /// for memory.
  void check(const std::vector<Cell>& cells, std::uint32_t length, const std::string& what) const {
    if (length > attribute_.joined.text().size())
      reading_.source.fail(attribute_.offset, fmt::format("{} does not describe all of {} cells", what, length));
    std::vector<bool> told(length, false);
    for (const Cell& cell : cells) {
      told[cell.number] = true;
      if (cell.disable && cell.disable->control >= length) {
        reading_.source.fail(attribute_.offset,
                             fmt::format("cell {} is disabled by cell {}, which the register of {} cells does not have",
                                         cell.number, cell.disable->control, length));
      }
    }
    const auto missing = std::find(told.begin(), told.end(), false);
    if (missing != told.end()) {
      reading_.source.fail(attribute_.offset,
                           fmt::format("{} does not describe cell {} of {}", what, missing - told.begin(), length));
    }
  }

  Reading& reading_;
  const RawAttribute& attribute_;
  PortTable ports_;
  Cursor inside_;
  std::unordered_set<std::string> unknownTypes_;
};

void assembled(Reading& reading) {
  if (const RawAttribute* a = reading.find("ASSEMBLED_BOUNDARY_LENGTH")) {
    // Written as a string or without quotes; older drafts have one number.
    std::vector<std::uint32_t> lengths;
    const std::string text = a->value();
    for (std::size_t at = 0; (at = text.find_first_of("0123456789", at)) != std::string::npos;) {
      const std::size_t end = std::min(text.find_first_not_of("0123456789", at), text.size());
      const auto length = wholeNumber(std::string_view(text).substr(at, end - at));
      if (!length || *length > (1u << 24)) reading.source.fail(a->offset, a->name + " has a length that no part has");
      lengths.push_back(*length);
      at = end;
    }
    if (lengths.empty() || lengths.size() > 2 || lengths.front() > lengths.back())
      reading.source.fail(a->offset, a->name + " should be (length after a reset, length of all)");
    reading.device.boundaryLength = lengths.front();
    reading.device.wholeBoundaryLength = lengths.back();
  }
  if (const RawAttribute* a = reading.find("BOUNDARY_SEGMENT"); a != nullptr && !a->joined.empty())
    reading.device.segments = CellReader(reading, *a).segments();
}

void boundaryRegister(Reading& reading) {
  const RawAttribute* a = reading.find("BOUNDARY_REGISTER");
  if (a == nullptr || a->joined.empty()) return assembled(reading);
  if (reading.find("BOUNDARY_LENGTH") == nullptr) {
    reading.source.fail(a->offset, "there is a BOUNDARY_REGISTER, but no BOUNDARY_LENGTH");
  }
  if (reading.device.boundaryLength > a->joined.text().size()) {
    reading.source.fail(
        a->offset, fmt::format("BOUNDARY_REGISTER does not describe all of {} cells", reading.device.boundaryLength));
  }
  reading.device.cells = CellReader(reading, *a).whole(reading.device.boundaryLength);
}

}  // namespace

void readBoundaryRegister(Reading& reading) {
  try {
    boundaryRegister(reading);
  } catch (const Error& e) {
    reading.device.boundaryProblem = e.what();
    reading.device.warnings.emplace_back(e.what());
  }
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
    reading.device.cellTypes.push_back(std::move(type));
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
