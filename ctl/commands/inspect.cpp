// SPDX-License-Identifier: GPL-3.0-or-later
//
// What is in a file.
#include <fmt/format.h>

#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/image/image_writer.h"
#include "core/image/sync_word.h"
#include "ctl/command.h"
#include "ctl/image_options.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
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

struct InspectOptions : CommonOptions {
  ImageUse image;
  std::vector<std::string> pieces;
};

void addOptions(OptionList& own, InspectOptions& options) {
  addImageUse(own, options.image);
  own.option("--size", options.image.size, "the part's size").typeName("N");
  own.option("FILE", options.pieces, "raw binary, Intel HEX, S-records, ELF, or a bitfile: FILE,card=CARD")
      .required()
      .exactly(1)
      .typeName("");
}

int runInspect(const InspectOptions& options, const Context& context) {
  const std::vector<Piece> pieces = piecesOf(options.pieces, options.image.block, options.large, context.stop);
  const Piece& piece = pieces.front();
  const SourceFile& source = *piece.source;
  const LookOverRules rules = rulesOf(options.image);
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

}  // namespace

CommandRow inspectCommand() {
  return commandRow<InspectOptions>("inspect", "what is in a file", addOptions, runInspect);
}

}  // namespace imprimo::ctl
