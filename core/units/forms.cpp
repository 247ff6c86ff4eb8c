// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/units/forms.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/image/checksum.h"
#include "core/image/sync_word.h"

namespace imprimo::units {
namespace {

constexpr std::size_t kMacBytes = 6, kUuidBytes = 16;
constexpr unsigned kBitsOfByte = 8;

[[noreturn]] void tooWide(const Field& field, const std::string& text) {
  throw Error(
      ErrorKind::Usage,
      fmt::format("{} is too wide for field {}, which has {} byte{}", field.secret ? "a value" : "'" + text + "'",
                  field.name, field.bytes, field.bytes == 1 ? "" : "s"),
      "Make the field wider, or the value shorter.");
}

[[noreturn]] void isNone(const Field& field, const std::string& text, const char* what) {
  throw Error(
      ErrorKind::Usage,
      fmt::format("{} is no value of field {}", field.secret ? "the value given" : "'" + text + "'", field.name),
      fmt::format("It takes {}.", what));
}

/// Hexadecimal digits with whatever stands between pairs taken out.
std::optional<Bytes> bytesOfDigits(std::string text, const char* between) {
  std::erase_if(text, [&](char c) { return std::string_view(between).find(c) != std::string_view::npos; });
  if (text.empty() || text.size() % 2 != 0) return std::nullopt;
  Bytes bytes;
  for (std::size_t i = 0; i < text.size(); i += 2) {
    const auto byte = parseNumber("0x" + text.substr(i, 2));
    if (!byte) return std::nullopt;
    bytes.push_back(static_cast<std::uint8_t>(*byte));
  }
  return bytes;
}

Bytes integerBytes(const Field& field, const std::string& text, std::uint64_t value) {
  if (field.bytes < sizeof value && (value >> (kBitsOfByte * field.bytes)) != 0) tooWide(field, text);
  Bytes bytes(field.bytes);
  for (std::size_t i = 0; i < bytes.size() && i < sizeof value; ++i) {
    const std::size_t at = field.lowFirst && field.form == Form::Integer ? i : bytes.size() - 1 - i;
    bytes[at] = static_cast<std::uint8_t>(value >> (kBitsOfByte * i));
  }
  return bytes;
}

Bytes digitText(const Field& field, const std::string& text, const std::string& digits) {
  if (digits.size() > field.bytes) tooWide(field, text);
  Bytes bytes(field.bytes, '0');
  std::copy(digits.begin(), digits.end(), bytes.end() - static_cast<std::ptrdiff_t>(digits.size()));
  return bytes;
}

}  // namespace

Bytes bytesOf(const Field& field, const std::string& text) {
  const auto number = [&] {
    const auto value = parseNumber(text);
    if (!value) isNone(field, text, "a number, like 1000 or 0x3E8");
    return *value;
  };
  const auto exactly = [&](const std::optional<Bytes>& bytes, std::size_t size, const char* what) {
    if (!bytes) isNone(field, text, what);
    if (bytes->size() > size) tooWide(field, text);
    if (bytes->size() < size) isNone(field, text, what);
    return *bytes;
  };
  switch (field.form) {
    case Form::Integer:
      return integerBytes(field, text, number());
    case Form::Decimal:
      return digitText(field, text, std::to_string(number()));
    case Form::Hex:
      return digitText(field, text, fmt::format("{:X}", number()));
    case Form::Mac:
      if (text.starts_with("0x") || text.starts_with("0X")) return integerBytes(field, text, number());
      return exactly(bytesOfDigits(text, ":-"), kMacBytes, "6 bytes, like 02:AA:BB:00:00:10");
    case Form::Uuid:
      return exactly(bytesOfDigits(text, "-"), kUuidBytes, "16 bytes, like 123e4567-e89b-42d3-a456-426614174000");
    case Form::Bytes:
      return exactly(bytesOfDigits(text, " "), field.bytes, "as many bytes as it has, in digits");
    case Form::Text: {
      if (text.size() > field.bytes) tooWide(field, text);
      Bytes bytes(field.bytes, field.fill);
      std::copy(text.begin(), text.end(), bytes.begin());
      return bytes;
    }
  }
  return {};
}

std::string textOf(const Field& field, std::uint64_t number) {
  if (field.form == Form::Mac) return textOf(field, integerBytes(field, hexAddress(number), number));
  if (field.form == Form::Integer && field.source.hexadecimal)
    return fmt::format("0x{:0{}X}", number, 2 * std::min<std::uint32_t>(field.bytes, sizeof number));
  if (field.form == Form::Hex) return fmt::format("0x{:X}", number);
  if (field.form == Form::Bytes || field.form == Form::Uuid) {
    Field high = field;
    high.lowFirst = false;
    return textOf(field, integerBytes(high, hexAddress(number), number));
  }
  return std::to_string(number);
}

std::string textOf(const Field& field, ByteSpan bytes) {
  switch (field.form) {
    case Form::Integer: {
      std::uint64_t number = 0;
      for (std::size_t i = 0; i < bytes.size(); ++i)
        number = number << kBitsOfByte | bytes[field.lowFirst ? bytes.size() - 1 - i : i];
      return field.source.hexadecimal || field.source.kind != Source::Count
                 ? fmt::format("0x{:0{}X}", number, 2 * bytes.size())
                 : std::to_string(number);
    }
    case Form::Decimal:
    case Form::Text: {
      std::string text(bytes.begin(), bytes.end());
      if (field.form == Form::Text) text.erase(text.find_last_not_of(static_cast<char>(field.fill)) + 1);
      if (field.form == Form::Decimal) text.erase(0, std::min(text.find_first_not_of('0'), text.size() - 1));
      return text;
    }
    case Form::Hex: {
      std::string text(bytes.begin(), bytes.end());
      text.erase(0, std::min(text.find_first_not_of('0'), text.size() - 1));
      return "0x" + text;
    }
    case Form::Mac:
      return fmt::format("{:02X}", fmt::join(bytes, ":"));
    case Form::Uuid: {
      std::string text = fmt::format("{:02x}", fmt::join(bytes, ""));
      constexpr std::size_t kDashes[] = {8, 13, 18, 23};  // RFC 4122, 3: 8-4-4-4-12 digits
      for (const std::size_t at : kDashes) text.insert(std::min(at, text.size()), "-");
      return text;
    }
    case Form::Bytes:
      return digitsOf(bytes);
  }
  return {};
}

std::optional<std::uint64_t> numberOf(const Field& field, const std::string& text) {
  switch (field.form) {
    case Form::Integer:
    case Form::Decimal:
    case Form::Hex:
      return parseNumber(text);
    case Form::Mac: {
      std::uint64_t number = 0;
      for (const std::uint8_t byte : bytesOf(field, text)) number = number << kBitsOfByte | byte;
      return number;
    }
    default:
      return std::nullopt;
  }
}

}  // namespace imprimo::units
