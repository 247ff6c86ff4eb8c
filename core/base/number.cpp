// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/number.h"

#include <fmt/format.h>

#include <charconv>
#include <cmath>

namespace imprimo {

std::optional<std::uint64_t> parseNumber(std::string_view text) {
  int base = 10;
  std::uint64_t scale = 1;
  if (text.starts_with("0x") || text.starts_with("0X")) {
    base = 16;
    text.remove_prefix(2);
  }
  if (!text.empty()) {
    const char last = text.back();
    if (last == 'K' || last == 'k') scale = 1024;
    if (last == 'M' || last == 'm') scale = std::uint64_t{1024} * 1024;
    if (scale != 1) text.remove_suffix(1);
  }
  std::uint64_t value = 0;
  const auto [end, failure] = std::from_chars(text.data(), text.data() + text.size(), value, base);
  if (failure != std::errc{} || end != text.data() + text.size()) return std::nullopt;
  if (value > UINT64_MAX / scale) return std::nullopt;
  return value * scale;
}

std::optional<AddressRange> parseRange(std::string_view text) {
  const auto number = [](std::string_view part) {
    while (!part.empty() && part.front() == ' ') part.remove_prefix(1);
    while (!part.empty() && part.back() == ' ') part.remove_suffix(1);
    return parseNumber(part);
  };
  // The last one is a dash as ranges are told with.
  for (const std::string_view between : {"..", "-", "\xE2\x80\x93"}) {
    const auto at = text.find(between);
    if (at == std::string_view::npos) continue;
    const auto first = number(text.substr(0, at));
    const auto last = number(text.substr(at + between.size()));
    if (!first || !last || *last < *first || *last == UINT64_MAX) return std::nullopt;
    return AddressRange{*first, *last + 1};
  }
  if (const auto plus = text.find('+'); plus != std::string_view::npos) {
    const auto first = number(text.substr(0, plus));
    const auto length = number(text.substr(plus + 1));
    if (!first || !length || *length == 0 || *length > UINT64_MAX - *first) return std::nullopt;
    return AddressRange{*first, *first + *length};
  }
  return std::nullopt;
}

std::string hexAddress(std::uint64_t address) {
  return fmt::format("0x{:06X}", address);
}
std::string hexByte(std::uint8_t byte) {
  return fmt::format("0x{:02X}", byte);
}
std::string hexIdcode(std::uint32_t idcode) {
  return fmt::format("0x{:08x}", idcode);
}

std::string rangeText(const AddressRange& range) {
  if (range.empty()) return "nothing";
  return hexAddress(range.begin) + " – " + hexAddress(range.end - 1);
}

std::string sizeText(std::uint64_t bytes) {
  if (bytes == 1) return "1 byte";
  if (bytes < 1024) return fmt::format("{} bytes", bytes);
  const char* unit = "KiB";
  double value = static_cast<double>(bytes) / 1024;
  for (const char* larger : {"MiB", "GiB", "TiB"}) {
    if (value < 1024) break;
    value /= 1024;
    unit = larger;
  }
  if (value == std::floor(value)) return fmt::format("{:.0f} {}", value, unit);
  return fmt::format("{:.{}f} {}", value, value < 10 ? 2 : value < 100 ? 1 : 0, unit);
}

std::string bitsText(std::uint64_t bits) {
  if (bits < 1000) return countText(bits, "bit");
  const bool mega = bits >= 1'000'000;
  const double value = static_cast<double>(bits) / (mega ? 1e6 : 1e3);
  return fmt::format("{:.{}f} {}", value, value < 10 ? 2 : value < 100 ? 1 : 0, mega ? "Mbit" : "kbit");
}

std::string durationText(double seconds) {
  if (seconds <= 0) return "0 s";
  if (seconds < 0.0995) return fmt::format("{:.0f} ms", std::max(1.0, seconds * 1000));
  if (seconds < 9.95) return fmt::format("{:.1f} s", seconds);
  if (seconds < 99.5) return fmt::format("{:.0f} s", seconds);
  const auto whole = static_cast<std::uint64_t>(std::llround(seconds));
  return fmt::format("{} min {} s", whole / 60, whole % 60);
}

std::string hertzText(double hz) {
  return hz >= 1e6   ? fmt::format("{:g} MHz", hz / 1e6)
         : hz >= 1e3 ? fmt::format("{:g} kHz", hz / 1e3)
                     : fmt::format("{:g} Hz", hz);
}

std::string countText(std::uint64_t n, std::string_view singular) {
  return fmt::format("{} {}{}", n, singular, n == 1 ? "" : "s");
}

}  // namespace imprimo
