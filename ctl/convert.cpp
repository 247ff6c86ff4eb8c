// SPDX-License-Identifier: GPL-3.0-or-later
//
// One image from several files, without any hardware.
#include <fmt/format.h>

#include <algorithm>
#include <ostream>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/image/image_writer.h"
#include "ctl/commands.h"
#include "ctl/image_options.h"
#include "ctl/output_file.h"

namespace imprimo::ctl {
namespace {

OutputFormat formatOption(const Options& options) {
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

OutputRange rangeOption(const Options& options) {
  OutputRange range;
  range.from = numberOption(options.from, "--from");
  range.size = numberOption(options.size, "--size");
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

}  // namespace

int convert(const Options& options, const Context& context) {
  OutputFormat format = formatOption(options);
  const OutputRange range = rangeOption(options);
  requireNoInput(options.output, options);
  std::vector<SumPlacement> sums;
  for (const std::string& text : options.sums) sums.push_back(parseSum(text));
  const LookOverRules rules = rulesOf(options);
  std::vector<Piece> pieces = piecesOf(options, context.stop);
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

}  // namespace imprimo::ctl
