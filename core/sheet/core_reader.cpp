// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/sheet/core_reader.h"

#include <fmt/format.h>

#include "core/sheet/sheet_keys.h"

namespace imprimo::sheet {
namespace {

/// One that stands before it in the sheet, so that none waits for itself.
CoreEntry::StartedBy startedBy(const JsonNode& node, const std::vector<CoreEntry>& before) {
  node.onlyKnown(keyNames("cores[].started_by"));
  CoreEntry::StartedBy by;
  by.core = node["core"].string();
  const std::uint64_t at = node["at"].number(), value = node["value"].number();
  if (at > UINT32_MAX || at % 4 != 0) node["at"].fail("should be an address of 32 bits, a multiple of 4");
  if (value > UINT32_MAX) node["value"].fail("should have at most 32 bits");
  by.at = static_cast<std::uint32_t>(at);
  by.value = static_cast<std::uint32_t>(value);
  for (const CoreEntry& other : before) {
    if (other.name == by.core) return by;
  }
  node["core"].fail(fmt::format("no core before this one is named {}", by.core));
}

WordWish wordWish(const JsonNode& node) {
  node.onlyKnown(keyNames("cores[].words[]"));
  WordWish wish;
  wish.word = node["word"].string();
  if (node.has("field")) wish.field = node["field"].string();
  const std::uint64_t value = node["value"].number();
  if (value > UINT32_MAX) node["value"].fail("should have at most 32 bits");
  wish.value = static_cast<std::uint32_t>(value);
  if (node.has("permanent")) wish.permanent = node["permanent"].boolean();
  return wish;
}

void coreDescription(const JsonNode& node, CoreEntry& core) {
  if (node.has("chip")) {
    const JsonNode chip = node["chip"];
    chip.onlyKnown(keyNames("cores[].chip"));
    core.chip = CoreEntry::Chip{chip["pack"].string(), chip["name"].string()};
    core.cardFrom = {chip.where()};
    if (!node.has("card")) return;
  }
  core.card = node["card"].string();
  core.cardFrom = {node["card"].where()};
}

void corePort(const CoreText& text, CoreEntry& core) {
  const JsonNode& node = text.node;
  const std::string port = node["port"].string();
  if (port != "swd" && port != "jtag") node["port"].fail("should be \"swd\" or \"jtag\"");
  if (port == "jtag") {
    core.port = CoreEntry::Port::Jtag;
    core.position = text.position(node["device"]);
    if (node.has("target")) node["target"].fail("chooses one of several on SWD; on a chain \"device\" does it");
    return;
  }
  if (node.has("device")) node["device"].fail("is for a core on JTAG; on SWD there is none");
  if (!node.has("target")) return;
  const std::uint64_t target = node["target"].number();
  if (target > UINT32_MAX || (target & 1) == 0)
    node["target"].fail("should be a value for TARGETSEL: 32 bits, of which the lowest is 1");
  core.target = static_cast<std::uint32_t>(target);
}

CoreEntry::Connect connectWay(const JsonNode& node) {
  if (node.string() == "normal") return CoreEntry::Connect::Normal;
  if (node.string() == "under-reset") return CoreEntry::Connect::UnderReset;
  if (node.string() == "running") return CoreEntry::Connect::Running;
  node.fail("should be \"normal\", \"under-reset\" or \"running\"");
}

}  // namespace

CoreEntry readCore(const CoreText& text) {
  const JsonNode& node = text.node;
  text.note(node, "cores[]");
  CoreEntry core;
  core.name = node["name"].string();
  for (const CoreEntry& other : text.before) {
    if (other.name == core.name) node["name"].fail(fmt::format("there are two cores named {}", core.name));
  }
  corePort(text, core);
  coreDescription(node, core);
  if (node.has("ap")) {
    const std::uint64_t ap = node["ap"].number();
    if (ap > UINT32_MAX || (ap > 0xFF && ap % 0x1000 != 0))
      node["ap"].fail("should be the number of an access port, 0 to 255, or its address, a multiple of 0x1000");
    core.accessPort = static_cast<std::uint32_t>(ap);
  }
  if (node.has("connect")) core.connect = connectWay(node["connect"]);
  if (node.has("words")) {
    for (const JsonNode& each : node["words"].elements()) core.words.push_back(wordWish(each));
  }
  if (node.has("lock")) core.lock = node["lock"].boolean();
  if (node.has("started_by")) core.startedBy = startedBy(node["started_by"], text.before);
  if (node.has("console")) core.console = readSpeech(node["console"].object(), text.note);
  return core;
}

}  // namespace imprimo::sheet
