// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/console/numbers.h"

#include <cctype>
#include <charconv>
#include <cmath>
#include <optional>

namespace imprimo::console {
namespace {

bool isLetter(char c) {
  return std::isalpha(static_cast<unsigned char>(c)) != 0 || c == '_';
}

bool isOfName(char c) {
  return isLetter(c) || std::isdigit(static_cast<unsigned char>(c)) != 0 || c == '.';
}

/// The number at the beginning of `text`, which becomes what is behind it.
std::optional<double> number(std::string_view& text) {
  const bool negative = text.starts_with('-');
  std::string_view digits = text.substr(negative || text.starts_with('+') ? 1 : 0);
  double value = 0;
  std::from_chars_result end{};
  if (digits.starts_with("0x") || digits.starts_with("0X")) {
    std::uint64_t whole = 0;
    end = std::from_chars(digits.data() + 2, digits.data() + digits.size(), whole, 16);
    value = static_cast<double>(whole);
  } else {
    if (digits.empty() || std::isdigit(static_cast<unsigned char>(digits.front())) == 0) return std::nullopt;
    end = std::from_chars(digits.data(), digits.data() + digits.size(), value);
  }
  if (end.ec != std::errc() || !std::isfinite(value)) return std::nullopt;
  text = {end.ptr, static_cast<std::size_t>(text.data() + text.size() - end.ptr)};
  return negative ? -value : value;
}

}  // namespace

std::vector<NamedNumber> namedNumbers(std::string_view line) {
  std::vector<NamedNumber> all;
  for (std::size_t at = line.find('='); at != std::string_view::npos; at = line.find('=', at)) {
    std::size_t begin = at;
    while (begin > 0 && isOfName(line[begin - 1])) --begin;
    while (begin < at && !isLetter(line[begin])) ++begin;
    std::string_view rest = line.substr(++at);
    if (begin + 1 == at) continue;
    const std::string name(line.substr(begin, at - 1 - begin));
    if (const std::optional<double> value = number(rest)) all.push_back({name, *value});
  }
  return all;
}

}  // namespace imprimo::console
