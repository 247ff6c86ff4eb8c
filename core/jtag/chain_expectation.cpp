// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/jtag/chain_expectation.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"

namespace imprimo::jtag {
namespace {

std::string idText(const ExpectedPart& part) {
  return part.idcodes.empty() ? "any IDCODE" : patternText(part.idcodes.front());
}

std::string idText(const FoundPart& part) {
  return part.idcode ? hexIdcode(*part.idcode) : "no IDCODE";
}

bool idAgrees(const ExpectedPart& expected, const FoundPart& found) {
  if (expected.idcodes.empty()) return true;
  return found.idcode && std::any_of(expected.idcodes.begin(), expected.idcodes.end(),
                                     [&](const bsdl::Pattern& p) { return p.matches(*found.idcode); });
}

bool lengthAgrees(const ExpectedPart& expected, const FoundPart& found) {
  return found.irLength.min <= expected.irLength && expected.irLength <= found.irLength.max;
}

std::string lengthText(const LengthBounds& length) {
  return length.certain() ? fmt::format("IR {}", length.min) : fmt::format("IR {} to {}", length.min, length.max);
}

}  // namespace

std::string patternText(const bsdl::Pattern& pattern) {
  std::string text = hexIdcode(pattern.value);
  for (std::size_t digit = 0; digit < 8; ++digit) {
    if ((pattern.mask >> (4 * digit) & 0xF) != 0xF) text[9 - digit] = '?';
  }
  return text;
}

std::vector<PartComparison> compare(const std::vector<ExpectedPart>& expected, const FoundChain& found) {
  std::vector<PartComparison> rows;
  for (std::size_t i = 0; i < std::max(expected.size(), found.parts.size()); ++i) {
    PartComparison row{"nothing", "nothing", false};
    if (i < expected.size()) {
      row.expected = fmt::format("{} {}, IR {}", expected[i].name, idText(expected[i]), expected[i].irLength);
    }
    if (i < found.parts.size()) {
      const FoundPart& part = found.parts[i];
      row.found =
          fmt::format("{}{}, {}", part.name.empty() ? "" : part.name + " ", idText(part), lengthText(part.irLength));
    }
    row.agrees = i < expected.size() && i < found.parts.size() && idAgrees(expected[i], found.parts[i]) &&
                 lengthAgrees(expected[i], found.parts[i]);
    rows.push_back(std::move(row));
  }
  return rows;
}

void requireMatch(const std::vector<ExpectedPart>& expected, const FoundChain& found) {
  const std::vector<PartComparison> rows = compare(expected, found);
  std::uint32_t total = 0;
  for (const ExpectedPart& part : expected) total += part.irLength;

  std::string sentence;
  const auto wrong = std::find_if(rows.begin(), rows.end(), [](const PartComparison& r) { return !r.agrees; });
  if (expected.size() != found.parts.size()) {
    sentence =
        fmt::format("the chain should have {}, found {}", countText(expected.size(), "part"), found.parts.size());
  } else if (wrong != rows.end()) {
    const auto i = static_cast<std::size_t>(wrong - rows.begin());
    if (!idAgrees(expected[i], found.parts[i])) {
      sentence = fmt::format("part {} should be {} ({}), found {}", i + 1, idText(expected[i]), expected[i].name,
                             idText(found.parts[i]));
    } else {
      sentence = fmt::format("part {} ({}) should have {} instruction bits, found {}", i + 1, expected[i].name,
                             expected[i].irLength, lengthText(found.parts[i].irLength));
    }
  } else if (total != found.irTotal) {
    sentence = fmt::format("the chain should have {} instruction bits, found {}", total, found.irTotal);
  } else {
    return;
  }

  std::size_t width = 8;
  for (const PartComparison& row : rows) width = std::max(width, row.expected.size());
  sentence += fmt::format("\n  part  {:{}}  found", "expected", width);
  for (std::size_t i = 0; i < rows.size(); ++i) {
    sentence += fmt::format("\n  {:4}  {:{}}  {}{}", i + 1, rows[i].expected, width, rows[i].found,
                            rows[i].agrees ? "" : "   <- differs");
  }
  throw Error(ErrorKind::ChainMismatch, sentence,
              "\nNothing was written. Is this the right board and revision? If so, correct the sheet's chain.");
}

}  // namespace imprimo::jtag
