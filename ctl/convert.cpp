// SPDX-License-Identifier: GPL-3.0-or-later
//
// Work on files alone: build one image from several, look into one, compare two.
#include <fmt/format.h>

#include <algorithm>
#include <ostream>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/base/text_file.h"
#include "core/image/image_writer.h"
#include "core/image/placement.h"
#include "ctl/commands.h"
#include "ctl/json_out.h"

namespace imprimo::ctl {
namespace {

std::optional<std::uint64_t> number(const std::string& text, const char* option) {
  if (text.empty()) return std::nullopt;
  if (const auto value = parseNumber(text)) return value;
  throw Error(ErrorKind::Usage, fmt::format("{} takes a number, not '{}'", option, text),
              "For example 0x400000, 4194304 or 4M.");
}

OutputFormat formatOption(const Options& options) {
  const std::string extension = std::filesystem::path(options.output).extension().string();
  const auto format = outputFormat(options.format.empty() ? extension : options.format);
  if (format) return *format;
  throw Error(ErrorKind::Usage,
              options.format.empty() ? fmt::format("the name {} does not say in which format to write", options.output)
                                     : fmt::format("there is no format '{}'", options.format),
              "End it in .bin, .hex, .s19, .s28 or .s37, or give one of these with --format.");
}

/// One file with its addresses; a single raw one may do without.
Piece readOne(const std::string& text, bool single) {
  Placement placement = parsePiece(text);
  if (single && !placement.at && !readImageFile(placement.file).hasAddresses) placement.at = 0;
  return readPiece(placement, {});
}

Json rangesJson(const MemoryImage& image) {
  Json ranges = Json::array();
  for (const MemoryImage::Segment& s : image.segments()) {
    ranges.push_back({{"from", hexAddress(s.begin)}, {"to", hexAddress(s.range().end - 1)}, {"bytes", s.bytes.size()}});
  }
  return ranges;
}

/// Where two images differ: another byte, or a byte in only one of them.
struct Differences {
  std::vector<AddressRange> ranges;
  std::uint64_t bytes = 0, onlyFirst = 0, onlySecond = 0;
};

void addByte(Differences& found, std::uint64_t address) {
  ++found.bytes;
  if (!found.ranges.empty() && found.ranges.back().end == address) {
    ++found.ranges.back().end;
  } else {
    found.ranges.push_back({address, address + 1});
  }
}

Differences compareImages(const MemoryImage& a, const MemoryImage& b) {
  MemoryImage both = a;
  both.write(b);
  Differences found;
  for (const MemoryImage::Segment& s : both.segments()) {
    for (std::uint64_t at = s.begin; at < s.range().end; ++at) {
      const auto first = a.at(at), second = b.at(at);
      if (first == second) continue;
      if (!second) ++found.onlyFirst;
      if (!first) ++found.onlySecond;
      addByte(found, at);
    }
  }
  return found;
}

std::string valueText(const MemoryImage& image, std::uint64_t at) {
  const auto value = image.at(at);
  return value ? hexByte(*value) : "nothing";
}

}  // namespace

int convert(const Options& options, const Context& context) {
  const OutputFormat format = formatOption(options);
  OutputRange range;
  range.from = number(options.from, "--from");
  range.size = number(options.size, "--size");
  if (const auto fill = number(options.fill, "--fill")) {
    if (*fill > 0xFF) throw Error(ErrorKind::Usage, "--fill takes one byte, 0 to 0xFF");
    range.fill = static_cast<std::uint8_t>(*fill);
  }
  std::vector<Piece> pieces;
  for (const std::string& text : options.pieces) pieces.push_back(readOne(text, options.pieces.size() == 1));
  const MemoryImage image = combine(pieces);
  const Bytes bytes = imageBytes(image, format, range);
  writeFileAtomically(options.output, bytes);
  const std::string what = fmt::format("{}: {}, {} of data at {}", options.output, nameOf(format.format),
                                       sizeText(image.byteCount()), rangeText(image.extent()));
  if (options.json) {
    print(context, {{"result", "converted"},
                    {"format", nameOf(format.format)},
                    {"bytes", image.byteCount()},
                    {"file_bytes", bytes.size()},
                    {"ranges", rangesJson(image)}});
  } else {
    context.out << what << "\n";
  }
  return 0;
}

int inspect(const Options& options, const Context& context) {
  const std::string& name = options.pieces.front();
  const Bytes content = readFile(name);
  const ImageFile file = readImage(content, name);
  Json json = {{"file", name},
               {"format", nameOf(file.format)},
               {"file_bytes", content.size()},
               {"bytes", file.image.byteCount()},
               {"has_addresses", file.hasAddresses}};
  if (file.entry) json["entry"] = hexAddress(*file.entry);
  if (!file.note.empty()) json["note"] = file.note;
  json["ranges"] = rangesJson(file.image);
  if (options.json) {
    print(context, json);
    return 0;
  }
  context.out << fmt::format("{}: {}, {} in the file\n", name, nameOf(file.format), sizeText(content.size()));
  if (!file.note.empty()) context.out << file.note << "\n";
  if (!file.hasAddresses) context.out << "it has no addresses of its own\n";
  for (const MemoryImage::Segment& s : file.image.segments()) {
    context.out << fmt::format("  {}  {}\n", rangeText(s.range()), sizeText(s.bytes.size()));
  }
  if (file.entry) context.out << fmt::format("entry {}\n", hexAddress(*file.entry));
  return 0;
}

int compare(const Options& options, const Context& context) {
  const Piece a = readOne(options.pieces.at(0), true), b = readOne(options.pieces.at(1), true);
  const Differences found = compareImages(a.image, b.image);
  if (options.json) {
    Json json = {{"result", found.bytes == 0 ? "match" : "mismatch"},
                 {"differences", found.bytes},
                 {"only_first", found.onlyFirst},
                 {"only_second", found.onlySecond},
                 {"ranges", Json::array()}};
    for (const AddressRange& r : found.ranges)
      json["ranges"].push_back({{"from", hexAddress(r.begin)}, {"to", hexAddress(r.end - 1)}});
    print(context, json);
    return found.bytes == 0 ? 0 : 1;
  }
  if (found.bytes == 0) {
    context.out << fmt::format("the same: {} at {}\n", sizeText(a.image.byteCount()), rangeText(a.image.extent()));
    return 0;
  }
  for (const AddressRange& r : found.ranges) {
    context.out << fmt::format("{}  {:>10}  first {} and {}\n", rangeText(r), sizeText(r.size()),
                               valueText(a.image, r.begin), valueText(b.image, r.begin));
  }
  context.out << fmt::format("{} differ in {}", countText(found.bytes, "byte"),
                             countText(found.ranges.size(), "range"));
  if (found.onlyFirst + found.onlySecond > 0) {
    context.out << fmt::format("; {} only in {}, {} only in {}", found.onlyFirst, options.pieces[0], found.onlySecond,
                               options.pieces[1]);
  }
  context.out << "\n";
  return 1;
}

}  // namespace imprimo::ctl
