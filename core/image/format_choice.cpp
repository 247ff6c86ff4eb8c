// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/format_choice.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <filesystem>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/image/elf_image.h"
#include "core/image/hex_digits.h"
#include "core/image/record_lines.h"

namespace imprimo {
namespace {

constexpr std::size_t kLookedAt = 4096;
constexpr std::size_t kEnoughToTell = 16;
constexpr int kLettersOfAText = 6;
/// Lines behind the first that are looked at, to see whether it should have been a record.
constexpr int kLinesLookedAt = 3;

constexpr std::pair<const char*, ImageFormat> kShortNames[] = {{"bin", ImageFormat::Raw},
                                                               {"hex", ImageFormat::IntelHex},
                                                               {"srec", ImageFormat::Motorola},
                                                               {"elf", ImageFormat::Elf}};

/// What a name's extension promises: of formats that are read here, or of one that is not for memories.
struct Promise {
  const char* extension;
  const char* text;
};
constexpr Promise kPromises[] = {{".hex", "Intel HEX"},  {".ihex", "Intel HEX"},       {".mcs", "Intel HEX"},
                                 {".s19", "S-records"},  {".s28", "S-records"},        {".s37", "S-records"},
                                 {".srec", "S-records"}, {".mot", "S-records"},        {".elf", "ELF"},
                                 {".axf", "ELF"},        {".jed", "a JEDEC fuse file"}};

const char* promiseOf(const std::string& name) {
  std::string extension = std::filesystem::path(name).extension().string();
  std::transform(extension.begin(), extension.end(), extension.begin(),
                 [](unsigned char c) { return static_cast<char>(c >= 'A' && c <= 'Z' ? c + 32 : c); });
  for (const Promise& p : kPromises) {
    if (extension == p.extension) return p.text;
  }
  return nullptr;
}

bool isPrintable(std::uint8_t c) {
  return c == '\n' || c == '\r' || c == '\t' || (c >= 0x20 && c < 0x7F);
}

std::size_t digitsFrom(std::string_view line, std::size_t at) {
  std::size_t count = 0;
  while (at + count < line.size() && digitValue(line[at + count]) >= 0) ++count;
  return count;
}

/// Eight digits behind the mark: no record has fewer, and few other texts begin so.
std::optional<ImageFormat> recordIn(std::string_view line) {
  if (line.starts_with(':') && digitsFrom(line, 1) >= 8) return ImageFormat::IntelHex;
  if (RecordLines::beginsLikeS(line) && digitsFrom(line, 2) >= 8) return ImageFormat::Motorola;
  return std::nullopt;
}

/// The sum of an Intel HEX record's bytes is right, whatever stands where its colon should.
bool isRecordButForItsMark(std::string_view line) {
  const std::size_t digits = digitsFrom(line, 1);
  if (digits < 10 || digits % 2 != 0 || digits + 1 != line.size()) return false;
  unsigned sum = 0;
  for (std::size_t i = 1; i < line.size(); i += 2)
    sum += static_cast<unsigned>(digitValue(line[i]) * 16 + digitValue(line[i + 1]));
  return (sum & 0xFF) == 0;
}

std::string beginningOf(ByteSpan content) {
  std::string text;
  for (std::size_t i = 0; i < std::min<std::size_t>(content.size(), 6); ++i)
    text += fmt::format("{}{:02X}", i == 0 ? "" : " ", content[i]);
  return text;
}

/// What is wrong with a line that nearly is a record; empty where it is none at all.
std::string spoiled(std::string_view line) {
  const bool colon = line.starts_with(':'), letter = RecordLines::beginsLikeS(line);
  if (!colon && !letter) {
    if (line.starts_with(';') ? digitsFrom(line, 1) >= 8 : isRecordButForItsMark(line))
      return fmt::format("begins with '{}', and is a record of Intel HEX otherwise, which begins with ':'", line[0]);
    return {};
  }
  const std::size_t from = colon ? 1 : 2, digits = digitsFrom(line, from);
  if (digits < 2) return {};
  std::size_t all = digits;
  for (std::size_t i = from + digits; i < std::min(line.size(), from + 8); ++i) all += digitValue(line[i]) >= 0 ? 1 : 0;
  if (all < 4) return {};
  const char* kind = colon ? "Intel HEX" : "S-records";
  if (from + digits >= line.size()) return fmt::format("begins like {}, and is too short for a record", kind);
  const auto wrong = static_cast<std::uint8_t>(line[from + digits]);
  return fmt::format("begins like {}, and has {} in column {} where a digit should be", kind,
                     wrong == 0                     ? "a NUL"
                     : wrong > 0x20 && wrong < 0x7F ? fmt::format("'{}'", line[from + digits])
                                                    : hexByte(wrong),
                     from + digits + 1);
}

FormatChoice byText(ByteSpan head) {
  const std::string_view text(reinterpret_cast<const char*>(head.data()), head.size());
  RecordLines lines(text, "");
  std::string problem;
  bool first = true;
  for (int looked = 0; looked <= kLinesLookedAt && lines.nextRecord(); ++looked) {
    const std::string_view line = lines.current();
    const auto format = recordIn(line);
    if (first && format) return {*format};
    if (first) {
      problem = spoiled(line);
      if (!problem.empty()) return {ImageFormat::Raw, {}, fmt::format("line {} {}", lines.number(), problem)};
      problem = fmt::format("line {} is no record", lines.number());
    } else if (format) {
      return {
          ImageFormat::Raw, {}, fmt::format("{}, and line {} is one of {}", problem, lines.number(), nameOf(*format))};
    }
    first = false;
    if (!std::all_of(line.begin(), line.end(), [](char c) { return isPrintable(static_cast<std::uint8_t>(c)); })) break;
  }
  const bool colon = head[0] == ':';
  if ((colon || RecordLines::beginsLikeS(text)) && std::all_of(head.begin(), head.end(), isPrintable)) {
    return {ImageFormat::Raw, fmt::format("begins like {}, but its first line is no record: taken as raw binary",
                                          nameOf(colon ? ImageFormat::IntelHex : ImageFormat::Motorola))};
  }
  return {ImageFormat::Raw};
}

}  // namespace

const char* nameOf(ImageFormat format) {
  switch (format) {
    case ImageFormat::Raw:
      return "raw binary";
    case ImageFormat::IntelHex:
      return "Intel HEX";
    case ImageFormat::Motorola:
      return "S-records";
    case ImageFormat::Elf:
      return "ELF";
  }
  return "";
}

std::optional<ImageFormat> formatNamed(std::string_view name) {
  for (const auto& [text, format] : kShortNames) {
    if (name == text) return format;
  }
  return std::nullopt;
}

const char* shortNameOf(ImageFormat format) {
  for (const auto& [text, other] : kShortNames) {
    if (format == other) return text;
  }
  return "";
}

FormatChoice guessFormat(ByteSpan content, const std::string& name) {
  const ByteSpan head = content.first(std::min(content.size(), kLookedAt));
  if (head.empty() || looksLikeElf(head)) return {head.empty() ? ImageFormat::Raw : ImageFormat::Elf};
  if (head.size() >= 3 && head[0] == 0x7F && head[1] == 'E' && head[2] == 'L') {
    return {ImageFormat::Raw,
            {},
            head.size() == 3
                ? std::string("begins like ELF and ends after three bytes")
                : fmt::format("begins like ELF (7F 45 4C), and its fourth byte is {}, where 0x46 should be",
                              hexByte(head[3]))};
  }
  FormatChoice choice = byText(head);
  const char* promised = promiseOf(name);
  if (choice.format == ImageFormat::Raw && choice.problem.empty() && promised != nullptr) {
    choice.remark.clear();
    choice.problem = fmt::format("its name says {}, and it begins with {}", promised, beginningOf(head));
  }
  return choice;
}

FormatChoice formatOf(ByteSpan content, const std::string& name) {
  if (content.empty()) {
    throw Error(ErrorKind::BadFile, fmt::format("{} is empty", name),
                "Check that the tool that makes it has finished.");
  }
  FormatChoice choice = guessFormat(content, name);
  if (choice.problem.empty()) return choice;
  throw Error(ErrorKind::BadFile, fmt::format("{}: {}", name, choice.problem),
              "Make the file again. If its bytes are wanted as they are, read it as raw binary (format=bin).");
}

bool isMostlyText(ByteSpan content) {
  if (content.size() < kEnoughToTell) return false;
  // One letter over and over is a filling.
  std::array<bool, 256> seen{};
  for (const std::uint8_t c : content) seen[c] = true;
  if (std::count(seen.begin(), seen.end(), true) < kLettersOfAText) return false;
  const auto printable = std::count_if(content.begin(), content.end(), isPrintable);
  return static_cast<std::size_t>(printable) >= content.size() - content.size() / 10;
}

}  // namespace imprimo
