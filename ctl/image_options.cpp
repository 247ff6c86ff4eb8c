// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/image_options.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/image/sync_word.h"
#include "ctl/json_out.h"

namespace imprimo::ctl {

std::optional<std::uint64_t> numberOption(const std::string& text, const char* option) {
  if (text.empty()) return std::nullopt;
  if (const auto value = parseNumber(text)) return value;
  throw Error(ErrorKind::Usage, fmt::format("{} takes a number, not '{}'", option, text),
              "For example 0x400000, 4194304 or 4M.");
}

LookOverRules rulesOf(const ImageUse& options) {
  LookOverRules rules;
  if (options.use == "flash") rules.use = MemoryUse::Configuration;
  if (options.use == "core") rules.use = MemoryUse::CoreCode;
  if (!options.use.empty() && rules.use == MemoryUse::Unknown) {
    throw Error(ErrorKind::Usage, fmt::format("--for takes flash or core, not '{}'", options.use));
  }
  if (!options.sync.empty()) {
    const auto word = parseByteDigits(options.sync);
    if (!word) throw Error(ErrorKind::Usage, "--sync takes bytes in digits", "For example 9A516CE1.");
    rules.sync = *word;
  }
  if (!options.ram.empty()) {
    rules.ram = parseRange(options.ram);
    if (!rules.ram) throw Error(ErrorKind::Usage, "--ram takes a range", "For example 0x20000000+64K.");
  }
  rules.block = numberOption(options.block, "--block");
  if (rules.block == 0) throw Error(ErrorKind::Usage, "--block takes at least 1");
  if (const auto size = numberOption(options.size, "--size")) {
    rules.size = numberOption(options.from, "--from").value_or(0) + *size;
  }
  return rules;
}

std::vector<Piece> piecesOf(const std::vector<std::string>& texts, const std::string& block, bool large,
                            const std::stop_token& stop) {
  std::vector<Piece> pieces;
  LayoutRules rules;
  rules.block = numberOption(block, "--block");
  for (const std::string& text : texts) {
    Placement placement = parsePiece(text);
    placement.large = large;
    SourceFile source = readSource(placement, {}, {false, stop});
    if (texts.size() == 1 && !source.file.hasAddresses && !placement.at) placement.at = 0;
    // The bytes move on into the piece; what they began with is all that looking over them needs of the source.
    pieces.push_back(place(std::move(source), placement, rules));
    rules.before = pieces.back().image.extent().end;
  }
  return pieces;
}

Json rangesJson(const MemoryImage& image) {
  Json ranges = Json::array();
  for (const MemoryImage::Segment& s : image.segments()) {
    ranges.push_back({{"from", hexAddress(s.begin)}, {"to", hexAddress(s.range().end - 1)}, {"bytes", s.bytes.size()}});
  }
  return ranges;
}

Json findingsJson(const std::vector<Finding>& findings) {
  Json list = Json::array();
  for (const Finding& f : findings) {
    Json entry = {{"level", nameOf(f.level)}, {"code", nameOf(f.kind)}, {"what", f.what}};
    if (!f.remedy.empty()) entry["remedy"] = f.remedy;
    if (f.where) {
      entry["from"] = hexAddress(f.where->begin);
      entry["to"] = hexAddress(f.where->end - 1);
    }
    list.push_back(std::move(entry));
  }
  return list;
}

std::string findingsText(const std::vector<Finding>& findings) {
  std::string text;
  for (const Finding& f : findings) {
    if (f.level == Finding::Fine) continue;
    text += fmt::format("{}: {}.{}\n", nameOf(f.level), f.what, f.remedy.empty() ? "" : " " + f.remedy);
  }
  return text;
}

}  // namespace imprimo::ctl
