// SPDX-License-Identifier: GPL-3.0-or-later
#include <map>
#include "core/base/input_file.h"

#include "sim/bench.h"
#include "sim/core/core_reader.h"
#include "sim/core/jtag_debug_port.h"
#include "sim/fault_reader.h"
#include "sim/json_help.h"
#include "sim/logic_reader.h"
#include "sim/pins/pins_reader.h"

namespace imprimo::sim {
namespace {

using Kind = FlashFault::Kind;

std::uint64_t bits(const JsonNode& node, std::size_t length) {
  const std::string text = node.string();
  if (text.size() != length) node.fail(fmt::format("should have {} bits", length));
  std::uint64_t value = 0;
  for (const char c : text) {
    if (c != '0' && c != '1') node.fail("bits are 0 and 1");
    value = value << 1 | (c == '1');
  }
  return value;
}

ProbeModel probe(const JsonNode& node) {
  node.onlyKnown({"vendor", "product", "serial", "packet_size", "packet_count", "latency_us", "atomic_commands", "swd",
                  "jtag", "delay", "lowest_clock", "highest_clock", "swo"});
  ProbeModel model;
  if (node.has("vendor")) model.vendor = node["vendor"].string();
  if (node.has("product")) model.product = node["product"].string();
  if (node.has("serial")) model.serial = node["serial"].string();
  if (node.has("packet_size")) model.packetSize = numberUpTo(node["packet_size"], 64, 4096);
  if (node.has("packet_count")) model.packetCount = numberUpTo(node["packet_count"], 1, 16);
  if (node.has("latency_us")) model.latency = node["latency_us"].real() * 1e-6;
  if (node.has("atomic_commands")) model.executesSeveral = node["atomic_commands"].boolean();
  if (node.has("swd")) model.swd = node["swd"].boolean();
  if (node.has("jtag")) model.jtag = node["jtag"].boolean();
  if (node.has("delay")) {
    const std::map<std::string, ProbeModel::Delay> kinds{{"waits", ProbeModel::Delay::Waits},
                                                         {"passes-no-time", ProbeModel::Delay::PassesNoTime},
                                                         {"unknown", ProbeModel::Delay::Unknown}};
    const auto kind = kinds.find(node["delay"].string());
    if (kind == kinds.end()) node["delay"].fail("should be waits, passes-no-time or unknown");
    model.delay = kind->second;
  }
  if (node.has("swo")) {
    const JsonNode swo = node["swo"].object();
    swo.onlyKnown({"uart", "manchester", "room", "clock", "highest"});
    model.swo.emplace();
    if (swo.has("uart")) model.swo->uart = swo["uart"].boolean();
    if (swo.has("manchester")) model.swo->manchester = swo["manchester"].boolean();
    if (swo.has("room")) model.swo->room = static_cast<std::uint32_t>(numberUpTo(swo["room"], 64, 1u << 20));
    if (swo.has("clock")) model.swo->clock = static_cast<std::uint32_t>(numberUpTo(swo["clock"], 1000, 400'000'000));
    if (swo.has("highest"))
      model.swo->highest = static_cast<std::uint32_t>(numberUpTo(swo["highest"], 1000, 100'000'000));
  }
  constexpr std::uint64_t kMostHz = 100'000'000;
  if (node.has("lowest_clock"))
    model.lowestClock = static_cast<std::uint32_t>(numberUpTo(node["lowest_clock"], 1, kMostHz));
  if (node.has("highest_clock"))
    model.highestClock = static_cast<std::uint32_t>(numberUpTo(node["highest_clock"], model.lowestClock, kMostHz));
  return model;
}

/// "C3": the high byte's bit 3, D the low byte's.
int pin(const JsonNode& node) {
  const std::string name = node.string();
  if (name.size() != 2 || (name[0] != 'C' && name[0] != 'D') || name[1] < '0' || name[1] > '7') {
    node.fail("should be D4 to D7 or C0 to C7");
  }
  return (name[0] == 'C' ? 8 : 0) + (name[1] - '0');
}

MpsseWiring wiring(const JsonNode& node) {
  node.onlyKnown({"reset", "reset_level", "enable", "enable_level", "buffer", "swd", "swd_enable", "swd_enable_level"});
  MpsseWiring w;
  if (node.has("reset")) w.resetPin = pin(node["reset"]);
  if (node.has("reset_level")) w.resetLevel = numberUpTo(node["reset_level"], 0, 1) != 0;
  if (node.has("enable")) w.enablePin = pin(node["enable"]);
  if (node.has("enable_level")) w.enableLevel = numberUpTo(node["enable_level"], 0, 1) != 0;
  if (node.has("swd")) w.swd = node["swd"].boolean();
  if (node.has("swd_enable")) w.swdEnablePin = pin(node["swd_enable"]);
  if (node.has("swd_enable_level")) w.swdEnableLevel = numberUpTo(node["swd_enable_level"], 0, 1) != 0;
  if (node.has("buffer")) w.buffer = numberUpTo(node["buffer"], 64, 65536);
  return w;
}

BusyTime busyTime(const JsonNode& node) {
  const auto pair = node.elements();
  if (pair.size() != 2) node.fail("should be [typical, longest] in seconds");
  return {pair[0].real(), pair[1].real()};
}

FlashFault fault(const JsonNode& node) {
  node.onlyKnown({"kind", "at", "to", "mask", "every"});
  const std::string name = node["kind"].string();
  FlashFault f;
  if (name == "stuck-block") {
    f.kind = Kind::StuckErased;
  } else if (name == "stuck-low") {
    f.kind = Kind::StuckLow;
  } else if (name == "stuck-high") {
    f.kind = Kind::StuckHigh;
  } else if (name == "slow-page") {
    f.kind = Kind::SlowPage;
    f.every = static_cast<unsigned>(numberUpTo(node["every"], 1, 1u << 30));
  } else if (name == "jitter") {
    f.kind = Kind::Jitter;
  } else if (name == "silent-lock") {
    f.kind = Kind::SilentLock;
    f.to = node["to"].number();
  } else if (name == "never-ready") {
    f.kind = Kind::NeverReady;
  } else {
    node["kind"].fail("is no fault that can be built in");
  }
  if (node.has("at")) f.at = node["at"].number();
  if (node.has("mask")) f.mask = static_cast<unsigned>(numberUpTo(node["mask"], 0, 255));
  return f;
}

FlashModel::FourByte fourByte(const JsonNode& node) {
  using FourByte = FlashModel::FourByte;
  const std::map<std::string, FourByte> ways{{"command", FourByte::Command},
                                             {"write-enable-command", FourByte::EnableThenCommand},
                                             {"own-commands", FourByte::OwnCommands},
                                             {"segment-register", FourByte::SegmentRegister},
                                             {"bank-register", FourByte::BankRegister},
                                             {"always", FourByte::Always}};
  const auto way = ways.find(node.string());
  if (way == ways.end()) node.fail("is no way to 4-byte addresses");
  return way->second;
}

FlashModel::Region region(const JsonNode& node) {
  node.onlyKnown({"from", "erase"});
  FlashModel::Region r{node["from"].number(), 0};
  for (const JsonNode& size : node["erase"].elements()) {
    const std::uint64_t bytes = size.number();
    if (bytes != 4096 && bytes != 32768 && bytes != 65536) size.fail("should be 4K, 32K or 64K");
    r.erases |= bytes == 4096 ? 1u : bytes == 32768 ? 2u : 4u;
  }
  return r;
}

/// What not every part has.
void peculiarities(FlashModel& m, const JsonNode& node) {
  if (node.has("four_byte")) m.fourByte = fourByte(node["four_byte"]);
  if (node.has("tells_four_byte")) m.tellsFourByte = node["tells_four_byte"].boolean();
  if (node.has("regions")) {
    for (const JsonNode& r : node["regions"].elements()) {
      m.regions.push_back(region(r));
      const std::uint64_t after = m.regions.size() == 1 ? 0 : m.regions[m.regions.size() - 2].begin + 1;
      const std::uint64_t begin = m.regions.back().begin;
      if ((m.regions.size() == 1) != (begin == 0) || begin < after || begin >= m.size || begin % 4096 != 0)
        r.fail("regions follow one another, the first from 0, each at whole 4 KiB");
    }
  }
  if (node.has("one_map")) m.oneMap = node["one_map"].boolean();
  if (node.has("second_status")) m.twoRegisters = node["second_status"].boolean();
  if (node.has("protect_pin_low")) m.protectPinLow = node["protect_pin_low"].boolean();
  if (node.has("lines")) {
    m.lines = static_cast<unsigned>(numberUpTo(node["lines"], 1, 4));
    if (m.lines == 3) node["lines"].fail("should be 1, 2 or 4");
  }
  if (node.has("asleep")) m.asleep = node["asleep"].boolean();
  if (node.has("unique_id")) {
    const std::uint64_t id = node["unique_id"].number();
    for (int shift = 56; shift >= 0; shift -= 8) m.uniqueId.push_back(static_cast<std::uint8_t>(id >> shift));
  }
}

FlashModel flash(const JsonNode& node) {
  node.onlyKnown({"name",
                  "id",
                  "bank",
                  "size",
                  "page",
                  "sfdp",
                  "erase_32k",
                  "times",
                  "pace",
                  "faults",
                  "contents",
                  "status",
                  "four_byte",
                  "tells_four_byte",
                  "regions",
                  "second_status",
                  "protect_pin_low",
                  "asleep",
                  "unique_id",
                  "one_map",
                  "lines"});
  FlashModel m;
  m.name = node["name"].string();
  const std::uint64_t id = numberUpTo(node["id"], 0, 0xFFFFFF);
  m.maker = static_cast<std::uint8_t>(id >> 16);
  m.device = static_cast<std::uint16_t>(id);
  if (node.has("bank")) m.bank = static_cast<unsigned>(numberUpTo(node["bank"], 1, 16));
  m.size = numberUpTo(node["size"], 65536, 1ull << 32);
  if (node.has("page")) m.page = static_cast<std::uint32_t>(numberUpTo(node["page"], 1, 65536));
  if ((m.page & (m.page - 1)) != 0 || m.size % 65536 != 0)
    node.fail("a page is a power of two, a size whole 64 KiB blocks");
  if (node.has("sfdp")) {
    const std::string kind = node["sfdp"].string();
    const std::map<std::string, FlashModel::Sfdp> kinds{{"full", FlashModel::Sfdp::Full},
                                                        {"newest", FlashModel::Sfdp::Newest},
                                                        {"first-edition", FlashModel::Sfdp::FirstEdition},
                                                        {"none", FlashModel::Sfdp::None}};
    if (!kinds.contains(kind)) node["sfdp"].fail("should be full, newest, first-edition or none");
    m.sfdp = kinds.at(kind);
  }
  peculiarities(m, node);
  if (node.has("erase_32k")) m.has32K = node["erase_32k"].boolean();
  if (node.has("pace")) m.pace = node["pace"].real();
  if (node.has("times")) {
    const JsonNode times = node["times"];
    times.onlyKnown({"page", "4K", "32K", "64K", "chip"});
    if (times.has("page")) m.pageProgram = busyTime(times["page"]);
    if (times.has("4K")) m.erase4K = busyTime(times["4K"]);
    if (times.has("32K")) m.erase32K = busyTime(times["32K"]);
    if (times.has("64K")) m.erase64K = busyTime(times["64K"]);
    if (times.has("chip")) m.eraseChip = busyTime(times["chip"]);
  }
  if (node.has("faults")) {
    for (const JsonNode& f : node["faults"].elements()) m.faults.push_back(fault(f));
  }
  return m;
}

void fillFlash(SpiFlash& flash, const JsonNode& node, const std::filesystem::path& folder) {
  if (node.has("status")) flash.setStatus(static_cast<std::uint8_t>(numberUpTo(node["status"], 0, 255)));
  if (!node.has("contents")) return;
  for (const JsonNode& entry : node["contents"].elements()) {
    entry.onlyKnown({"file", "at", "bits"});
    const std::uint64_t at = entry["at"].number();
    const bool reversed = entry.has("bits") && entry["bits"].string() == "reversed";
    const Bytes bytes = readFile(folder / entry["file"].string());
    if (at > flash.model().size || bytes.size() > flash.model().size - at) entry.fail("does not fit into the flash");
    for (std::size_t i = 0; i < bytes.size(); ++i)
      flash.cells().set(at + i, reversed ? reverseBits(bytes[i]) : bytes[i]);
  }
}

const std::map<std::string, BoundaryMode>& boundaryModes() {
  static const std::map<std::string, BoundaryMode> kModes{{"sample", BoundaryMode::Sample},
                                                          {"preload", BoundaryMode::Preload},
                                                          {"sample-preload", BoundaryMode::SamplePreload},
                                                          {"extest", BoundaryMode::Extest}};
  return kModes;
}

DeviceInstruction instruction(const JsonNode& node, std::size_t irLength) {
  node.onlyKnown({"name", "opcode", "register"});
  DeviceInstruction i;
  if (node.has("name")) i.name = node["name"].string();
  i.opcode = bits(node["opcode"], irLength);
  const JsonNode selects = node["register"];
  if (selects.isNumber()) {
    i.selects = DeviceInstruction::Register::Plain;
    i.length = numberUpTo(selects, 1, 1u << 20);
  } else if (selects.string() == "idcode") {
    i.selects = DeviceInstruction::Register::Idcode;
  } else if (selects.string() == "bridge") {
    i.selects = DeviceInstruction::Register::Bridge;
  } else if (const auto mode = boundaryModes().find(selects.string()); mode != boundaryModes().end()) {
    i.selects = DeviceInstruction::Register::Boundary;
    i.mode = mode->second;
  } else if (const auto role = roleNamed(selects.string())) {
    i.selects = DeviceInstruction::Register::Logic;
    i.role = *role;
  } else if (selects.string() != "bypass") {
    selects.fail(
        "should be bypass, idcode, bridge, sample, preload, sample-preload, extest, usercode, fabric-…, isc-…, dpacc, "
        "apacc or abort, or a number of cells");
  }
  return i;
}

DeviceEntry device(const JsonNode& node, const std::filesystem::path& folder, Board& board) {
  node.onlyKnown({"name", "ir_length", "ir_capture", "idcode", "instructions", "bridge", "bridge_marks", "fabric",
                  "isc", "core", "boundary"});
  DeviceModel m;
  m.name = node["name"].string();
  m.irLength = numberUpTo(node["ir_length"], 2, 64);
  if (node.has("ir_capture")) m.irCapture = bits(node["ir_capture"], m.irLength);
  if (node.has("idcode")) m.idcode = static_cast<std::uint32_t>(numberUpTo(node["idcode"], 0, UINT32_MAX));
  if (node.has("instructions")) {
    for (const JsonNode& i : node["instructions"].elements()) m.instructions.push_back(instruction(i, m.irLength));
  }
  const auto needFlash = [&](const JsonNode& named) {
    for (const auto& flash : board.flashes()) {
      if (flash->model().name == named.string()) return named.string();
    }
    named.fail("the bench has no flash of that name");
  };
  std::string bridgeTo;
  if (node.has("bridge")) bridgeTo = needFlash(node["bridge"]);
  if (node.has("fabric") && node["fabric"].has("flash")) needFlash(node["fabric"]["flash"]);
  LogicEntry logic = readLogic(node, m.name, m.idcode.value_or(0));
  if (node.has("core")) logic.core = readCore(node["core"], folder, board, false);
  const bool marks = !node.has("bridge_marks") || node["bridge_marks"].boolean();
  std::optional<BoundaryModel> boundary;
  if (node.has("boundary")) boundary = readBoundary(node["boundary"].object(), m.name);
  return {std::move(m), bridgeTo, std::move(logic), marks, std::move(boundary)};
}

std::unique_ptr<DeviceLogic> makeLogic(LogicEntry&& entry, Board& board) {
  if (entry.core) return std::make_unique<JtagDebugPort>(board.debugPort(*entry.core));
  if (entry.isc) return std::make_unique<IscCells>(std::move(*entry.isc), board.violations());
  if (!entry.fabric) return nullptr;
  SpiFlash* flash = entry.flash.empty() ? nullptr : &board.flash(entry.flash);
  return std::make_unique<Fabric>(std::move(*entry.fabric), flash, board.violations());
}

}  // namespace

std::unique_ptr<Bench> parseBench(std::string_view text, const std::filesystem::path& path) {
  const JsonText json = JsonText::parse(text, path.string());
  const JsonNode root(json);
  root.onlyKnown({"imprimo_bench", "title", "probe", "mpsse", "chain", "core", "cores", "flashes", "faults",
                  "examine_only", "nets", "parallel_flashes"});
  if (root["imprimo_bench"].number() != 1) root["imprimo_bench"].fail("this program reads benches of version 1");
  auto board = std::make_unique<Board>();
  if (root.has("flashes")) {
    for (const JsonNode& node : root["flashes"].elements()) {
      board->addFlash(flash(node));
      fillFlash(*board->flashes().back(), node, path.parent_path());
    }
  }
  if (root.has("parallel_flashes")) {
    for (const JsonNode& node : root["parallel_flashes"].elements()) board->addParallelFlash(readParallelFlash(node));
  }
  std::vector<DeviceEntry> devices;
  if (root.has("chain") || (!root.has("core") && !root.has("cores"))) {
    for (const JsonNode& node : root["chain"].elements()) devices.push_back(device(node, path.parent_path(), *board));
  }
  if (root.has("core")) readCore(root["core"], path.parent_path(), *board, true);
  if (root.has("cores")) {
    for (const JsonNode& node : root["cores"].elements()) readCore(node, path.parent_path(), *board, true);
  }
  if (root.has("faults")) readBoardFaults(root["faults"], devices, *board);
  for (DeviceEntry& entry : devices) {
    TapDevice& device = board->addDevice(std::move(entry.model), entry.bridgeTo);
    device.setLogic(makeLogic(std::move(entry.logic), *board));
    if (entry.boundary) {
      device.setBoundary(std::make_unique<BoundaryScan>(std::move(*entry.boundary), board->violations()));
      board->nets().addDevice(*device.boundary());
    }
    if (device.bridge() != nullptr && !entry.marks) device.bridge()->withoutMarks();
  }
  if (root.has("nets")) readNets(root["nets"], *board);
  if (root.has("examine_only") && root["examine_only"].boolean()) board->onlyExamine();
  return std::make_unique<Bench>(root.has("probe") ? probe(root["probe"]) : ProbeModel{}, std::move(board),
                                 root.has("mpsse") ? wiring(root["mpsse"]) : MpsseWiring{});
}

std::unique_ptr<Bench> readBench(const std::filesystem::path& path) {
  return parseBench(readTextFile(path, kListFile), path);
}

}  // namespace imprimo::sim
