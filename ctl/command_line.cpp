// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/command_line.h"

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <ostream>

#include "core/base/error.h"
#include "core/base/number.h"
#include "ctl/commands.h"
#include "ctl/outcome_json.h"

namespace imprimo::ctl {
namespace {

/// The commands and their options; which one was given is known after parsing.
class CommandLine {
 public:
  CommandLine()
      : app_("Loads firmware and bitstreams through debug probes, as the desktop program does.", "imprimoctl") {
    app_.set_version_flag("--version", "imprimoctl 0.1.0");
    app_.require_subcommand(1);
    app_.fallthrough();
    app_.add_option("--probe", options_.probe, "the probe: tcp:HOST:PORT")->type_name("ADDRESS");
    app_.add_option("--token-file", options_.tokenFile, "file with the token of a shared probe")->type_name("FILE");
    app_.add_option("--speed", options_.speed, "TCK frequency in Hz; otherwise the sheet's")
        ->type_name("HZ")
        ->check(CLI::Range(1u, 1'000'000'000u));
    app_.add_option("--library", options_.libraries, "folder with more BSDL files; can be repeated")
        ->type_name("DIR")
        ->allow_extra_args(false);
    app_.add_flag("--json", options_.json, "print exactly one JSON object on standard output");
    app_.add_flag("-v,--verbose", options_.verbose, "say more of what is done and why");
    addCommands();
  }

  CLI::App& app() { return app_; }
  const Options& options() const { return options_; }

  int run(const Context& context) const {
    if (scan_->parsed()) return ctl::scan(options_, context);
    if (identify_->parsed()) return ctl::identify(options_, context);
    if (read_->parsed()) return ctl::read(options_, context);
    if (blank_->parsed()) return work(run::Task::Blank, options_, context);
    if (verify_->parsed()) return work(run::Task::Verify, options_, context);
    if (program_->parsed()) return work(run::Task::Program, options_, context);
    if (options_.all == !options_.ranges.empty()) {
      throw Error(ErrorKind::Usage, "erase wants either --range or --all", "For example --range 0x10000..0x1FFFF.");
    }
    return work(run::Task::Erase, options_, context);
  }

 private:
  CLI::App* command(const char* name, const char* what, bool withMemory = true) {
    CLI::App* c = app_.add_subcommand(name, what);
    if (!withMemory) return c;
    c->add_option("SHEET", options_.sheet, "the job sheet")->required();
    c->add_option("MEMORY", options_.memory, "the memory's name in the sheet; can be left out where there is one");
    return c;
  }
  void ranges(CLI::App* c, const char* what) {
    c->add_option("--range", options_.ranges, what)->type_name("A..B|A+N")->allow_extra_args(false);
  }
  void places(CLI::App* c) {
    c->add_option("--place", options_.places, "FILE[@ADDRESS][,reversed] instead of the sheet's files; can be repeated")
        ->type_name("PIECE")
        ->allow_extra_args(false);
  }
  void dryRun(CLI::App* c) { c->add_flag("--dry-run", options_.dryRun, "only look and plan; change nothing"); }

  void addCommands() {
    scan_ = command("scan", "examine the chain; needs no sheet", false);
    scan_->add_option("-o,--output", options_.output, "start a sheet with what was found")->type_name("SHEET");

    identify_ = command("identify", "read a memory's ID and parameter table");
    identify_->add_flag("--save", options_.save, "keep what was found in the sheet");

    read_ = command("read", "memory to file");
    read_->add_option("--from", options_.from, "first address; 0 if not given")->type_name("A");
    read_->add_option("--length", options_.length, "bytes; to the end if not given")->type_name("N");
    read_->add_option("-o,--output", options_.output, "the file; Intel HEX if it ends in .hex, otherwise raw")
        ->required()
        ->type_name("FILE");

    blank_ = command("blank", "is it erased?");
    ranges(blank_, "only these addresses; can be repeated");

    erase_ = command("erase", "leave exactly these addresses blank");
    ranges(erase_, "these addresses; can be repeated");
    erase_->add_flag("--all", options_.all, "the whole memory, but for what the sheet keeps");
    erase_->add_flag("--whole-blocks", options_.wholeBlocks, "what else lives in the blocks goes too");
    dryRun(erase_);

    program_ = command("program", "put the sheet's files into the memory and confirm by reading back");
    places(program_);
    program_->add_flag("--no-erase", options_.noErase, "refuse what cannot be written without erasing");
    program_->add_flag("--no-verify", options_.noVerify, "do not read back");
    dryRun(program_);

    verify_ = command("verify", "compare only");
    places(verify_);
  }

  CLI::App app_;
  Options options_;
  CLI::App *scan_ = nullptr, *identify_ = nullptr, *read_ = nullptr, *blank_ = nullptr, *erase_ = nullptr,
           *program_ = nullptr, *verify_ = nullptr;
};

int fail(const Context& context, bool json, int exitCode, const std::string& kind, const std::string& message) {
  context.err << "imprimoctl: " << message << "\n";
  if (json)
    context.out
        << failureJson(exitCode, kind, message).dump(-1, ' ', false, nlohmann::ordered_json::error_handler_t::replace)
        << "\n";
  return exitCode;
}

}  // namespace

int runCommandLine(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err,
                   std::stop_token stop) {
  const Context context{out, err, std::move(stop)};
  // What was asked for is not known when the words cannot be understood, but the form of the answer is.
  const bool wantsJson = std::find(arguments.begin(), arguments.end(), "--json") != arguments.end();
  CommandLine line;
  try {
    std::vector<std::string> reversed(arguments.rbegin(), arguments.rend());
    line.app().parse(reversed);
  } catch (const CLI::Success& e) {
    line.app().exit(e, out, err);  // --help and --version
    return 0;
  } catch (const CLI::ParseError& e) {
    return fail(context, wantsJson, 2, "usage", fmt::format("{}. Try 'imprimoctl --help'.", e.what()));
  }
  try {
    return line.run(context);
  } catch (const Error& e) {
    return fail(context, wantsJson, exitCodeOf(e.kind()), nameOf(e.kind()), e.full());
  } catch (const std::exception& e) {
    return fail(context, wantsJson, 3, "internal", fmt::format("something unforeseen went wrong: {}", e.what()));
  }
}

}  // namespace imprimo::ctl
