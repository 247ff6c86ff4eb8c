// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/store/pack_sheet.h"
#include "ctl/command.h"
#include "ctl/json_out.h"
#include "ctl/output_file.h"

namespace imprimo::ctl {
namespace {

struct PackSheetOptions : CommonOptions {
  std::string sheet, output;
};

void addOptions(OptionList& own, PackSheetOptions& options) {
  own.option("SHEET", options.sheet, "the job sheet").required();
  own.option("-o,--output", options.output, "a new folder, or a .zip file").required().typeName("OUT");
}

int runPackSheet(const PackSheetOptions& options, const Context& context) {
  const sheet::Sheet sheet = sheet::readSheet(options.sheet);
  requireNoInput(options.output, options, {}, &sheet);
  const store::PackedSheet packed = store::packSheet(sheet);
  const std::uint64_t bytes = store::writePacked(packed, options.output);
  for (const std::string& what : packed.leftOut) context.err << "imprimoctl: warning: left out: " << what << "\n";
  if (options.json) {
    Json files = Json::array();
    for (const store::PackedSheet::File& file : packed.files) files.push_back(file.name);
    print(context, {{"result", "packed"},
                    {"sheet", packed.sheetName},
                    {"files", std::move(files)},
                    {"left_out", packed.leftOut},
                    {"bytes", bytes}});
  } else {
    context.out << fmt::format("{}: {} and {}, {}\n", options.output, packed.sheetName,
                               countText(packed.files.size(), "file"), sizeText(bytes));
  }
  return packed.leftOut.empty() ? 0 : 1;
}

}  // namespace

CommandRow packSheetCommand() {
  return commandRow<PackSheetOptions>("pack-sheet", "a sheet with all that it names, in one folder or zip", addOptions,
                                      runPackSheet);
}

}  // namespace imprimo::ctl
