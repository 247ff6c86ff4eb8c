// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/jtag/chain_expectation.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"

namespace imprimo::jtag {
namespace {

std::string idText(const ExpectedDevice& device) {
  return device.idcodes.empty() ? "any IDCODE" : patternText(device.idcodes.front());
}

std::string idText(const FoundDevice& device) {
  return device.idcode ? hexIdcode(*device.idcode) : "no IDCODE";
}

bool idAgrees(const ExpectedDevice& expected, const FoundDevice& found) {
  if (expected.idcodes.empty()) return true;
  return found.idcode && std::any_of(expected.idcodes.begin(), expected.idcodes.end(),
                                     [&](const bsdl::Pattern& p) { return p.matches(*found.idcode); });
}

bool lengthAgrees(const ExpectedDevice& expected, const FoundDevice& found) {
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

BrokenChain located(const std::vector<ExpectedDevice>& expected, BrokenChain broken) {
  if (broken.how() != BrokenChain::How::Cut || broken.nearTdo.size() > expected.size()) return broken;
  std::size_t answering = broken.nearTdo.size();
  for (std::size_t i = 0; i < answering; ++i) {
    if (!idAgrees(expected[expected.size() - 1 - i], broken.nearTdo[answering - 1 - i])) return broken;
  }
  // Devices without IDCODE cannot be told from a wire at 0, so they are counted as the sheet has them.
  while (broken.maybeMore && answering < expected.size() && expected[expected.size() - 1 - answering].idcodes.empty()) {
    ++answering;
  }
  const std::size_t behind = expected.size() - answering;
  const auto named = [&](std::size_t position) {
    return fmt::format("part {} ({})", position, expected[position - 1].name);
  };
  const std::string where = behind == 0 ? fmt::format("between TDI and {}", named(1))
                            : behind == expected.size()
                                ? fmt::format("behind {}, before TDO", named(behind))
                                : fmt::format("between {} and {}", named(behind), named(behind + 1));
  BrokenChain result(
      broken.how(),
      fmt::format("the chain is cut {}: {} nearest TDO answer{}, and nothing comes through to {}", where,
                  countText(answering, "part"), answering == 1 ? "s" : "", answering == 1 ? "it" : "them"),
      behind == 0 ? "Look at the cable's TDI wire."
                  : fmt::format("Look at the wire between them; {} may have no power or be held in reset, or "
                                "TCK or TMS does not reach it.",
                                named(behind)));
  result.nearTdo = std::move(broken.nearTdo);
  result.maybeMore = broken.maybeMore;
  result.breakBehind = behind;
  return result;
}

std::vector<DeviceComparison> compare(const std::vector<ExpectedDevice>& expected, const FoundChain& found) {
  std::vector<DeviceComparison> rows;
  for (std::size_t i = 0; i < std::max(expected.size(), found.devices.size()); ++i) {
    DeviceComparison row;
    row.expected = row.found = "nothing";
    if (i < expected.size()) {
      row.expected = fmt::format("{} {}, IR {}", expected[i].name, idText(expected[i]), expected[i].irLength);
    }
    if (i < found.devices.size()) {
      const FoundDevice& device = found.devices[i];
      row.found = fmt::format("{}{}, {}", device.name.empty() ? "" : device.name + " ", idText(device),
                              lengthText(device.irLength));
    }
    row.agrees = i < expected.size() && i < found.devices.size() && idAgrees(expected[i], found.devices[i]) &&
                 lengthAgrees(expected[i], found.devices[i]);
    if (i < expected.size() && !expected[i].idcodes.empty()) row.expectedId = expected[i].idcodes.front();
    if (i < found.devices.size()) row.foundId = found.devices[i].idcode;
    if (row.expectedId && row.foundId && !idAgrees(expected[i], found.devices[i])) {
      row.fields = difference(*row.expectedId, *row.foundId);
    }
    rows.push_back(std::move(row));
  }
  return rows;
}

void requireMatch(const std::vector<ExpectedDevice>& expected, const FoundChain& found) {
  const std::vector<DeviceComparison> rows = compare(expected, found);
  std::uint32_t total = 0;
  for (const ExpectedDevice& device : expected) total += device.irLength;

  std::string sentence;
  const auto wrong = std::find_if(rows.begin(), rows.end(), [](const DeviceComparison& r) { return !r.agrees; });
  if (expected.size() != found.devices.size()) {
    sentence =
        fmt::format("the chain should have {}, found {}", countText(expected.size(), "part"), found.devices.size());
  } else if (wrong != rows.end()) {
    const auto i = static_cast<std::size_t>(wrong - rows.begin());
    if (!idAgrees(expected[i], found.devices[i])) {
      sentence = fmt::format("part {} should be {} ({}), found {}", i + 1, idText(expected[i]), expected[i].name,
                             idText(found.devices[i]));
      if (wrong->fields.any()) {
        sentence += fmt::format(": {} ({})", wrong->fields.text(), fieldsText(*wrong->foundId));
      }
    } else {
      sentence = fmt::format("part {} ({}) should have {} instruction bits, found {}", i + 1, expected[i].name,
                             expected[i].irLength, lengthText(found.devices[i].irLength));
    }
  } else if (total != found.irTotal) {
    sentence = fmt::format("the chain should have {} instruction bits, found {}", total, found.irTotal);
  } else {
    return;
  }

  std::size_t width = 8;
  for (const DeviceComparison& row : rows) width = std::max(width, row.expected.size());
  sentence += fmt::format("\n  part  {:{}}  found", "expected", width);
  for (std::size_t i = 0; i < rows.size(); ++i) {
    sentence += fmt::format("\n  {:4}  {:{}}  {}{}", i + 1, rows[i].expected, width, rows[i].found,
                            rows[i].agrees ? "" : "   <- differs");
  }
  throw Error(ErrorKind::ChainMismatch, sentence,
              "\nNothing was written. Is this the right board and revision? If so, correct the sheet's chain.")
      .untouched();
}

}  // namespace imprimo::jtag
