// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/core/core_reader.h"

#include <algorithm>

#include "core/base/input_file.h"
#include "sim/json_help.h"

namespace imprimo::sim {
namespace {

std::uint32_t word(const JsonNode& node) {
  return static_cast<std::uint32_t>(numberUpTo(node, 0, UINT32_MAX));
}

SwoModel swo(const JsonNode& node, std::uint32_t hz) {
  node.onlyKnown({"clock", "drift", "drift_s", "pin_off"});
  SwoModel m;
  m.hz = node.has("clock") ? static_cast<std::uint32_t>(numberUpTo(node["clock"], 1000, 400'000'000)) : hz;
  if (node.has("drift")) m.drift = node["drift"].real();
  if (node.has("drift_s")) m.driftTime = node["drift_s"].real();
  if (!(m.drift > -0.5 && m.drift < 0.5 && m.driftTime > 0)) node.fail("a drift is a share, in some time");
  if (node.has("pin_off")) m.pinOff = node["pin_off"].boolean();
  return m;
}

CoreModel model(const JsonNode& node) {
  CoreModel m;
  m.name = node["name"].string();
  if (node.has("flash_at")) m.flashAt = word(node["flash_at"]);
  if (node.has("flash")) m.flashSize = static_cast<std::uint32_t>(numberUpTo(node["flash"], 1024, 16u << 20));
  if (node.has("sector")) m.sector = static_cast<std::uint32_t>(numberUpTo(node["sector"], 256, 1u << 20));
  if (m.sector == 0 || m.flashSize % m.sector != 0) node.fail("the flash has whole sectors");
  if (node.has("ram_at")) m.ramAt = word(node["ram_at"]);
  if (node.has("ram")) m.ramSize = static_cast<std::uint32_t>(numberUpTo(node["ram"], 256, 16u << 20));
  if (node.has("clock")) m.hz = static_cast<std::uint32_t>(numberUpTo(node["clock"], 1000, 200'000'000));
  if (node.has("watchdog_ms")) m.watchdog = node["watchdog_ms"].real() * 1e-3;
  if (node.has("identity")) m.identity = word(node["identity"]);
  if (node.has("outside")) {
    const JsonNode outside = node["outside"].object();
    outside.onlyKnown({"at", "size", "times"});
    m.outside.emplace();
    if (outside.has("at")) m.outside->at = word(outside["at"]);
    if (outside.has("size"))
      m.outside->size = static_cast<std::uint32_t>(numberUpTo(outside["size"], 0x1000, 16u << 20));
    if (outside.has("times")) {
      const JsonNode times = outside["times"];
      times.onlyKnown({"sector", "page"});
      if (times.has("sector")) m.outside->eraseSector = times["sector"].real();
      if (times.has("page")) m.outside->programPage = times["page"].real();
    }
  }
  if (node.has("swo")) m.swo = swo(node["swo"].object(), m.hz);
  if (node.has("uart")) m.uart = static_cast<std::uint32_t>(numberUpTo(node["uart"], 50, 12'000'000));
  if (node.has("words_at")) m.wordsAt = word(node["words_at"]);
  if (node.has("locked")) m.locked = node["locked"].boolean();
  if (node.has("lock_silences")) m.lockSilences = node["lock_silences"].boolean();
  if (node.has("times")) {
    const JsonNode times = node["times"];
    times.onlyKnown({"sector", "all", "word"});
    if (times.has("sector")) m.eraseSector = times["sector"].real();
    if (times.has("all")) m.eraseAll = times["all"].real();
    if (times.has("word")) m.programWord = times["word"].real();
  }
  return m;
}

DebugPortModel port(const JsonNode& node) {
  DebugPortModel m;
  if (node.has("dpidr")) m.dpidr = word(node["dpidr"]);
  if (node.has("target")) m.targetId = word(node["target"]);
  if (node.has("power_up_us")) m.powerUp = node["power_up_us"].real() * 1e-6;
  if (node.has("base")) m.base = word(node["base"]);
  if (node.has("access_us")) m.accessTime = node["access_us"].real() * 1e-6;
  if (node.has("shared")) m.shared = node["shared"].boolean();
  if (node.has("instance")) m.instance = static_cast<unsigned>(numberUpTo(node["instance"], 0, 15));
  if (node.has("dormant")) m.dormant = node["dormant"].boolean();
  if (node.has("packed")) m.packs = node["packed"].boolean();
  if (node.has("wait_every")) m.waitEvery = static_cast<unsigned>(numberUpTo(node["wait_every"], 0, 1u << 20));
  return m;
}

void fill(CoreChip& chip, const JsonNode& node, const std::filesystem::path& folder) {
  if (node.has("contents")) {
    for (const JsonNode& entry : node["contents"].elements()) {
      entry.onlyKnown({"file", "at"});
      const Bytes bytes = readFile(folder / entry["file"].string());
      const std::uint64_t at = entry["at"].number(), from = chip.model().flashAt;
      if (at < from || at - from > chip.flash().size() || bytes.size() > chip.flash().size() - (at - from))
        entry.fail("does not fit into the flash");
      std::copy(bytes.begin(), bytes.end(), chip.flash().begin() + static_cast<std::ptrdiff_t>(at - from));
    }
  }
  chip.core().reset(chip.isOff());
}

}  // namespace

std::size_t readCore(const JsonNode& node, const std::filesystem::path& folder, Board& board, bool onSwd) {
  node.onlyKnown({"name",     "flash_at",    "flash",     "sector",  "ram_at",        "ram",        "clock",
                  "identity", "times",       "dpidr",     "target",  "power_up_us",   "wait_every", "contents",
                  "base",     "watchdog_ms", "access_us", "shared",  "instance",      "dormant",    "packed",
                  "locked",   "words_at",    "second",    "outside", "lock_silences", "swo",        "uart"});
  const std::size_t index = board.addCore(model(node), port(node), onSwd);
  fill(board.chip(index), node, folder);
  if (node.has("second")) {
    const JsonNode second = node["second"].object();
    second.onlyKnown(
        {"name", "ap", "flash_at", "flash", "sector", "ram_at", "ram", "clock", "identity", "times", "contents"});
    const auto accessPort = static_cast<unsigned>(numberUpTo(second["ap"], 2, 255));
    fill(board.chip(board.addSecond(index, model(second), accessPort)), second, folder);
  }
  return index;
}

}  // namespace imprimo::sim
