// SPDX-License-Identifier: GPL-3.0-or-later
//
// One image from several files, without any hardware.
#include <fmt/format.h>

#include <algorithm>
#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/image/image_writer.h"
#include "ctl/command.h"
#include "ctl/image_options.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/output_file.h"

namespace imprimo::ctl {
namespace {

struct ConvertOptions : CommonOptions {
  ImageUse image;
  std::vector<std::string> pieces, sums;
  std::string output, fill, format, entry;
  std::optional<int> addressBits;
  std::optional<std::uint32_t> recordLength;
};

OutputFormat formatOption(const ConvertOptions& options) {
  const std::string extension = std::filesystem::path(options.output).extension().string();
  auto format = outputFormat(options.format.empty() ? extension : options.format);
  if (!format) {
    throw Error(ErrorKind::Usage,
                options.format.empty()
                    ? fmt::format("the name {} does not say in which format to write", options.output)
                    : fmt::format("there is no format '{}'", options.format),
                "End it in .bin, .hex, .s19, .s28 or .s37, or give one of these with --format.");
  }
  if (options.addressBits) {
    format->addressBits = options.addressBits;
    format->widens = false;
  }
  if (options.recordLength) format->recordLength = *options.recordLength;
  if (const auto entry = numberOption(options.entry, "--entry")) {
    if (*entry > UINT32_MAX) throw Error(ErrorKind::Usage, "--entry takes at most 32 bits");
    format->entry = static_cast<std::uint32_t>(*entry);
  }
  return *format;
}

OutputRange rangeOption(const ConvertOptions& options) {
  OutputRange range;
  range.from = numberOption(options.image.from, "--from");
  range.size = numberOption(options.image.size, "--size");
  if (const auto fill = numberOption(options.fill, "--fill")) {
    if (*fill > 0xFF) throw Error(ErrorKind::Usage, "--fill takes one byte, 0 to 0xFF");
    range.fill = static_cast<std::uint8_t>(*fill);
  }
  return range;
}

/// The only file's entry goes into the new one, if it has room for it.
void keepEntry(OutputFormat& format, const std::vector<Piece>& pieces) {
  if (format.entry || pieces.size() != 1 || format.addressBits.value_or(32) < 32) return;
  const auto entry = pieces.front().source->file.entry;
  if (entry && *entry <= UINT32_MAX) format.entry = static_cast<std::uint32_t>(*entry);
}

/// A raw file that is nearly all filling is mostly a slip: data at 0 and at 0x80000000 in one file.
void requireWantedFilling(const MemoryImage& image, const OutputFormat& format, const OutputRange& range) {
  constexpr std::uint64_t kMost = 256ull << 20, kLittle = 64ull << 10, kTimes = 64;
  const std::uint64_t filling = fillingOf(image, format, range);
  if (filling <= kLittle || (filling <= kMost && filling / kTimes <= image.byteCount())) return;
  throw Error(ErrorKind::Usage,
              fmt::format("{} of data at {} would become a raw file with {} of filling", sizeText(image.byteCount()),
                          rangeText(image.extent()), sizeText(filling)),
              fmt::format("Give --fill {} or --size if that is meant; Intel HEX and S-records keep gaps.",
                          hexByte(range.fill)));
}

void addOptions(OptionList& own, ConvertOptions& options) {
  own.option("PIECE", options.pieces, kPieceHelp).required().typeName("");
  own.option("-o,--output", options.output, "the file; its extension is the format: .bin, .hex, .s19, .s28, .s37")
      .required()
      .typeName("FILE");
  own.option("--from", options.image.from, "first address of raw output").typeName("A");
  own.option("--size", options.image.size, "exactly so many bytes from there").typeName("N");
  own.option("--fill", options.fill, "what stands in gaps; 0xFF if not given").typeName("BYTE");
  own.option("--format", options.format, "bin, hex, s19, s28 or s37, whatever the file is called").typeName("F");
  own.option("--record", options.recordLength, "data bytes in a record; 16 if not given").typeName("N").number(1, 255);
  own.option("--address-bits", options.addressBits, "16, 20 or 32 (hex), 16, 24 or 32 (S-records)")
      .typeName("N")
      .oneOf({"16", "20", "24", "32"});
  own.option("--entry", options.entry, "where the code begins, for a start record").typeName("A");
  own.option("--sum", options.sums,
             "KIND:RANGE@ADDRESS[,low-first]: a checksum or length written into the image; can be repeated")
      .typeName("SUM")
      .oneEach();
  addImageUse(own, options.image);
}

int runConvert(const ConvertOptions& options, const Context& context) {
  OutputFormat format = formatOption(options);
  const OutputRange range = rangeOption(options);
  requireNoInput(options.output, options, {{}, options.pieces});
  std::vector<SumPlacement> sums;
  for (const std::string& text : options.sums) sums.push_back(parseSum(text));
  const LookOverRules rules = rulesOf(options.image);
  std::vector<Piece> pieces = piecesOf(options.pieces, options.image.block, options.large, context.stop);
  keepEntry(format, pieces);
  writeSums(pieces, sums, range.fill, context.stop);
  // Overlaps and what is outside are errors below, as they have always been; the rest is told and does not hinder.
  std::vector<Finding> findings = lookOver(pieces, rules);
  std::erase_if(findings, [](const Finding& f) { return f.level == Finding::Blocks || f.level == Finding::Fine; });
  const MemoryImage image = combine(std::move(pieces));
  if (options.fill.empty()) requireWantedFilling(image, format, range);
  const std::string widened = widening(image, format, range);
  const std::uint64_t written = saveImage(image, format, range, options.output, context.stop);
  if (options.json) {
    Json json = {{"result", "converted"}, {"format", nameOf(format.format)}, {"bytes", image.byteCount()},
                 {"file_bytes", written}, {"ranges", rangesJson(image)},     {"findings", findingsJson(findings)}};
    if (!widened.empty()) json["remarks"] = Json::array({widened});
    print(context, json);
    return 0;
  }
  if (!widened.empty()) context.err << widened << "\n";
  context.err << findingsText(findings);
  context.out << fmt::format("{}: {}, {} of data at {}\n", options.output, nameOf(format.format),
                             sizeText(image.byteCount()), rangeText(image.extent()));
  return 0;
}

}  // namespace

CommandRow convertCommand() {
  return commandRow<ConvertOptions>("convert", "build one image from files", addOptions, runConvert);
}

}  // namespace imprimo::ctl
