// SPDX-License-Identifier: GPL-3.0-or-later
//
// The pins of a device by boundary scan: sampled, watched, driven.
#include <fmt/format.h>

#include <charconv>
#include <ostream>
#include <thread>

#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/bench/bench.h"
#include "core/bench/pins/pin_route.h"
#include "core/pins/pin_watch.h"
#include "ctl/command.h"
#include "ctl/commands/pins_check.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/session.h"

namespace imprimo::ctl {
namespace {

struct PinsOptions : SheetOptions {
  std::string device, watch, hold, others;
  std::vector<std::string> ports, drive;
  bool check = false;
};

void addOptions(OptionList& own, PinsOptions& options) {
  own.option("SHEET", options.sheet, "the job sheet").required();
  own.option("DEVICE", options.device, "whose pins, by its name in the sheet; not with --check");
  own.option("--port", options.ports, "only this port; can be repeated").oneEach().typeName("PORT");
  own.option("--drive", options.drive,
             "drive a port with 0 or 1, or let it go (z), with the device's own logic cut off from its pins; can be "
             "repeated")
      .oneEach()
      .typeName("PORT=LEVEL");
  own.option("--hold", options.hold, "with --drive: for so many seconds before the pins are sampled")
      .typeName("SECONDS");
  own.option(
         "--others", options.others,
         "with --drive: ports that are not driven are let go (let-go, as far as they can be), drive what the device "
         "drives now (as-now), or are at their safe values (safe)")
      .typeName("HOW");
  own.option("--watch", options.watch, "sample for so many seconds, and count edges").typeName("SECONDS");
  own.flag("--check", options.check, "compare with the levels that the sheet has under \"pins\"");
}

/// 0 where it was not given.
double secondsOf(const std::string& text, const char* option) {
  if (text.empty()) return 0;
  double seconds = 0;
  const auto [end, failure] = std::from_chars(text.data(), text.data() + text.size(), seconds);
  constexpr double kMost = 86400;
  if (failure != std::errc() || end != text.data() + text.size() || !(seconds > 0) || seconds > kMost)
    throw Error(ErrorKind::Usage, fmt::format("{} {} is not a number of seconds", option, text),
                "For example 10 or 0.5.");
  return seconds;
}

pins::Drives drivesOf(const PinsOptions& options, const pins::BoundaryPorts& ports) {
  pins::Drives drives;
  for (const std::string& each : options.drive) {
    const std::size_t at = each.rfind('=');
    const std::string level = at == std::string::npos ? "" : each.substr(at + 1);
    if (level != "0" && level != "1" && level != "z" && level != "Z")
      throw Error(ErrorKind::Usage, fmt::format("--drive {} is not PORT=0, PORT=1 or PORT=z", each));
    const std::size_t port = ports.at(each.substr(0, at));
    const pins::Level wanted = level == "0" ? pins::Level(false) : level == "1" ? pins::Level(true) : std::nullopt;
    if (!drives.emplace(port, wanted).second)
      throw Error(ErrorKind::Usage, fmt::format("{} is driven twice", ports.ports[port].name), "Give each port once.");
  }
  return drives;
}

pins::Others othersOf(const PinsOptions& options) {
  if (options.others.empty() || options.others == "let-go") return pins::Others::LetGo;
  if (options.others == "as-now") return pins::Others::AsNow;
  if (options.others == "safe") return pins::Others::Safe;
  throw Error(ErrorKind::Usage, fmt::format("--others {} is none of let-go, as-now and safe", options.others));
}

std::string levelText(const pins::Level& level) {
  return !level ? "z" : *level ? "1" : "0";
}

Json levelJson(const pins::Level& level) {
  return level ? Json(*level ? 1 : 0) : Json(nullptr);
}

const char* kindText(pins::BoundaryPort::Kind kind) {
  using Kind = pins::BoundaryPort::Kind;
  return kind == Kind::In ? "in" : kind == Kind::Out ? "out" : "inout";
}

Json portJson(const pins::BoundaryPort& port, const pins::PortSample& sample) {
  Json json{{"port", port.name}};
  if (!port.pin.empty()) json["pin"] = port.pin;
  json["kind"] = kindText(port.kind);
  json["in"] = levelJson(sample.in);
  json["out"] = levelJson(sample.out);
  json["drives"] = sample.drives ? Json(*sample.drives) : Json(nullptr);
  return json;
}

std::string portLine(const pins::BoundaryPort& port, const pins::PortSample& sample) {
  const std::string out = !sample.drives ? "" : !*sample.drives ? "let go" : "drives " + levelText(sample.out);
  return fmt::format("{:<16}{:<8}{:<7}{:<4}{}", port.name, port.pin, kindText(port.kind),
                     sample.in ? levelText(sample.in) : "-", out);
}

/// What is driven is said before it is.
void tellDrives(const Context& context, const pins::PinScan& scan, const pins::Drives& drives,
                const pins::DrivePlan& plan) {
  const auto list = [&](const pins::Drives& all) {
    std::string text;
    for (const auto& [port, level] : all)
      text += fmt::format("{}{} {}", text.empty() ? "" : ", ", scan.ports().ports[port].name, levelText(level));
    return text;
  };
  context.err << fmt::format("imprimoctl: {}'s own logic is cut off from its pins. Driven: {}.\n", scan.name(),
                             list(drives));
  if (!plan.alongside.empty())
    context.err << fmt::format("imprimoctl: driven along with them: {}.\n", list(plan.alongside));
}

class Table {
 public:
  Table(const PinsOptions& options, const Context& context, const pins::PinScan& scan)
      : options_(options), context_(context), scan_(scan) {
    for (const std::string& name : options.ports) {
      const pins::BoundaryPorts::Other* other = scan.ports().other(name);
      if (other != nullptr) {
        others_.push_back(other);
      } else {
        chosen_.push_back(scan.ports().at(name));
      }
    }
    for (std::size_t i = 0; i < scan.ports().ports.size() && options.ports.empty(); ++i) chosen_.push_back(i);
  }

  int print(const std::vector<pins::PortSample>& samples) const {
    Json list = Json::array();
    for (const std::size_t i : chosen_) {
      const pins::BoundaryPort& port = scan_.ports().ports[i];
      if (options_.json) {
        list.push_back(portJson(port, samples[i]));
      } else {
        context_.out << portLine(port, samples[i]) << "\n";
      }
    }
    addOthers(list);
    if (options_.json) ctl::print(context_, {{"device", scan_.name()}, {"ports", std::move(list)}});
    return 0;
  }
  int print(const pins::PinWatch& watch, double seconds) const {
    const auto last = pins::samplesOf(scan_.ports(), watch.last());
    Json list = Json::array();
    for (const std::size_t i : chosen_) {
      const pins::BoundaryPort& port = scan_.ports().ports[i];
      const pins::PinWatch::Moves moves = watch.moves(i);
      if (options_.json) {
        Json json = portJson(port, last[i]);
        json["edges"] = moves.edges;
        json["high"] = moves.high;
        list.push_back(std::move(json));
      } else {
        context_.out << portLine(port, last[i]);
        if (port.input)
          context_.out << fmt::format("  {}, {:.0f} % high", countText(moves.edges, "edge"), moves.high * 100);
        context_.out << "\n";
      }
    }
    if (options_.json) {
      ctl::print(
          context_,
          {{"device", scan_.name()}, {"ports", std::move(list)}, {"samples", watch.count()}, {"seconds", seconds}});
    } else {
      context_.err << fmt::format("imprimoctl: {} in {:.2f} s\n", countText(watch.count(), "sample"), seconds);
    }
    return 0;
  }

 private:
  /// Ports without a cell are listed where they are named; nothing is known of their levels.
  void addOthers(Json& list) const {
    for (const pins::BoundaryPorts::Other* other : others_) {
      pins::BoundaryPort port;
      port.name = other->name;
      port.pin = other->pin;
      port.kind = other->kind;
      if (options_.json) {
        list.push_back(portJson(port, {}));
      } else {
        context_.out << portLine(port, {}) << other->what << "\n";
      }
    }
  }

  const PinsOptions& options_;
  const Context& context_;
  const pins::PinScan& scan_;
  std::vector<std::size_t> chosen_;
  std::vector<const pins::BoundaryPorts::Other*> others_;
};

int runPins(const PinsOptions& options, const Context& context) {
  if (options.check) {
    if (!options.device.empty() || !options.drive.empty() || !options.watch.empty() || !options.ports.empty())
      throw Error(ErrorKind::Usage, "--check goes with the sheet alone", "Leave DEVICE and the other options out.");
    return checkPins(options, context);
  }
  if (options.device.empty())
    throw Error(ErrorKind::Usage, "no device is given", "Name one of the sheet, or check all with --check.");
  const double watch = secondsOf(options.watch, "--watch"), hold = secondsOf(options.hold, "--hold");
  if (watch > 0 && !options.drive.empty())
    throw Error(ErrorKind::Usage, "--watch and --drive exclude each other", "Give one of them.");
  if (hold > 0 && options.drive.empty())
    throw Error(ErrorKind::Usage, "--hold goes with --drive", "Say what is to be driven.");
  const sheet::Sheet sheet = openSheet(options.sheet, options, context);
  const std::size_t position = bench::positionOf(sheet, options.device);
  // What is wrong with what was asked for shows before anything is connected to.
  const pins::BoundaryPorts ports = pins::boundaryPorts(bench::descriptionOf(sheet, position));
  const pins::Drives drives = drivesOf(options, ports);
  for (const std::string& name : options.ports) {
    if (ports.other(name) == nullptr) ports.at(name);
  }
  const pins::Others others = othersOf(options);
  if (!options.others.empty() && drives.empty())
    throw Error(ErrorKind::Usage, "--others goes with --drive", "Say what is to be driven.");
  pins::planDrives(ports, drives, BitVector(ports.length, false), others);

  const auto bench = openBench(options, context, sheet);
  awaitTarget(options, context, *bench, sheet.waitSeconds);
  bench->checkChain();
  const auto scan = bench->openPins(position);
  const Table table(options, context, *scan);
  if (watch > 0) {
    pins::PinWatch seen(*scan);
    const double seconds = seen.run(watch, context.stop);
    return table.print(seen, seconds);
  }
  if (drives.empty()) return table.print(pins::samplesOf(scan->ports(), scan->sample()));
  const pins::DrivePlan plan = pins::planDrives(scan->ports(), drives, scan->sample(), others);
  tellDrives(context, *scan, drives, plan);
  scan->drive(plan.cells);
  const auto end = std::chrono::steady_clock::now() + std::chrono::duration<double>(hold);
  while (!context.stop.stop_requested() && std::chrono::steady_clock::now() < end)
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  const BitVector captured = scan->exchange(plan.cells);
  scan->letGo();
  return table.print(pins::samplesOf(scan->ports(), captured));
}

}  // namespace

CommandRow pinsCommand() {
  return commandRow<PinsOptions>("pins", "a device's pins by boundary scan: sampled, watched, driven", addOptions,
                                 runPins);
}

}  // namespace imprimo::ctl
