// SPDX-License-Identifier: GPL-3.0-or-later
//
// The serial ports of this computer, by what they hang on.
#include <fmt/format.h>

#include <ostream>

#include "core/base/json.h"
#include "core/probe/serial_ports.h"
#include "ctl/command.h"
#include "ctl/json_out.h"
#include "ctl/option_help.h"
#include "ctl/session.h"

namespace imprimo::ctl {
namespace {

const char* nameOf(probe::SerialPort::On on) {
  using On = probe::SerialPort::On;
  return on == On::ThisProbe ? "this-probe"
         : on == On::Probe   ? "probe"
         : on == On::Board   ? "board"
         : on == On::Adapter ? "adapter"
                             : "computer";
}

Json portJson(const probe::SerialPort& port) {
  Json json = {{"port", port.node},       {"on", nameOf(port.on)}, {"vendor", port.vendor},
               {"product", port.product}, {"serial", port.serial}, {"newest", port.newest}};
  if (port.holderId != 0) json["holder"] = {{"name", port.holder}, {"process", port.holderId}};
  return json;
}

void addNone(OptionList&, CommonOptions&) {}

int runPorts(const CommonOptions& options, const Context& context) {
  const probe::ProbeOptions settings = probeOptions(options, context, std::nullopt);
  const auto cards = probe::adapterCards({settings.libraries.begin(), settings.libraries.end()});
  const auto ports = probe::listSerialPorts(context.system, cards, options.probe);
  Json json = {{"ports", Json::array()}};
  for (const probe::SerialPort& port : ports) {
    json["ports"].push_back(portJson(port));
    if (options.json) continue;
    std::string more = port.newest ? ", the newest" : "";
    if (port.holderId != 0) more += fmt::format(", held by {} (process {})", port.holder, port.holderId);
    context.out << fmt::format("{:<20}  {}{}\n", port.node, port.words(), more);
  }
  if (options.json) print(context, json);
  if (ports.empty() && !options.json) context.err << "imprimoctl: no serial port\n";
  return 0;
}

}  // namespace

CommandRow portsCommand() {
  return commandRow<CommonOptions>("ports", "serial ports of this computer, and what they hang on", addNone, runPorts);
}

}  // namespace imprimo::ctl
