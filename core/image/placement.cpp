// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/placement.h"

#include <fmt/format.h>

#include <filesystem>

#include "core/base/error.h"
#include "core/base/number.h"

namespace imprimo {
namespace {

[[noreturn]] void fail(const std::string& option, const char* wants) {
  throw Error(ErrorKind::Usage, fmt::format("'{}' makes no sense at the end of a piece", option), wants);
}

/// True when `option` is one, with its value taken.
bool takeOption(Placement& p, const std::string& option) {
  const auto is = [&](std::string_view name) { return option.starts_with(name); };
  const auto value = [&](std::string_view name) { return option.substr(name.size()); };
  if (option == "reversed") {
    p.reversed = true;
  } else if (option == "swap16" || option == "swap32") {
    p.swap = option == "swap16" ? 2 : 4;
  } else if (option == "after") {
    p.after = true;
  } else if (is("align=") || is("pad=")) {
    const auto boundary = parseBoundary(value(is("pad=") ? "pad=" : "align="));
    if (!boundary) fail(option, "Give a number of bytes, or 'block' for the part's erase block.");
    (is("pad=") ? p.pad : p.align) = boundary;
  } else if (is("cut=")) {
    p.cut = parseCut(value("cut="));
    if (!p.cut) fail(option, "Give A..B (both ends included), A+N, or A.. for all from there.");
  } else if (is("format=")) {
    p.format = formatNamed(value("format="));
    if (!p.format) fail(option, "There are bin, hex, srec and elf.");
  } else if (is("card=") && option.size() > 5) {
    p.wrapper = value("card=");
  } else {
    return false;
  }
  return true;
}

void splitAddress(const std::string& text, std::string& what, std::optional<std::uint64_t>& at) {
  what = text;
  const auto sign = text.rfind('@');
  if (sign == std::string::npos || sign == 0) return;
  if (const auto address = parseNumber(std::string_view(text).substr(sign + 1))) {
    at = address;
    what = text.substr(0, sign);
  }
}

}  // namespace

std::optional<AddressRange> parseCut(std::string_view text) {
  if (const auto range = parseRange(text)) return range;
  if (!text.ends_with("..")) return std::nullopt;
  const auto from = parseNumber(text.substr(0, text.size() - 2));
  if (!from || *from == UINT64_MAX) return std::nullopt;
  return AddressRange{*from, UINT64_MAX};
}

std::optional<Boundary> parseBoundary(std::string_view text) {
  if (text == "block") return kEraseBlock;
  const auto number = parseNumber(text);
  if (!number || *number == 0) return std::nullopt;
  return number;
}

Placement parsePiece(const std::string& text) {
  Placement placement;
  std::string rest = text;
  while (true) {
    const std::size_t comma = rest.rfind(',');
    if (comma == std::string::npos || comma == 0 || !takeOption(placement, rest.substr(comma + 1))) break;
    rest.resize(comma);
  }
  splitAddress(rest, placement.file, placement.at);
  constexpr std::string_view kPattern = "pattern:";
  if (!placement.file.starts_with(kPattern)) return placement;
  placement.pattern = parsePattern(std::string_view(placement.file).substr(kPattern.size()));
  if (!placement.pattern) {
    throw Error(ErrorKind::Usage, fmt::format("'{}' is no pattern", placement.file),
                "Write pattern:0xA5+4K, pattern:counting+4K, pattern:random:SEED+4K or pattern:text:WORDS+4K; for a "
                "file of that name, ./pattern:...");
  }
  placement.file.clear();
  return placement;
}

std::string shortName(const Placement& placement) {
  if (placement.pattern) return "pattern " + patternText(*placement.pattern);
  return std::filesystem::path(placement.file).filename().string();
}

SumPlacement parseSum(const std::string& text) {
  SumPlacement sum;
  std::string rest = text;
  for (const std::string_view order : {",low-first", ",high-first"}) {
    if (!rest.ends_with(order)) continue;
    sum.lowFirst = order == ",low-first";
    rest.resize(rest.size() - order.size());
    break;
  }
  std::optional<std::uint64_t> at;
  std::string what;
  splitAddress(rest, what, at);
  const std::size_t colon = what.rfind(':');
  const auto range = colon == std::string::npos ? std::nullopt : parseRange(std::string_view(what).substr(colon + 1));
  sum.kind = what.substr(0, colon);
  if (!at || !range || !checksumNamed(sum.kind)) {
    std::string names;
    for (const std::string& name : checksumNames()) names += name + ", ";
    throw Error(ErrorKind::Usage, fmt::format("'{}' is no checksum to write", text),
                "Write KIND:RANGE@ADDRESS[,low-first], for example crc32:0..0xFFFB@0xFFFC. There are " + names +
                    "and crc:WIDTH,POLYNOMIAL,INITIAL,FINAL[,reflected].");
  }
  sum.range = *range;
  sum.at = *at;
  return sum;
}

}  // namespace imprimo
