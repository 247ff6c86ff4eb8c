// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/command_line.h"

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <ostream>

#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/number.h"
#include "ctl/commands.h"
#include "ctl/outcome_json.h"
#include "ctl/session.h"
#include "ctl/standard_stream.h"
#include "ctl/usage_sentence.h"

namespace imprimo::ctl {
namespace {

/// The commands and their options; which one was given is known after parsing.
constexpr const char* kPiece =
    "FILE[@ADDRESS][,option]...: reversed, swap16, swap32, after, align=N|block, pad=N|block, cut=A..B, "
    "format=bin|hex|srec|elf, card=WRAPPER-CARD. FILE may be pattern:0xA5+4K, pattern:counting+4K, "
    "pattern:random:SEED+4K or pattern:text:WORDS+4K";

CLI::Validator numberFrom(std::uint64_t least, std::uint64_t most) {
  return {[=](std::string& text) { return takeWholeNumber(text, least, most); }, "", ""};
}

CLI::Validator oneOf(std::vector<std::string> words) {
  return {[words = std::move(words)](const std::string& text) -> std::string {
            if (std::find(words.begin(), words.end(), text) != words.end()) return {};
            return fmt::format("takes {}, not '{}'", fmt::join(words, ", "), text);
          },
          "", ""};
}

class CommandLine {
 public:
  CommandLine()
      : app_("Loads firmware and bitstreams through debug probes, as the desktop program does.", "imprimoctl") {
    app_.set_version_flag("--version", "imprimoctl " IMPRIMO_VERSION);
    app_.require_subcommand(1);
    app_.fallthrough();
    app_.add_option("--probe", options_.probe,
                    "the probe: usb:SERIAL, tcp:HOST:PORT or mpsse-tcp:HOST:PORT; otherwise the only one found")
        ->type_name("ADDRESS");
    app_.add_option("--token-file", options_.tokenFile, "file with the token of a shared probe, - for standard input")
        ->type_name("FILE");
    app_.add_option("--speed", options_.speed, "TCK frequency in Hz; otherwise the sheet's")
        ->type_name("HZ")
        ->check(numberFrom(1, 1'000'000'000));
    app_.add_option("--library", options_.libraries,
                    "folder with more BSDL files, part cards and adapter cards; can be repeated")
        ->type_name("DIR")
        ->allow_extra_args(false);
    app_.add_option("--adapter", options_.adapter, "adapter card: how an MPSSE adapter is wired")->type_name("FILE");
    app_.add_option("--wait", options_.wait, "wait so many seconds for the target's power and chain")
        ->type_name("SECONDS")
        ->check(numberFrom(1, 3600));
    app_.add_flag("--large", options_.large, "read image files of more than 1 GiB");
    app_.add_flag("--json", options_.json, "print exactly one JSON object on standard output");
    app_.add_flag("-v,--verbose", options_.verbose, "say more of what is done and why");
    addCommands();
  }

  CLI::App& app() { return app_; }
  const Options& options() const { return options_; }

  int run(const Context& context) const {
    checkGlobalFiles(options_);
    if (probes_->parsed()) return ctl::probes(options_, context);
    if (share_->parsed()) return ctl::share(options_, context);
    if (scan_->parsed()) return ctl::scan(options_, context);
    if (convert_->parsed()) return ctl::convert(options_, context);
    if (inspect_->parsed()) return ctl::inspect(options_, context);
    if (compare_->parsed()) return ctl::compare(options_, context);
    if (identify_->parsed()) return ctl::identify(options_, context);
    if (registers_->parsed()) return ctl::registers(options_, context);
    if (read_->parsed()) return ctl::read(options_, context);
    if (copies_->parsed()) return ctl::copies(options_, context);
    if (restore_->parsed()) return ctl::restore(options_, context);
    if (configure_->parsed()) return ctl::configure(options_, context);
    if (restart_->parsed()) return ctl::restart(options_, context);
    if (devices_->parsed()) return ctl::devices(options_, context);
    if (export_->parsed()) return ctl::exportVectors(options_, context);
    if (play_->parsed()) return ctl::play(options_, context);
    if (vectors_->parsed()) return ctl::vectors(options_, context);
    if (trial_->parsed()) return work(plan::Task::Trial, options_, context);
    if (blank_->parsed()) return work(plan::Task::Blank, options_, context);
    if (verify_->parsed()) return work(plan::Task::Verify, options_, context);
    if (program_->parsed()) return work(plan::Task::Program, options_, context);
    if ((options_.all ? 1 : 0) + (options_.ranges.empty() ? 0 : 1) + (options_.listed ? 1 : 0) != 1) {
      throw Error(ErrorKind::Usage, "erase wants one of --range, --listed and --all",
                  "For example --range 0x10000..0x1FFFF.");
    }
    return work(plan::Task::Erase, options_, context);
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
  /// What the image is for, so that it can be looked over.
  void looks(CLI::App* c) {
    c->add_option("--for", options_.use, "look it over for a configuration flash or a core's memory")
        ->type_name("flash|core");
    c->add_option("--sync", options_.sync, "how a bitstream begins, in digits")->type_name("BYTES");
    c->add_option("--ram", options_.ram, "where the core's stack may be")->type_name("A..B|A+N");
    c->add_option("--block", options_.block, "the part's erase block, for align=block")->type_name("N");
  }
  void protection(CLI::App* c) {
    c->add_flag("--leave-protection", options_.leaveProtection,
                "refuse what the part protects, instead of clearing and restoring it");
  }
  /// What becomes of a run that did not end, where it cannot be known that this is the board that it was on.
  void earlier(CLI::App* c) {
    c->add_flag("--finish-earlier", options_.finishEarlier,
                "an earlier run that did not end was on this board: finish it");
    c->add_flag("--forget-earlier", options_.forgetEarlier, "it was on another board: forget it");
  }
  void dryRun(CLI::App* c) { c->add_flag("--dry-run", options_.dryRun, "only look and plan; change nothing"); }

  void addCommands() {
    probes_ = command("probes", "list probes and what keeps each from being used", false);
    probes_->add_option("--release", options_.release, "take this probe away from the kernel's serial driver")
        ->type_name("ADDRESS");
    probes_->add_flag("--rule", options_.rule, "print the udev rule that lets you use probes");
    probes_->add_flag("--install-rule", options_.installRule,
                      "install that rule; asks for an administrator's password");

    share_ = command("share", "serve a probe of this computer over TCP, until interrupted", false);
    share_
        ->add_option("--listen", options_.listen,
                     "where; 127.0.0.1 and a free port if not given. Elsewhere only with --token-file")
        ->type_name("HOST:PORT");

    scan_ = command("scan", "examine the chain; needs no sheet", false);
    scan_->add_option("-o,--output", options_.output, "start a sheet with what was found")->type_name("SHEET");
    scan_->add_option("--sheet", options_.sheet, "compare with this sheet's chain")->type_name("SHEET");
    scan_->add_option("--bsdl", options_.bsdl, "BSDL file of a part for which several would fit; can be repeated")
        ->type_name("FILE")
        ->allow_extra_args(false);
    scan_->add_flag("--clock", options_.clock, "look for the fastest sound clock; with --sheet for its memories too");

    identify_ = command("identify", "read a memory's ID and parameter table");
    identify_->add_flag("--save", options_.save, "keep what was found in the sheet");
    identify_->add_flag("--tables", options_.tables, "its parameter tables (SFDP) too, raw and in words");
    identify_->add_option("--card", options_.card, "begin a part card with what was found")->type_name("FILE");

    configure_ = command("configure", "put a bitstream or fuse file into a part itself", false);
    configure_->add_option("SHEET", options_.sheet, "the job sheet")->required();
    configure_->add_option("DEVICE", options_.device, "the part's name in the sheet's chain")->required();
    configure_->add_option("FILE", options_.file,
                           "bitstream, JEDEC fuse file or IEEE 1532 data; FILE[,reversed][,card=WRAPPER-CARD]. The "
                           "sheet's if not given");
    configure_->add_option("--action", options_.action, "another action of its IEEE 1532 description, see 'parts'")
        ->type_name("NAME");
    configure_->add_option("--with", options_.with, "do this optional procedure too; can be repeated")
        ->type_name("PROCEDURE")
        ->allow_extra_args(false);
    configure_->add_option("--without", options_.without, "leave this recommended procedure out; can be repeated")
        ->type_name("PROCEDURE")
        ->allow_extra_args(false);
    configure_->add_option("--usercode", options_.usercode, "a user code of 32 bits instead of the file's")
        ->type_name("N");
    configure_->add_option("--config-card", options_.configCard, "how it is configured, instead of the sheet's card")
        ->type_name("FILE");
    configure_->add_option("-o,--output", options_.output, "where what is read goes, as IEEE 1532 data")
        ->type_name("FILE");
    configure_->add_flag("--restart", options_.restartAfter, "let the board start again afterwards");
    dryRun(configure_);

    restart_ = command("restart", "let the parts start from their flash again, or pulse the board's reset", false);
    restart_->add_option("SHEET", options_.sheet, "the job sheet")->required();

    devices_ = command("parts", "how the parts say they are, and what can be done to them", false);
    devices_->add_option("SHEET", options_.sheet, "the job sheet")->required();
    devices_->add_option("DEVICE", options_.device, "only this one");

    registers_ = command("registers", "a memory's status and configuration registers, bit by bit");
    registers_->add_option("--set", options_.sets, "write: REGISTER=VALUE or REGISTER[BITS]=VALUE; can be repeated")
        ->type_name("SETTING")
        ->allow_extra_args(false);
    registers_->add_flag("--for-ever", options_.all, "also bits that can never be cleared again");

    convert_ = command("convert", "build one image from files", false);
    convert_->add_option("PIECE", options_.pieces, kPiece)->required()->type_name("");
    convert_
        ->add_option("-o,--output", options_.output,
                     "the file; its extension is the format: .bin, .hex, .s19, .s28, .s37")
        ->required()
        ->type_name("FILE");
    convert_->add_option("--from", options_.from, "first address of raw output")->type_name("A");
    convert_->add_option("--size", options_.size, "exactly so many bytes from there")->type_name("N");
    convert_->add_option("--fill", options_.fill, "what stands in gaps; 0xFF if not given")->type_name("BYTE");
    convert_->add_option("--format", options_.format, "bin, hex, s19, s28 or s37, whatever the file is called")
        ->type_name("F");

    convert_->add_option("--record", options_.recordLength, "data bytes in a record; 16 if not given")
        ->type_name("N")
        ->check(numberFrom(1, 255));
    convert_->add_option("--address-bits", options_.addressBits, "16, 20 or 32 (hex), 16, 24 or 32 (S-records)")
        ->type_name("N")
        ->check(oneOf({"16", "20", "24", "32"}));
    convert_->add_option("--entry", options_.entry, "where the code begins, for a start record")->type_name("A");
    convert_
        ->add_option("--sum", options_.sums,
                     "KIND:RANGE@ADDRESS[,low-first]: a checksum or length written into the image; can be repeated")
        ->type_name("SUM")
        ->allow_extra_args(false);
    looks(convert_);

    inspect_ = command("inspect", "what is in a file", false);
    looks(inspect_);
    inspect_->add_option("--size", options_.size, "the part's size")->type_name("N");
    inspect_->add_option("FILE", options_.pieces, "raw binary, Intel HEX, S-records, ELF, or a bitfile: FILE,card=CARD")
        ->required()
        ->expected(1)
        ->type_name("");

    compare_ = command("compare", "where two images differ", false);
    compare_->add_option("-o,--output", options_.output, "a report with the bytes side by side")->type_name("FILE");
    compare_->add_option("PIECE", options_.pieces, "two of FILE[@ADDRESS][,option]...")
        ->required()
        ->expected(2)
        ->type_name("");

    read_ = command("read", "memory to file");
    read_->add_option("--from", options_.from, "first address; 0 if not given")->type_name("A");
    read_->add_option("--length", options_.length, "bytes; to the end if not given")->type_name("N");
    read_->add_option("-o,--output", options_.output, "the file; Intel HEX if it ends in .hex, otherwise raw")
        ->required()
        ->type_name("FILE");

    read_->add_flag("--twice", options_.twice, "read it a second time and compare");

    blank_ = command("blank", "is it erased?");
    ranges(blank_, "only these addresses; can be repeated");

    erase_ = command("erase", "leave exactly these addresses blank");
    ranges(erase_, "these addresses; can be repeated");
    erase_->add_flag("--listed", options_.listed, "what the sheet lists under \"erase\"");
    erase_->add_flag("--all", options_.all, "the whole memory, but for what the sheet keeps");
    erase_->add_flag("--whole-blocks", options_.wholeBlocks, "what else lives in the blocks goes too");
    erase_->add_flag("--skip-kept", options_.skipKept, "leave what the sheet keeps, and erase the rest of the ranges");
    protection(erase_);
    earlier(erase_);
    dryRun(erase_);

    program_ = command("program", "put the sheet's files into the memory and confirm by reading back");
    places(program_);
    program_->add_flag("--no-erase", options_.noErase, "refuse what cannot be written without erasing");
    program_->add_flag("--no-verify", options_.noVerify, "do not read back");
    protection(program_);
    earlier(program_);
    dryRun(program_);

    verify_ = command("verify", "compare only");
    places(verify_);
    verify_->add_option("-o,--output", options_.report, "every difference, with the bytes side by side")
        ->type_name("FILE");

    addVectorCommands();

    copies_ = command("copies", "copies of what runs destroyed", false);
    copies_->add_option("--limit-size", options_.limitSize, "keep at most so much on disk, from now on")
        ->type_name("N");
    copies_->add_option("--limit-days", options_.limitDays, "keep them for so many days, from now on")
        ->type_name("N")
        ->check(numberFrom(1, 36500));

    restore_ = command("restore", "put a copy back, the newest of that memory if none is named");
    restore_->add_option("COPY", options_.copy, "its file, as 'copies' lists it");
    restore_->add_flag("--any-part", options_.anyPart, "also into a part with another ID");
    earlier(restore_);
    dryRun(restore_);

    trial_ = command("trial", "can this bench be trusted? Patterns are written to a scratch block and read many times");
    earlier(trial_);
    ranges(trial_, "the scratch block, which gets its bytes back; a blank one if not given");
    trial_->add_option("--reads", options_.reads, "reads of each pattern; 20 if not given")
        ->type_name("N")
        ->check(numberFrom(1, 100000));
  }

  void addVectorCommands() {
    export_ = command("export", "the same work as program, as vectors for any SVF player; needs no hardware");
    places(export_);
    export_->add_option("--only", options_.only, "not all of it: chain, id, blank or verify")
        ->type_name("WHAT")
        ->check(oneOf({"chain", "id", "blank", "verify"}));
    export_->add_option("--contents", options_.contents, "what the memory holds: a file that was read back")
        ->type_name("FILE");
    export_->add_flag("--no-verify", options_.noVerify, "do not compare what was written");
    export_->add_flag("--no-load", options_.noLoad, "the bridge is there already");
    export_->add_flag("--short-digits", options_.shortDigits,
                      "TDI without leading zeros; shorter, and some players refuse it");
    export_->add_option("--frequency", options_.frequency, "of TCK in the file; the sheet's if not given")
        ->type_name("HZ")
        ->check(numberFrom(1, 1'000'000'000));
    export_->add_option("--line-length", options_.lineLength, "characters in a line, at most; 250 if not given")
        ->type_name("N")
        ->check(numberFrom(80, 255));
    export_
        ->add_option("--before", options_.before,
                     "for another chain: instruction lengths of the parts between TDI and the bridge, or none")
        ->type_name("N,N...");
    export_->add_option("--after", options_.after, "the same of the parts between the bridge and TDO")
        ->type_name("N,N...");
    export_->add_option("-o,--output", options_.output, "the file")->required()->type_name("FILE.svf");

    play_ = command("play", "run an SVF file on the chain", false);
    play_->add_option("FILE", options_.file, "the file")->required()->type_name("FILE.svf");
    play_->add_option("--sheet", options_.sheet, "names and descriptions of the parts")->type_name("SHEET");
    play_->add_option("--from-line", options_.fromLine, "begin at the last safe point up to this line")
        ->type_name("N")
        ->check(numberFrom(1, UINT64_MAX));
    play_->add_flag("--keep-going", options_.keepGoing, "go on past what does not compare");
    play_
        ->add_option("--from-pause", options_.fromPause,
                     "a scan that begins in the pause state of its own register goes on through Update (default), or "
                     "straight into Shift")
        ->check(oneOf({"shift", "update"}))
        ->type_name("shift|update");
    play_->add_flag("--any-chain", options_.anyChain, "also on a chain that it cannot have been made for");

    vectors_ =
        command("vectors", "what is in an SVF file: its scans and waits, and the plan that it carries out", false);
    vectors_->add_option("FILE", options_.file, "the file")->required()->type_name("FILE.svf");
    vectors_->add_option("--memory", options_.memory, "which one, where the file has several")->type_name("NAME");
    vectors_->add_option("-o,--output", options_.output, "the image that it writes, taken out")->type_name("IMAGE");
    vectors_
        ->add_option("--compare", options_.pieces, "FILE[@ADDRESS][,option]... that it should write; can be repeated")
        ->type_name("PIECE")
        ->allow_extra_args(false);
  }

  CLI::App app_;
  Options options_;
  CLI::App *export_ = nullptr, *play_ = nullptr, *vectors_ = nullptr;
  CLI::App *convert_ = nullptr, *inspect_ = nullptr, *compare_ = nullptr;
  CLI::App *probes_ = nullptr, *share_ = nullptr, *scan_ = nullptr, *identify_ = nullptr, *read_ = nullptr,
           *blank_ = nullptr, *erase_ = nullptr, *registers_ = nullptr, *configure_ = nullptr, *restart_ = nullptr,
           *devices_ = nullptr, *copies_ = nullptr, *restore_ = nullptr, *trial_ = nullptr, *program_ = nullptr,
           *verify_ = nullptr;
};

int fail(const Context& context, bool json, int exitCode, const std::string& kind, const std::string& message) {
  context.err << "imprimoctl: " << message << "\n";
  if (json)
    context.out
        << failureJson(exitCode, kind, message).dump(-1, ' ', false, nlohmann::ordered_json::error_handler_t::replace)
        << "\n";
  return exitCode;
}

/// What would help, where the core names it without knowing how it is asked for here.
std::string remedyOf(const Error& e) {
  const auto* file = dynamic_cast<const UnreadableFile*>(&e);
  return file != nullptr && file->largeWouldHelp() ? " --large reads it all the same." : "";
}

/// A stop that found the link gone, or made it go, is a stop.
int afterStop(int code, const Context& context) {
  return context.stop.stop_requested() && (code == 3 || code == 4) ? 130 : code;
}

int runGuarded(const CommandLine& line, const Context& context, bool json) {
  try {
    return line.run(context);
  } catch (const Error& e) {
    return fail(context, json, afterStop(exitCodeOf(e.kind()), context), nameOf(e.kind()), e.full() + remedyOf(e));
  } catch (const std::bad_alloc&) {
    return fail(context, json, 3, "internal", "there is not enough memory for this");
  } catch (const std::system_error& e) {
    return fail(context, json, 3, "internal", "the system refused something: " + e.code().message());
  } catch (const std::exception&) {
    return fail(context, json, 3, "internal", "something unforeseen went wrong");
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
  int code = 0;
  try {
    std::vector<std::string> reversed(arguments.rbegin(), arguments.rend());
    line.app().parse(reversed);
    code = runGuarded(line, context, wantsJson);
  } catch (const CLI::Success& e) {
    line.app().exit(e, visibleOut, visibleErr);  // --help and --version
  } catch (const CLI::ParseError& e) {
    code = fail(context, wantsJson, 2, "usage", usageSentence(line.app(), e) + ". Try 'imprimoctl --help'.");
  }
  code = afterStop(code, context);
  if (visibleOut.flush() || code == 130) return code;
  visibleErr << "imprimoctl: standard output cannot be written" << (code == 0 ? "" : "; that is not all: see above")
             << "\n";
  return 5;
}

}  // namespace imprimo::ctl
