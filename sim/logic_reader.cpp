// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/logic_reader.h"

#include <map>

#include "sim/json_help.h"

namespace imprimo::sim {
namespace {

FabricModel fabric(const JsonNode& node, LogicEntry& entry) {
  node.onlyKnown(
      {"flash", "boots_from", "stored", "clear_seconds", "load_hz", "start_clocks", "capture_tells", "secured"});
  FabricModel m;
  if (node.has("flash")) entry.flash = node["flash"].string();
  if (node.has("boots_from")) {
    for (const JsonNode& at : node["boots_from"].elements()) m.bootsFrom.push_back(at.number());
  }
  if (node.has("stored")) m.storedReversed = node["stored"].choice("normal", "reversed");
  if (node.has("clear_seconds")) m.clearSeconds = node["clear_seconds"].real();
  if (node.has("load_hz")) m.loadHz = node["load_hz"].real();
  if (node.has("start_clocks")) m.startClocks = numberUpTo(node["start_clocks"], 0, 1u << 20);
  if (node.has("capture_tells")) m.captureTells = node["capture_tells"].boolean();
  if (node.has("secured")) m.secured = node["secured"].boolean();
  return m;
}

IscModel isc(const JsonNode& node) {
  node.onlyKnown({"rows", "width", "address_bits", "program", "increments", "volatile", "needs_erase", "self_timed",
                  "checked", "blank", "seconds"});
  IscModel m;
  m.rows = numberUpTo(node["rows"], 1, 1u << 20);
  m.width = numberUpTo(node["width"], 1, 1u << 24);
  if (node.has("address_bits")) m.addressBits = numberUpTo(node["address_bits"], 1, 32);
  if (node.has("program")) {
    const std::map<std::string, IscModel::Program> ways{
        {"latch", IscModel::Program::Latch}, {"row", IscModel::Program::Row}, {"array", IscModel::Program::Array}};
    const auto way = ways.find(node["program"].string());
    if (way == ways.end()) node["program"].fail("should be latch, row or array");
    m.program = way->second;
  }
  const auto flag = [&](const char* key, bool& value) {
    if (node.has(key)) value = node[key].boolean();
  };
  flag("increments", m.increments);
  flag("volatile", m.isVolatile);
  flag("needs_erase", m.needsErase);
  flag("self_timed", m.selfTimed);
  flag("checked", m.checked);
  if (node.has("blank")) m.blank = numberUpTo(node["blank"], 0, 1) == 1;
  if (node.has("seconds")) {
    const JsonNode s = node["seconds"];
    s.onlyKnown({"enable", "disable", "erase", "program", "read"});
    const auto time = [&](const char* key, double& value) {
      if (s.has(key)) value = s[key].real();
    };
    time("enable", m.enableSeconds);
    time("disable", m.disableSeconds);
    time("erase", m.eraseSeconds);
    time("program", m.programSeconds);
    time("read", m.readSeconds);
  }
  if (m.rows * m.width > 1u << 27) node.fail("so many cells are a slip");
  return m;
}

}  // namespace

std::optional<Role> roleNamed(const std::string& name) {
  static const std::map<std::string, Role> roles{{"usercode", Role::Usercode},
                                                 {"fabric-clear", Role::FabricClear},
                                                 {"fabric-load", Role::FabricLoad},
                                                 {"fabric-start", Role::FabricStart},
                                                 {"fabric-status", Role::FabricStatus},
                                                 {"fabric-reload", Role::FabricReload},
                                                 {"isc-enable", Role::IscEnable},
                                                 {"isc-disable", Role::IscDisable},
                                                 {"isc-erase", Role::IscErase},
                                                 {"isc-program", Role::IscProgram},
                                                 {"isc-read", Role::IscRead},
                                                 {"isc-address", Role::IscAddress},
                                                 {"isc-data", Role::IscData},
                                                 {"isc-status", Role::IscStatus},
                                                 {"isc-program-usercode", Role::IscUsercode},
                                                 {"isc-program-done", Role::IscDone},
                                                 {"isc-program-security", Role::IscSecurity},
                                                 {"isc-noop", Role::IscNoop},
                                                 {"dpacc", Role::Dpacc},
                                                 {"apacc", Role::Apacc},
                                                 {"abort", Role::DpAbort}};
  const auto found = roles.find(name);
  return found == roles.end() ? std::nullopt : std::optional(found->second);
}

LogicEntry readLogic(const JsonNode& device, const std::string& name, std::uint32_t idcode) {
  LogicEntry entry;
  if (device.has("fabric") && device.has("isc")) device["isc"].fail("a part has a fabric or cells, not both");
  if (device.has("core") && (device.has("fabric") || device.has("isc")))
    device["core"].fail("a part with a debug port has neither fabric nor cells");
  if (device.has("fabric")) {
    entry.fabric = fabric(device["fabric"].object(), entry);
    entry.fabric->name = name;
    entry.fabric->idcode = idcode;
  }
  if (device.has("isc")) {
    entry.isc = isc(device["isc"].object());
    entry.isc->name = name;
    entry.isc->idcode = idcode;
  }
  return entry;
}

}  // namespace imprimo::sim
