// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/commands/scan_swd.h"

#include <fmt/format.h>

#include <ostream>

#include "core/base/json.h"
#include "core/base/number.h"
#include "core/debug/core_control.h"
#include "core/debug/rom_table.h"
#include "core/debug/swd_wires.h"
#include "core/probe/open_probe.h"
#include "ctl/json_out.h"
#include "ctl/session.h"

namespace imprimo::ctl {
namespace {

constexpr std::uint32_t kSystemControl = 0xE000E000;

std::string word(std::uint32_t value) {
  return fmt::format("0x{:08x}", value);
}

/// The core whose registers a ROM table leads to.
std::string coreText(debug::MemAp& bus) {
  debug::Core core(bus);
  return fmt::format("    core {}, {}\n", debug::cpuidText(core.cpuid()), nameOf(core.state()));
}

std::string partText(const debug::DebugPart& part) {
  const std::string words = part.words();
  return fmt::format("    {}  maker 0x{:02X} of bank {}, part 0x{:03X}{}\n", word(part.at), part.maker, part.bank,
                     part.part, words.empty() ? "" : ", " + words);
}

Json accessPortJson(debug::DebugPort& port, debug::AccessPort at, std::string& text) {
  const std::uint32_t idr = port.readAp(at, 0xFC);
  Json json = {{"idr", word(idr)}};
  if (at.byAddress()) {
    json["ap"] = word(at.at);
  } else {
    json["ap"] = at.at;
  }
  text += fmt::format("  {}: IDR {}", at.words(), word(idr));
  constexpr std::uint32_t kMemoryClass = 8;
  if ((idr >> 13 & 15) != kMemoryClass) {
    text += ", leads to no memory\n";
    return json;
  }
  debug::MemAp bus(port, at);
  bus.identify();
  const std::optional<std::uint32_t> base = bus.base();
  if (!base) {
    text += ", no ROM table\n";
    return json;
  }
  json["base"] = word(*base);
  text += fmt::format(", ROM table at {}\n", word(*base));
  const auto parts = debug::walkRomTable(*base, [&](std::uint32_t address) -> std::optional<std::uint32_t> {
    try {
      return bus.readWord(address);
    } catch (const debug::BusFault&) {
      return std::nullopt;
    }
  });
  for (const debug::DebugPart& part : parts) {
    text += partText(part);
    Json entry = {{"at", word(part.at)},
                  {"maker", fmt::format("0x{:02x}", part.maker)},
                  {"bank", part.bank},
                  {"part", fmt::format("0x{:03x}", part.part)}};
    if (const std::string words = part.words(); !words.empty()) entry["words"] = words;
    json["parts"].push_back(std::move(entry));
    if (part.at == kSystemControl) text += coreText(bus);
  }
  return json;
}

}  // namespace

int scanSwd(const CommonOptions& options, const Context& context) {
  probe::ProbeOptions settings = probeOptions(options, context, std::nullopt);
  settings.wires = probe::Wires::Swd;
  const auto probe = probe::openProbe(probeAddress(options, context), settings, context.system);
  debug::SwdWires wires(probe::swdOf(*probe));
  debug::DebugPort port(wires);
  port.connect();
  Json json = {{"dpidr", word(port.dpidr())}};
  std::string text = fmt::format("debug port {}: {}\n", word(port.dpidr()), debug::dpidrText(port.dpidr()));
  if (const auto target = port.targetId()) {
    json["target"] = word(*target);
    text += fmt::format("  TARGETID {}\n", word(*target));
  }
  json["access_ports"] = Json::array();
  for (const debug::AccessPort& at : port.accessPorts()) json["access_ports"].push_back(accessPortJson(port, at, text));
  if (options.json) {
    print(context, {{"ports", Json::array({json})}});
  } else {
    context.out << text;
  }
  return 0;
}

}  // namespace imprimo::ctl
