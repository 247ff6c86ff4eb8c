// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <ostream>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/run/word_runs.h"
#include "ctl/command.h"
#include "ctl/image_options.h"
#include "ctl/option_help.h"
#include "ctl/runs.h"
#include "ctl/session.h"
#include "records/store_seams.h"

namespace imprimo::ctl {
namespace {

struct PokeOptions : RunOptions {
  std::string at, value;
  std::optional<std::uint32_t> width;
};

void addOptions(OptionList& own, PokeOptions& options) {
  addSheet(own, options.sheet);
  own.option("ADDRESS", options.at, "address on the core's bus").required();
  own.option("VALUE", options.value, "the value to write").required();
  addCore(own, options);
  own.option("--width", options.width, "bits of the access, 8, 16 or 32 (32 if not given)").typeName("BITS");
}

std::uint32_t word(const std::string& text, const char* what) {
  const auto value = parseNumber(text);
  if (value && *value <= UINT32_MAX) return static_cast<std::uint32_t>(*value);
  throw Error(ErrorKind::Usage, fmt::format("'{}' is not a 32-bit {}", text, what), "For example 0x40010000.");
}

int runPoke(const PokeOptions& options, const Context& context) {
  const std::uint32_t width = options.width.value_or(32);
  if (width != 8 && width != 16 && width != 32)
    throw Error(ErrorKind::Usage, fmt::format("--width {} is not an access width", width), "Give 8, 16 or 32.");
  const sheet::Sheet sheet = openSheet(options.sheet, options, context);
  const run::Poke poke{oneCore(options, sheet), word(options.at, "address"), word(options.value, "value"), width / 8};
  const auto bench = openBench(options, context, sheet);
  awaitTarget(options, context, *bench, options.wait ? options.wait : sheet.waitSeconds);
  bench->checkChain();
  records::StoreSeams seams(context.store);
  const auto observer = terminalObserver(options, context);
  return finish(*run::pokeWord(poke, *bench, seams.records, *observer, context.stop), options, context);
}

}  // namespace

CommandRow pokeCommand() {
  return commandRow<PokeOptions>("poke", "write one word of a core's bus; its effect is not checked", addOptions,
                                 runPoke);
}

}  // namespace imprimo::ctl
