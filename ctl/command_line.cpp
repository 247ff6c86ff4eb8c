// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/command_line.h"

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <ostream>

#include "core/about/about.h"
#include "core/base/error.h"
#include "core/base/json.h"
#include "ctl/command.h"
#include "ctl/completion.h"
#include "ctl/help_words.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/outcome_json.h"
#include "ctl/session.h"
#include "ctl/standard_stream.h"
#include "ctl/usage_sentence.h"
#include "records/qt_version.h"

namespace imprimo::ctl {

void print(const Context& context, const Json& json) {
  context.out << json.dump(-1, ' ', false, Json::error_handler_t::replace) << "\n";
}

namespace {

constexpr const char* kComplete = "--complete";

/// The commands and their options; which one was given is known after parsing.
class CommandLine {
 public:
  CommandLine()
      : app_("Loads firmware and bitstreams through debug probes, as the desktop program does.", "imprimoctl") {
    app_.set_version_flag("--version", [] {
      return aboutText("imprimoctl", {{"CLI11", CLI11_VERSION}, {"Qt", records::qtVersion()}});
    });
    app_.require_subcommand(1);
    app_.fallthrough();
    OptionList own(app_);
    own.option("--probe", common_.probe,
               "the probe: usb:SERIAL, tcp:HOST:PORT or mpsse-tcp:HOST:PORT; otherwise the only one found")
        .typeName("ADDRESS");
    own.option("--token-file", common_.tokenFile, "file with the token of a shared probe, - for standard input")
        .typeName("FILE");
    own.option("--speed", common_.speed, "TCK frequency in Hz; otherwise the sheet's")
        .typeName("HZ")
        .number(1, 1'000'000'000);
    own.option("--library", common_.libraries,
               "folder with more BSDL files, part cards and adapter cards; can be repeated")
        .typeName("DIR")
        .oneEach();
    own.option("--adapter", common_.adapter, "adapter card: how an MPSSE adapter is wired").typeName("FILE");
    own.option("--store", common_.store,
               "records and numbers: sqlite:FILE or postgresql:CONNECTION; otherwise the user's")
        .typeName("STORE");
    own.option("--wait", common_.wait, "wait so many seconds for the target's power and chain")
        .typeName("SECONDS")
        .number(1, 3600);
    own.flag("--large", common_.large, "read image files of more than 1 GiB");
    own.flag("--json", common_.json, "print exactly one JSON object on standard output");
    own.flag("-v,--verbose", common_.verbose, "say more of what is done and why");
    for (const CommandRow& row : commandTable()) {
      CLI::App* command = app_.add_subcommand(row.name, row.what);
      OptionList options(*command);
      commands_.emplace_back(command, row.add(options));
    }
  }

  CLI::App& app() { return app_; }

  int run(const Context& context) const {
    checkGlobalFiles(common_);
    const auto given =
        std::find_if(commands_.begin(), commands_.end(), [](const auto& c) { return c.first->parsed(); });
    Context chosen = context;
    chosen.store = common_.store;
    return given->second->run(common_, chosen);
  }

 private:
  CLI::App app_;
  CommonOptions common_;
  std::vector<std::pair<CLI::App*, std::unique_ptr<Command>>> commands_;
};

int fail(const Context& context, bool json, int exitCode, const std::string& kind, const std::string& message) {
  context.err << "imprimoctl: " << message << "\n";
  if (json)
    context.out
        << failureJson(exitCode, kind, message).dump(-1, ' ', false, nlohmann::ordered_json::error_handler_t::replace)
        << "\n";
  return exitCode;
}

std::string withFullStop(std::string sentence) {
  if (!sentence.ends_with('?')) sentence += '.';
  return sentence;
}

/// A stop that found the link gone, or made it go, is a stop.
int afterStop(int code, const Context& context) {
  return context.stop.stop_requested() && (code == 3 || code == 4) ? 130 : code;
}

int runGuarded(const CommandLine& line, const Context& context, bool json) {
  try {
    return line.run(context);
  } catch (const Error& e) {
    return fail(context, json, afterStop(exitCodeOf(e.kind()), context), nameOf(e.kind()), withHelp(e));
  } catch (const std::bad_alloc&) {
    return fail(context, json, 3, "internal", "there is not enough memory for this");
  } catch (const std::system_error& e) {
    return fail(context, json, 3, "internal", "the system refused something: " + e.code().message());
  } catch (const std::exception& e) {
    const Error fault = faultOf(e);
    return fail(context, json, exitCodeOf(fault.kind()), nameOf(fault.kind()), fault.full());
  }
}

}  // namespace

int runCommandLine(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err,
                   std::stop_token stop, const probe::SystemRoot& system) {
  VisibleStream visibleOut(out), visibleErr(err);
  visibleErr << std::unitbuf;
  const Context context{visibleOut, visibleErr, err, std::move(stop), system};
  // What was asked for is not known when the words cannot be understood, but the form of the answer is.
  const bool wantsJson = std::find(arguments.begin(), arguments.end(), "--json") != arguments.end();
  CommandLine line;
  // For shells; what stands behind it is not understood, but finished.
  if (!arguments.empty() && arguments.front() == kComplete) {
    visibleOut << completionLines(completionsFor(line.app(), {arguments.begin() + 1, arguments.end()}, system));
    return visibleOut.flush() ? 0 : 5;
  }
  int code = 0;
  try {
    std::vector<std::string> reversed(arguments.rbegin(), arguments.rend());
    line.app().parse(reversed);
    code = runGuarded(line, context, wantsJson);
  } catch (const CLI::Success& e) {
    line.app().exit(e, visibleOut, visibleErr);  // --help and --version
  } catch (const CLI::ParseError& e) {
    code =
        fail(context, wantsJson, 2, "usage", withFullStop(usageSentence(line.app(), e)) + " Try 'imprimoctl --help'.");
  }
  code = afterStop(code, context);
  if (visibleOut.flush() || code == 130) return code;
  visibleErr << "imprimoctl: standard output cannot be written" << (code == 0 ? "" : "; that is not all: see above")
             << "\n";
  return 5;
}

}  // namespace imprimo::ctl
