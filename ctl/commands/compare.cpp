// SPDX-License-Identifier: GPL-3.0-or-later
//
// Where two images differ.
#include <fmt/format.h>

#include <ostream>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/image/compare.h"
#include "ctl/command.h"
#include "ctl/image_options.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/output_file.h"

namespace imprimo::ctl {
namespace {

struct CompareOptions : CommonOptions {
  std::vector<std::string> pieces;
  std::string output;
};

Piece pieceOf(const std::string& text, bool large, const std::stop_token& stop) {
  return std::move(piecesOf({text}, {}, large, stop).front());
}

std::string valueText(const MemoryImage& image, std::uint64_t at) {
  const auto value = image.at(at);
  return value ? hexByte(*value) : "nothing";
}

void addOptions(OptionList& own, CompareOptions& options) {
  own.option("-o,--output", options.output, "a report with the bytes side by side").typeName("FILE");
  own.option("PIECE", options.pieces, "two of FILE[@ADDRESS][,option]...").required().exactly(2).typeName("");
}

int runCompare(const CompareOptions& options, const Context& context) {
  const Piece a = pieceOf(options.pieces.at(0), options.large, context.stop),
              b = pieceOf(options.pieces.at(1), options.large, context.stop);
  if (context.stop.stop_requested()) throw Error(ErrorKind::Stopped, "stopped; nothing was written");
  const Differences found = compareImages(a.image, b.image);
  requireNoInput(options.output, options, {{}, options.pieces});
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

}  // namespace

CommandRow compareCommand() {
  return commandRow<CompareOptions>("compare", "where two images differ", addOptions, runCompare);
}

}  // namespace imprimo::ctl
