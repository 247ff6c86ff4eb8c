// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <ostream>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/bench/memory_kinds.h"
#include "core/image/compare.h"
#include "core/image/image_writer.h"
#include "core/run/job.h"
#include "core/store/file_records.h"
#include "core/store/folder_notes.h"
#include "core/store/folders.h"
#include "ctl/command.h"
#include "ctl/image_options.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/outcome_json.h"
#include "ctl/output_file.h"
#include "ctl/runs.h"
#include "ctl/session.h"

namespace imprimo::ctl {
namespace {

struct ReadOptions : RunOptions {
  std::string from, length, output;
  bool twice = false;
};

void addOptions(OptionList& own, ReadOptions& options) {
  addSheetAndMemory(own, options);
  own.option("--from", options.from, "first address; 0 if not given").typeName("A");
  own.option("--length", options.length, "bytes; to the end if not given").typeName("N");
  own.option("-o,--output", options.output, "the file; Intel HEX if it ends in .hex, otherwise raw")
      .required()
      .typeName("FILE");
  own.flag("--twice", options.twice, "read it a second time and compare");
}

int runRead(const ReadOptions& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options.sheet, options, context);
  const std::string name = oneMemory(options, sheet);
  requireNoInput(options.output, options, {}, &sheet);
  const std::uint64_t from = numberOption(options.from, "--from").value_or(0);
  plan::Wanted wanted = run::wantedFor(sheet, name, plan::Task::Read);
  if (options.wait) wanted.waitSeconds = options.wait;
  wanted.twice = options.twice;
  if (!options.length.empty()) {
    const std::uint64_t length = *numberOption(options.length, "--length");
    if (length == 0 || length > UINT64_MAX - from)
      throw Error(ErrorKind::Usage, "--length has to be at least 1, and not past all addresses");
    wanted.ranges = {{from, from + length}};
    AtomicFile(options.output, length);  // whether it can be written is better known before minutes of reading
  } else {
    AtomicFile(options.output, 1);
  }
  const auto bench = openBench(options, context, sheet);
  if (wanted.ranges.empty()) {
    awaitTarget(options, context, *bench, wanted.waitSeconds);
    bench->checkChain();
    reach(name, *bench, context);
    const std::uint64_t size = bench->at(name).identify().geometry.reach().end;
    if (from >= size) {
      throw Error(ErrorKind::Usage, fmt::format("--from {} is past the end of {}, which is at {}", hexAddress(from),
                                                name, hexAddress(size - 1)));
    }
    wanted.ranges = {{from, size}};
  }
  const run::RecordPtr ran = runOne(wanted, *bench, options, context);
  const run::Record& record = *ran;
  if (record.good()) {
    const AddressRange& read = wanted.ranges.front();
    writeReadBack(options.output, read.begin, bench->at(name).contents().bytes(read));
  }
  tell(record, options, context);
  if (options.json) print(context, outcomeJson(record));
  return exitCodeOf(record);
}

}  // namespace

CommandRow readCommand() {
  return commandRow<ReadOptions>("read", "memory to file", addOptions, runRead);
}

}  // namespace imprimo::ctl
