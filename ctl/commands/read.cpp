// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <chrono>
#include <ostream>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/bench/memory_kinds.h"
#include "core/image/compare.h"
#include "core/image/image_writer.h"
#include "core/run/job.h"
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
  std::string from, length, output, region;
  std::optional<std::uint32_t> width;
  bool twice = false, bus = false;
};

void addOptions(OptionList& own, ReadOptions& options) {
  addSheetAndMemory(own, options);
  addCore(own, options);
  own.option("--from", options.from, "first address; the memory's if not given").typeName("A");
  own.option("--length", options.length, "bytes; to the end if not given").typeName("N");
  own.option("-o,--output", options.output, "the file; Intel HEX if it ends in .hex, otherwise raw")
      .required()
      .typeName("FILE");
  own.option("--region", options.region, "a region of a core, by its card, whether the sheet has a memory of it or not")
      .typeName("NAME");
  own.flag("--bus", options.bus, "any addresses of a core's bus; needs --from and --length");
  own.option("--width", options.width, "with --bus: bits of each access, 8, 16 or 32, for what takes no other")
      .typeName("BITS");
  own.flag("--twice", options.twice, "read it a second time and compare");
}

/// What a core's bus gives, whoever the core is.
int readBus(const ReadOptions& options, const sheet::Sheet& sheet, const Context& context) {
  if (options.bus && !options.region.empty())
    throw Error(ErrorKind::Usage, "--bus and --region do not go together", "Leave one of them out.");
  if (!options.memory.empty())
    throw Error(ErrorKind::Usage, "a memory and --bus or --region do not go together", "Leave one of them out.");
  if (options.twice) throw Error(ErrorKind::Usage, "--twice is for memories of the sheet", "Leave it out.");
  if (options.width && options.width != 8 && options.width != 16 && options.width != 32)
    throw Error(ErrorKind::Usage, fmt::format("--width {} is no width of an access", *options.width),
                "Say 8, 16 or 32.");
  const std::string name = oneCore(options, sheet);
  requireNoInput(options.output, options, {}, &sheet);
  const auto from = numberOption(options.from, "--from"), length = numberOption(options.length, "--length");
  constexpr std::uint64_t kAddresses = 1ull << 32;
  if (from.value_or(0) >= kAddresses || length.value_or(1) == 0 || length.value_or(1) > kAddresses - from.value_or(0))
    throw Error(ErrorKind::Usage, "--from and --length do not lie within the 32-bit addresses of a core's bus",
                "Check both; --length is at least 1.");
  AddressRange range;
  if (options.bus) {
    if (!from || !length)
      throw Error(ErrorKind::Usage, "--bus needs --from and --length", "Say which addresses are to be read.");
    range = {*from, *from + *length};
  } else {
    const AddressRange whole = bench::cardOf(sheet, sheet.core(name)).region(options.region).range;
    const std::uint64_t begin = from.value_or(whole.begin),
                        count = length.value_or(whole.end - std::min(whole.end, begin));
    if (begin < whole.begin || begin >= whole.end || count > whole.end - begin)
      throw Error(
          ErrorKind::Usage,
          fmt::format("--from and --length do not lie inside {}, which is {}", options.region, rangeText(whole)),
          "Check both, or read any address with --bus.");
    range = {begin, begin + count};
  }
  constexpr std::uint64_t kMostAtOnce = 256u << 20;
  if (range.size() > kMostAtOnce)
    throw Error(
        ErrorKind::Usage,
        fmt::format("{} are asked for, and at most {} are read at once", sizeText(range.size()), sizeText(kMostAtOnce)),
        "Read it in pieces.");
  AtomicFile(options.output, range.size());
  const auto bench = openBench(options, context, sheet);
  awaitTarget(options, context, *bench, options.wait ? options.wait : sheet.waitSeconds);
  const auto began = std::chrono::steady_clock::now();
  Bytes bytes(range.size());
  constexpr std::size_t kStep = 16384;
  for (std::size_t at = 0; at < bytes.size(); at += kStep) {
    if (context.stop.stop_requested()) throw Error(ErrorKind::Stopped, "stopped", "No file was written.");
    const auto piece = std::span(bytes).subspan(at, std::min(kStep, bytes.size() - at));
    const auto address = static_cast<std::uint32_t>(range.begin + at);
    bench->core(name).requireOpen();
    debug::MemAp& bus = bench->core(name).bus();
    if (!options.width) {
      bus.read(address, piece);
    } else {
      bus.readEach(address, piece, *options.width / 8);
    }
  }
  const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
  writeReadBack(options.output, range.begin, bytes);
  if (options.json) {
    print(context, {{"result", "read"}, {"bytes", bytes.size()}, {"seconds", seconds}});
  } else {
    context.out << fmt::format("{}: {} read, {}.\n", name, rangeText(range), sizeText(bytes.size()));
  }
  return 0;
}

int runRead(const ReadOptions& options, const Context& context) {
  const sheet::Sheet sheet = openSheet(options.sheet, options, context);
  if (options.bus || !options.region.empty()) return readBus(options, sheet, context);
  if (options.width) throw Error(ErrorKind::Usage, "--width is for --bus or --region", "Leave it out.");
  const std::string name = oneMemory(options, sheet);
  requireNoInput(options.output, options, {}, &sheet);
  const auto onPaper = bench::geometryOnPaper(sheet, name);
  const std::uint64_t from = numberOption(options.from, "--from").value_or(onPaper ? onPaper->base : 0);
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
