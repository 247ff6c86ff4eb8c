// SPDX-License-Identifier: GPL-3.0-or-later
//
// What is on a chain: examined, compared with a sheet, made into one, and how fast it can go.
#include <fmt/format.h>

#include <ostream>

#include "core/base/atomic_file.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/jtag/await_target.h"
#include "ctl/command.h"
#include "ctl/commands/scan_swd.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/session.h"

namespace imprimo::ctl {
namespace {

struct ScanOptions : CommonOptions {
  std::string sheet, output, port = "jtag";
  std::vector<std::string> bsdl;
  bool clock = false;
};

std::string lengthText(const jtag::LengthBounds& length) {
  return length.certain() ? fmt::format("{}", length.min) : fmt::format("{} to {}", length.min, length.max);
}

/// The library, and what the user said of single parts.
class Descriptions {
 public:
  Descriptions(const ScanOptions& options, const Context& context) : library_(openLibrary(options, context)) {
    for (const std::string& choice : options.bsdl) {
      const auto device = library_.addFile(choice);
      if (!device->boundaryProblem.empty()) context.err << "imprimoctl: warning: " << device->boundaryProblem << "\n";
    }
  }
  const bsdl::BoundaryDescription* find(std::uint32_t idcode) const { return library_.find(idcode); }
  const bsdl::Library& library() const { return library_; }
  /// "REED_A or REED_B", where several files fit a part and do not say the same.
  std::string doubt(const jtag::FoundDevice& device) const {
    if (!device.idcode) return {};
    const auto fitting = library_.candidates(*device.idcode);
    if (fitting.size() < 2) return {};
    std::string names;
    for (const auto& c : fitting)
      names += fmt::format("{}{} ({})", names.empty() ? "" : " or ", c.entity, c.file.filename().string());
    return names;
  }

 private:
  bsdl::Library library_;
};

std::string deviceText(const jtag::FoundDevice& device, std::size_t position, const std::string& doubt) {
  const std::string name = !device.name.empty() ? device.name
                           : !doubt.empty()     ? "several descriptions fit"
                                                : "(no description)";
  return fmt::format("{:3}  {:<10}  IR {:<8}  {}", position, device.idcode ? hexIdcode(*device.idcode) : "no IDCODE",
                     lengthText(device.irLength), name);
}

Json deviceJson(const jtag::FoundDevice& device) {
  Json entry = {{"position", nullptr}, {"idcode", nullptr}, {"ir_length", nullptr}, {"name", nullptr}};
  if (device.idcode) entry["idcode"] = hexIdcode(*device.idcode);
  if (!device.name.empty()) entry["name"] = device.name;
  if (!device.remarks.empty()) entry["remarks"] = device.remarks;
  return entry;
}

Json scanJson(const jtag::FoundChain& chain, const Descriptions& descriptions) {
  Json json = {{"devices", Json::array()}, {"ir_total", chain.irTotal}};
  for (std::size_t i = 0; i < chain.devices.size(); ++i) {
    const jtag::FoundDevice& device = chain.devices[i];
    Json entry = deviceJson(device);
    entry["position"] = i + 1;
    if (device.irLength.certain()) {
      entry["ir_length"] = device.irLength.min;
    } else {
      entry["ir_min"] = device.irLength.min;
      entry["ir_max"] = device.irLength.max;
    }
    if (device.idcode) {
      for (const auto& c : descriptions.library().candidates(*device.idcode)) {
        if (device.name.empty()) entry["candidates"].push_back({{"name", c.entity}, {"file", c.file.string()}});
      }
    }
    json["devices"].push_back(std::move(entry));
  }
  return json;
}

void writeFoundSheet(const jtag::FoundChain& chain, const Descriptions& descriptions, const std::string& output) {
  std::error_code ignored;
  if (std::filesystem::exists(output, ignored) && std::filesystem::file_size(output, ignored) > 0) {
    throw Error(ErrorKind::Usage, output + " is there already",
                "Choose another name, or move it away: a sheet is not written over.");
  }
  std::vector<sheet::FoundForSheet> devices;
  for (const jtag::FoundDevice& device : chain.devices) {
    sheet::FoundForSheet entry{fmt::format("part{}", devices.size() + 1), device.idcode, {}, device.irLength.min, ""};
    if (const std::string doubt = descriptions.doubt(device); !doubt.empty()) {
      throw Error(ErrorKind::Refused,
                  fmt::format("part {} ({}) may be {}", devices.size() + 1, hexIdcode(*device.idcode), doubt),
                  "Say which with --bsdl FILE; the sheet remembers it.");
    }
    const auto file = device.idcode ? descriptions.library().fileFor(*device.idcode) : std::filesystem::path();
    if (!file.empty()) {
      const auto folder = std::filesystem::absolute(output).parent_path();
      entry.bsdl = std::filesystem::absolute(file).lexically_relative(folder).string();
      for (const bsdl::Pattern& p : descriptions.find(*device.idcode)->idcodes) {
        if (p.matches(*device.idcode)) entry.mask = p.mask;
      }
    } else if (!device.irLength.certain()) {
      throw Error(ErrorKind::Refused,
                  fmt::format("part {} has {} to {} instruction bits; a sheet needs to know", devices.size() + 1,
                              device.irLength.min, device.irLength.max),
                  "Give the folder with its BSDL file: --library DIR.");
    }
    devices.push_back(std::move(entry));
  }
  writeFileAtomically(output, sheet::sheetTextFor("New board", devices));
}

Json clockJson(const bench::ClockReport& report) {
  Json json = {{"samples", Json::array()}, {"suggested", report.chain.suggested}, {"why", report.chain.why}};
  for (const probe::ClockSample& s : report.chain.samples) {
    json["samples"].push_back({{"hz", s.hz}, {"bits", s.bits}, {"wrong", s.wrong}, {"ids_equal", s.idsEqual}});
  }
  for (const auto& [name, memory] : report.memories) {
    Json entry = {{"samples", Json::array()}};
    for (const auto& s : memory.samples)
      entry["samples"].push_back({{"hz", s.hz}, {"reads", s.reads}, {"equal", s.equal}});
    if (memory.problem.empty()) {
      entry["suggested"] = memory.suggested;
      entry["why"] = memory.why;
    } else {
      entry["problem"] = memory.problem;
    }
    json["memories"][name] = std::move(entry);
  }
  return json;
}

void tellClock(const bench::ClockReport& report, std::ostream& out) {
  for (const probe::ClockSample& s : report.chain.samples) {
    out << fmt::format("{:>8} MHz  {:>8} bits  {:>6} wrong{}\n", fmt::format("{:.3g}", s.hz / 1e6), s.bits, s.wrong,
                       s.idsEqual ? "" : "  IDs changed");
  }
  out << (report.chain.suggested != 0
              ? fmt::format("suggested: {:.3g} MHz: {}\n", report.chain.suggested / 1e6, report.chain.why)
              : fmt::format("no clock is sound: {}\n", report.chain.why));
  for (const auto& [name, memory] : report.memories) {
    out << (memory.problem.empty() ? fmt::format("{}: {:.3g} MHz: {}\n", name, memory.suggested / 1e6, memory.why)
                                   : fmt::format("{}: not tried: {}\n", name, memory.problem));
  }
}

/// Without a sheet, the chain is driven as a whole: all ones need no single lengths.
bench::ClockReport clockOf(probe::Probe& probe, const jtag::FoundChain& found, const Descriptions& descriptions,
                           const std::stop_token& stop) {
  std::vector<std::uint32_t> lengths;
  std::uint32_t rest = found.irTotal;
  probe::ClockSearchOptions options;
  for (const jtag::FoundDevice& device : found.devices) {
    lengths.push_back(device.irLength.min);
    rest -= std::min(rest, device.irLength.min);
    const auto* description = device.idcode ? descriptions.find(*device.idcode) : nullptr;
    const auto limit = description != nullptr ? static_cast<std::uint32_t>(description->tap.highestClock) : 0;
    if (limit != 0) options.limitHz = options.limitHz == 0 ? limit : std::min(options.limitHz, limit);
  }
  lengths.back() += rest;
  jtag::Chain chain(probe::tapOf(probe), lengths);
  bench::ClockReport report;
  report.chain = probe::searchClock(probe, chain, options, stop);
  return report;
}

int tellBroken(const jtag::BrokenChain& broken, const ScanOptions& options, const Context& context) {
  if (!options.json) {
    for (std::size_t i = 0; i < broken.nearTdo.size(); ++i) {
      const jtag::FoundDevice& device = broken.nearTdo[i];
      const std::string place = broken.breakBehind ? fmt::format("{:3}", *broken.breakBehind + 1 + i) : "  ?";
      context.out << fmt::format("{}  {:<10}  answers\n", place,
                                 device.idcode ? hexIdcode(*device.idcode) : "no IDCODE");
    }
    throw broken;
  }
  Json json = {{"result", "failed"},
               {"exit", 3},
               {"kind", nameOf(broken.kind())},
               {"message", broken.full()},
               {"devices", Json::array()}};
  for (std::size_t i = 0; i < broken.nearTdo.size(); ++i) {
    Json entry = deviceJson(broken.nearTdo[i]);
    if (broken.breakBehind) entry["position"] = *broken.breakBehind + 1 + i;
    json["devices"].push_back(std::move(entry));
  }
  if (broken.breakBehind) json["cut_behind"] = *broken.breakBehind;
  context.err << "imprimoctl: " << broken.full() << "\n";
  print(context, json);
  return 3;
}

void addOptions(OptionList& own, ScanOptions& options) {
  own.option("-o,--output", options.output, "start a sheet with what was found").typeName("SHEET");
  own.option("--port", options.port, "what is looked at: a chain on JTAG, or debug ports on SWD").typeName("jtag|swd");
  own.option("--sheet", options.sheet, "compare with this sheet's chain").typeName("SHEET");
  own.option("--bsdl", options.bsdl, "BSDL file of a part for which several would fit; can be repeated")
      .typeName("FILE")
      .oneEach();
  own.flag("--clock", options.clock, "look for the fastest reliable clock; with --sheet for its memories too");
}

/// Examines the chain, waiting for a target that has no power yet where that is wished; throws BrokenChain.
jtag::FoundChain findChain(const std::optional<sheet::Sheet>& sheet, const Descriptions& descriptions,
                           probe::Probe& probe, const ScanOptions& options, const Context& context) {
  jtag::FoundChain chain;
  const auto examine = [&] {
    try {
      chain = jtag::examine(probe::tapOf(probe), [&](std::uint32_t idcode) -> const bsdl::BoundaryDescription* {
        if (sheet) {
          for (const sheet::Device& device : sheet->chain) {
            if (device.description && device.description->matchesIdcode(idcode)) return device.description.get();
          }
        }
        return descriptions.find(idcode);
      });
    } catch (const jtag::BrokenChain& broken) {
      throw jtag::located(sheet ? bench::expectedChain(*sheet) : std::vector<jtag::ExpectedDevice>{}, broken);
    }
  };
  awaitTarget(options, context, probe::tapOf(probe), sheet ? sheet->waitSeconds : std::nullopt, examine);
  return chain;
}

void tellChain(const jtag::FoundChain& chain, const Descriptions& descriptions, std::ostream& out) {
  for (std::size_t i = 0; i < chain.devices.size(); ++i) {
    const std::string doubt = descriptions.doubt(chain.devices[i]);
    out << deviceText(chain.devices[i], i + 1, doubt) << "\n";
    if (!doubt.empty() && chain.devices[i].name.empty())
      out << "     may be " << doubt << ": say which with --bsdl FILE\n";
    const auto* description = chain.devices[i].idcode ? descriptions.find(*chain.devices[i].idcode) : nullptr;
    if (description != nullptr && !description->designWarning.empty()) {
      out << "     its maker warns: " << description->designWarning << "\n";
    }
    for (const std::string& remark : chain.devices[i].remarks) out << "     " << remark << "\n";
  }
  out << fmt::format("{}, {} instruction bits\n", countText(chain.devices.size(), "part"), chain.irTotal);
}

int runScan(const ScanOptions& options, const Context& context) {
  if (options.port != "jtag" && options.port != "swd")
    throw Error(ErrorKind::Usage, fmt::format("--port {}: should be jtag or swd", options.port));
  if (options.port == "swd") {
    if (!options.sheet.empty() || !options.output.empty() || !options.bsdl.empty() || options.clock)
      throw Error(ErrorKind::Usage, "--port swd goes with none of --sheet, -o, --bsdl and --clock",
                  "`cores` compares with a sheet.");
    return scanSwd(options, context);
  }
  const Descriptions descriptions(options, context);
  std::optional<sheet::Sheet> sheet;
  if (!options.sheet.empty()) sheet = openSheet(options.sheet, options, context);
  auto probe = openProbe(options, context, sheet ? sheet->clockHz : std::nullopt);
  jtag::FoundChain chain;
  try {
    chain = findChain(sheet, descriptions, *probe, options, context);
  } catch (const jtag::BrokenChain& broken) {
    return tellBroken(broken, options, context);
  }
  if (!options.output.empty()) writeFoundSheet(chain, descriptions, options.output);
  Json json = scanJson(chain, descriptions);
  if (!options.json) tellChain(chain, descriptions, context.out);
  int exitCode = 0;
  std::optional<Error> mismatch;
  if (sheet) {
    try {
      jtag::requireMatch(bench::expectedChain(*sheet), chain);
      json["agrees"] = true;
    } catch (const Error& e) {
      mismatch = e;
      json["agrees"] = false;
      json["message"] = e.full();
      exitCode = 1;
    }
  }
  if (options.clock && !mismatch) {
    bench::ClockReport report;
    if (sheet) {
      bench::Bench bench(*sheet, std::move(probe));
      report = bench.findClock({}, context.stop);
    } else {
      report = clockOf(*probe, chain, descriptions, context.stop);
    }
    json["clock"] = clockJson(report);
    if (!options.json) tellClock(report, context.out);
    if (report.chain.suggested == 0) exitCode = 1;
  }
  if (mismatch) context.err << "imprimoctl: " << mismatch->full() << "\n";
  if (options.json) print(context, json);
  return exitCode;
}

}  // namespace

CommandRow scanCommand() {
  return commandRow<ScanOptions>("scan", "examine the chain; needs no sheet", addOptions, runScan);
}

}  // namespace imprimo::ctl
