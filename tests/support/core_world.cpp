// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/core_world.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "core/probe/dap/dap_probe.h"
#include "core/store/copy_store.h"
#include "core/store/file_records.h"
#include "core/store/folder_notes.h"
#include "tests/support/loop_transport.h"

namespace imprimo::test {

Bytes algorithmAt(std::uint32_t address) {
  Bytes elf = readFile(std::string(IMPRIMO_DEMO) + "/float/beck_k0.flm");
  const std::string name = "Beck K0 256 KiB";
  const auto found = std::search(elf.begin(), elf.end(), name.begin(), name.end());
  for (int i = 0; i < 4; ++i) found[130 + i] = static_cast<std::uint8_t>(address >> (8 * i));
  return elf;
}

Bytes firmware(std::initializer_list<std::uint16_t> code) {
  Bytes bytes(0x200, 0);
  const auto word = [&](std::size_t at, std::uint32_t value) {
    for (unsigned i = 0; i < 4; ++i) bytes[at + i] = static_cast<std::uint8_t>(value >> (8 * i));
  };
  word(0, 0x20004000);
  word(4, 0xC1);
  word(8, 0x81);
  word(12, 0x81);
  bytes[0x80] = 0xFE, bytes[0x81] = 0xE7;  // b .
  std::size_t at = 0xC0;
  for (const std::uint16_t halfword : code) {
    bytes[at++] = static_cast<std::uint8_t>(halfword);
    bytes[at++] = static_cast<std::uint8_t>(halfword >> 8);
  }
  return bytes;
}

CoreWorld::CoreWorld(CoreWorldOptions options) : options_(std::move(options)) {
  const CoreWorldOptions& o = options_;
  const std::string core = fmt::format(
      R"({{"name": "core", "flash_at": "0x{:x}", "flash": "256K", "sector": "4K", "ram": "16K",
          "times": {}{}}})",
      o.flashAt, o.times, o.core);
  const auto opcode = [&](const char* low) { return std::string(o.irLength - 4, '1') + low; };
  const std::string where =
      o.jtag ? fmt::format(R"("chain": [
 {{"name": "front", "ir_length": 8, "idcode": "0x0C64AFFD", "instructions": [{{"opcode": "00000110", "register": "idcode"}}]}},
 {{"name": "port", "ir_length": {}, "idcode": "0x0BA0AFFB", "core": {},
   "instructions": [{{"opcode": "{}", "register": "abort"}}, {{"opcode": "{}", "register": "dpacc"}},
                    {{"opcode": "{}", "register": "apacc"}}, {{"opcode": "{}", "register": "idcode"}}]}},
 {{"name": "back", "ir_length": 6, "idcode": "0x1F40AFFD", "instructions": [{{"opcode": "001001", "register": "idcode"}}]}}])",
                           o.irLength, core, opcode("1000"), opcode("1010"), opcode("1011"), opcode("1110"))
             : "\"core\": " + core;
  const std::string bench =
      fmt::format(R"({{"imprimo_bench": 1, "probe": {{"packet_size": {}, "packet_count": {}{}}}, {}}})", o.packetSize,
                  o.packetCount, o.probe, where);
  const std::string card = fmt::format(
      R"({{"core_card": 1, "name": "BECK_K0", "identity": [{}],
 "regions": [{{"name": "program", "kind": "flash", "from": "0x{:x}", "size": "0x40000", "algorithm": "a.flm"}},
             {{"name": "sram", "kind": "ram", "from": "0x20000000", "size": "{}"}}]{}}})",
      o.identity, o.flashAt, o.ram, o.card);
  const std::string text = fmt::format(
      R"({{"imprimo": 1, "title": "A core", "probe": {{"clock": {}}},{}
 "cores": [{{"name": "core", {}, {}{}}}],
 "memories": [{{"name": "program", "type": "core-flash", "route": {{"via": "core", "core": "core", "region": "program"}}}}{}]{}}})",
      o.clock,
      o.jtag ? fmt::format(R"("chain": [{{"name": "front", "ir_length": 8}}, {{"name": "port", "ir_length": {}}},
 {{"name": "back", "ir_length": 6}}],)",
                           o.irLength)
             : "",
      o.jtag ? R"("port": "jtag", "device": "port")" : R"("port": "swd")", o.described, o.coreKeys, o.memories,
      o.sheet);
  writeFileAtomically(path("a.flm").toStdString(), o.algorithm.empty() ? algorithmAt(o.flashAt) : o.algorithm);
  writeFileAtomically(path("card.json").toStdString(), card);
  writeFileAtomically(path("sheet.imprimo").toStdString(), text);
  for (const auto& [name, bytes] : o.files) writeFileAtomically(path(name.c_str()).toStdString(), bytes);
  sim_ = sim::parseBench(bench, path("bench.json").toStdString());
  sheet_ = sheet::readSheet(path("sheet.imprimo").toStdString());
}

bench::Bench& CoreWorld::bench() {
  if (!bench_) {
    probe::ProbeOptions settings = atClock(options_.clock);
    settings.wires = options_.jtag ? probe::Wires::Jtag : probe::Wires::Swd;
    bench_ = std::make_unique<bench::Bench>(
        sheet_, std::make_unique<probe::DapProbe>(std::make_unique<LoopTransport>(*sim_), settings));
  }
  return *bench_;
}

run::Record CoreWorld::carryOut(const plan::Wanted& wanted, std::stop_token stop, run::RunObserver* observer) {
  store::CopyStore backups(path("copies").toStdString());
  store::FileRecordSink records(path("records").toStdString());
  store::FolderNotes notes(path("unfinished").toStdString());
  run::RunObserver nobody;
  return *run::carryOut(wanted, bench(), {backups, records, notes}, observer != nullptr ? *observer : nobody,
                        std::move(stop));
}

plan::Wanted CoreWorld::wanted(plan::Task task, const MemoryImage& image) const {
  plan::Wanted wanted;
  wanted.task = task;
  wanted.memory = "program";
  wanted.image = image;
  wanted.keep = sheet_.keptIn("program");
  wanted.onlySwd = !options_.jtag;
  wanted.restart = sheet_.restartAfter;
  return wanted;
}

void CoreWorld::pass(double seconds) {
  sim_->board().advance(sim::fromSeconds(seconds));
  chip().advance(sim_->board().now());
}

}  // namespace imprimo::test
