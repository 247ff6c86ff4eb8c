// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <iosfwd>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/base/address_range.h"
#include "core/plan/planner.h"
#include "core/probe/probe_list.h"

namespace imprimo::ctl {

/// All that the command line can say, for all commands.
struct Options {
  std::string probe;
  std::string tokenFile;
  std::optional<std::uint32_t> speed;
  std::vector<std::string> libraries;
  std::string adapter;
  std::optional<std::uint32_t> wait;
  bool json = false;
  bool verbose = false;
  bool large = false;

  std::string sheet, memory, output;
  std::vector<std::string> places, ranges, pieces, sums;
  std::string from, length, size, fill, format, listen, release;
  std::string entry, block, sync, ram, use;
  std::optional<int> addressBits;
  std::optional<std::uint32_t> recordLength;
  std::vector<std::string> bsdl;
  bool clock = false, rule = false, installRule = false;
  std::vector<std::string> sets, registers;
  std::string copy, card, report, limitSize;
  std::optional<std::uint32_t> limitDays, reads;
  std::string device, file, action = "program", usercode, configCard;
  std::vector<std::string> with, without;
  bool restartAfter = false;
  std::string only, contents, before, after;
  std::optional<std::uint32_t> frequency, lineLength;
  std::optional<std::uint64_t> fromLine;
  std::string fromPause;
  bool shortDigits = false, noLoad = false, keepGoing = false, anyChain = false;
  bool tables = false, twice = false, listed = false, leaveProtection = false, anyPart = false;
  bool finishEarlier = false, forgetEarlier = false;
  bool all = false, wholeBlocks = false, skipKept = false, noErase = false, noVerify = false, dryRun = false,
       save = false;
};

/// Where a command writes and what ends it early.
struct Context {
  std::ostream& out;  ///< shows control characters, and so does err
  std::ostream& err;
  std::ostream& terminal;  ///< err itself, for what moves the cursor
  std::stop_token stop;
  probe::SystemRoot system;
};

// Each returns the exit code, or throws Error where it did not get as far as a run.
int probes(const Options& options, const Context& context);
int share(const Options& options, const Context& context);
int convert(const Options& options, const Context& context);
int inspect(const Options& options, const Context& context);
int compare(const Options& options, const Context& context);
int scan(const Options& options, const Context& context);
int identify(const Options& options, const Context& context);
/// A memory's registers, read and written.
int registers(const Options& options, const Context& context);
int read(const Options& options, const Context& context);
/// Copies of what runs destroyed: listed, and put back.
int copies(const Options& options, const Context& context);
int restore(const Options& options, const Context& context);
/// Configures a part itself.
int configure(const Options& options, const Context& context);
/// Lets the target start again.
int restart(const Options& options, const Context& context);
/// How parts are, and what can be done to them.
int devices(const Options& options, const Context& context);
/// The same work as vectors, without hardware.
int exportVectors(const Options& options, const Context& context);
int play(const Options& options, const Context& context);
/// What is in a file of vectors.
int vectors(const Options& options, const Context& context);
/// program, verify, erase, blank and trial: whatever is one run for each memory.
int work(plan::Task task, const Options& options, const Context& context);

}  // namespace imprimo::ctl
