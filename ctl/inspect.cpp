// SPDX-License-Identifier: GPL-3.0-or-later
//
// What is in a file, and where two images differ.
#include <fmt/format.h>

#include <ostream>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/image/compare.h"
#include "core/image/image_writer.h"
#include "core/image/sync_word.h"
#include "ctl/commands.h"
#include "ctl/image_options.h"
#include "ctl/output_file.h"

namespace imprimo::ctl {
namespace {

void goOn(const std::stop_token& stop) {
  if (stop.stop_requested()) throw Error(ErrorKind::Stopped, "stopped; nothing was written");
}

/// Over the image as raw binary, gaps as empty bytes; nothing where that would be too much.
std::optional<std::string> sumText(const MemoryImage& image, const char* kind, const std::stop_token& stop) {
  constexpr std::uint64_t kMost = 1ull << 30;
  if (image.extent().size() > kMost) return std::nullopt;
  Checksum sum(*checksumNamed(kind));
  writeImage(image, {}, {}, [&](ByteSpan bytes) {
    constexpr std::size_t kPiece = 1 << 24;
    for (; !bytes.empty(); bytes = bytes.subspan(std::min(kPiece, bytes.size()))) {
      goOn(stop);
      sum.add(bytes.first(std::min(kPiece, bytes.size())));
    }
  });
  return digitsOf(sum.result());
}

Piece pieceOf(const std::string& text, bool large, const std::stop_token& stop) {
  Options one;
  one.pieces = {text};
  one.large = large;
  return std::move(piecesOf(one, stop).front());
}

std::string valueText(const MemoryImage& image, std::uint64_t at) {
  const auto value = image.at(at);
  return value ? hexByte(*value) : "nothing";
}

}  // namespace

int inspect(const Options& options, const Context& context) {
  const std::vector<Piece> pieces = piecesOf(options, context.stop);
  const Piece& piece = pieces.front();
  const SourceFile& source = *piece.source;
  const LookOverRules rules = rulesOf(options);
  const std::vector<Finding> findings = lookOver(pieces, rules);
  const Bytes head = piece.headAsInFile(1 << 20);
  const LeadingPad pad = source.file.hasAddresses ? LeadingPad{} : leadingPad(head);
  const Bytes& word = rules.sync.empty() ? source.sync : rules.sync;
  const auto sync = word.empty() ? std::nullopt : findSync(head, word);
  const auto crc = sumText(piece.image, "crc32", context.stop), sha = sumText(piece.image, "sha256", context.stop);

  if (options.json) {
    Json json = {{"file", piece.placement.file},
                 {"format", nameOf(piece.format)},
                 {"file_bytes", source.file.fileBytes},
                 {"bytes", piece.image.byteCount()},
                 {"has_addresses", source.file.hasAddresses}};
    if (source.file.entry) json["entry"] = hexAddress(*source.file.entry);
    if (!source.file.note.empty()) json["note"] = source.file.note;
    if (!source.fields.empty()) {
      json["header"] = Json::array();
      for (const Unwrapped::Field& f : source.fields) {
        if (!f.name.empty()) json["header"].push_back({{"name", f.name}, {"value", f.text}, {"offset", f.at.begin}});
      }
      json["payload_offset"] = source.payloadAt;
    }
    if (pad.count > 0) json["leading_pad"] = {{"value", hexByte(pad.value)}, {"bytes", pad.count}};
    if (sync) json["sync"] = {{"offset", sync->at}, {"reversed", sync->reversed}};
    if (crc) json["crc32"] = *crc;
    if (sha) json["sha256"] = *sha;
    json["ranges"] = rangesJson(piece.image);
    json["findings"] = findingsJson(findings);
    print(context, json);
    return 0;
  }
  context.out << fmt::format("{}: {}, {} in the file\n", piece.name(), nameOf(piece.format),
                             sizeText(source.file.fileBytes));
  if (!source.file.note.empty()) context.out << source.file.note << "\n";
  for (const Unwrapped::Field& f : source.fields) {
    if (!f.name.empty()) context.out << fmt::format("  {}: {}\n", f.name, f.text);
  }
  if (source.payloadAt > 0) context.out << fmt::format("{} of header are taken off\n", sizeText(source.payloadAt));
  if (!source.file.hasAddresses) context.out << "it has no addresses of its own\n";
  for (const MemoryImage::Segment& s : piece.image.segments()) {
    context.out << fmt::format("  {}  {}\n", rangeText(s.range()), sizeText(s.bytes.size()));
  }
  if (pad.count > 0)
    context.out << fmt::format("begins with {} of {}\n", countText(pad.count, "byte"), hexByte(pad.value));
  if (sync) {
    context.out << fmt::format("sync word {} at offset {:#x}{}\n", digitsOf(word), sync->at,
                               sync->reversed ? ", its bits reversed" : "");
  }
  if (source.file.entry) context.out << fmt::format("entry {}\n", hexAddress(*source.file.entry));
  if (crc) context.out << fmt::format("CRC-32 {}\nSHA-256 {}\n", *crc, *sha);
  context.out << findingsText(findings);
  return 0;
}

int compare(const Options& options, const Context& context) {
  const Piece a = pieceOf(options.pieces.at(0), options.large, context.stop),
              b = pieceOf(options.pieces.at(1), options.large, context.stop);
  goOn(context.stop);
  const Differences found = compareImages(a.image, b.image);
  requireNoInput(options.output, options);
  if (!options.output.empty()) {
    constexpr std::size_t kRows = 64;
    writeFileAtomically(options.output,
                        differenceReport(a.image, b.image, found, options.pieces[0], options.pieces[1], kRows));
  }
  const int code = found.bytes == 0 ? 0 : 1;
  if (options.json) {
    Json json = {{"result", code == 0 ? "match" : "mismatch"},
                 {"bytes", found.same + found.bytes},
                 {"differences", found.bytes},
                 {"only_first", found.onlyFirst},
                 {"only_second", found.onlySecond},
                 {"range_count", found.rangeCount},
                 {"ranges", Json::array()}};
    for (const AddressRange& r : found.ranges)
      json["ranges"].push_back({{"from", hexAddress(r.begin)}, {"to", hexAddress(r.end - 1)}});
    print(context, json);
    return code;
  }
  if (code == 0) {
    context.out << fmt::format("the same: {} at {}\n", sizeText(a.image.byteCount()), rangeText(a.image.extent()));
    return code;
  }
  for (const AddressRange& r : found.ranges) {
    context.out << fmt::format("{}  {:>10}  first {} and {}\n", rangeText(r), sizeText(r.size()),
                               valueText(a.image, r.begin), valueText(b.image, r.begin));
  }
  context.out << fmt::format("{} differ in {}", countText(found.bytes, "byte"), countText(found.rangeCount, "range"));
  if (found.onlyFirst + found.onlySecond > 0) {
    context.out << fmt::format("; {} only in {}, {} only in {}", found.onlyFirst, options.pieces[0], found.onlySecond,
                               options.pieces[1]);
  }
  context.out << "\n";
  return code;
}

}  // namespace imprimo::ctl
