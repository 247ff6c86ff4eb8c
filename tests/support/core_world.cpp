// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/core_world.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "core/probe/dap_probe.h"
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

CoreWorld::CoreWorld(CoreWorldOptions options) : options_(std::move(options)) {
  const CoreWorldOptions& o = options_;
  const std::string bench = fmt::format(
      R"({{"imprimo_bench": 1, "probe": {{"packet_size": {}, "packet_count": {}{}}},
 "core": {{"name": "core", "flash_at": "0x{:x}", "flash": "256K", "sector": "4K", "ram": "16K",
          "times": {{"sector": 0.002, "all": 0.01, "word": 0.000002}}{}}}}})",
      o.packetSize, o.packetCount, o.probe, o.flashAt, o.core);
  const std::string card = fmt::format(
      R"({{"core_card": 1, "name": "BECK_K0", "identity": [{}],
 "regions": [{{"name": "program", "kind": "flash", "from": "0x{:x}", "size": "0x40000", "algorithm": "a.flm"}},
             {{"name": "sram", "kind": "ram", "from": "0x20000000", "size": "{}"}}]}})",
      o.identity, o.flashAt, o.ram);
  const std::string text = fmt::format(
      R"({{"imprimo": 1, "title": "A core", "probe": {{"clock": {}}},
 "cores": [{{"name": "core", "port": "swd", "card": "card.json"{}}}],
 "memories": [{{"name": "program", "type": "core-flash", "route": {{"via": "core", "core": "core", "region": "program"}}}}]{}}})",
      o.clock, o.coreKeys, o.sheet);
  writeFileAtomically(path("a.flm").toStdString(), o.algorithm.empty() ? algorithmAt(o.flashAt) : o.algorithm);
  writeFileAtomically(path("card.json").toStdString(), card);
  writeFileAtomically(path("sheet.imprimo").toStdString(), text);
  sim_ = sim::parseBench(bench, path("bench.json").toStdString());
  sheet_ = sheet::readSheet(path("sheet.imprimo").toStdString());
}

bench::Bench& CoreWorld::bench() {
  if (!bench_) {
    probe::ProbeOptions settings = atClock(options_.clock);
    settings.wires = probe::Wires::Swd;
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
  wanted.onlySwd = true;
  wanted.restart = sheet_.restartAfter;
  return wanted;
}

void CoreWorld::pass(double seconds) {
  sim_->board().advance(sim::fromSeconds(seconds));
  chip().advance(sim_->board().now());
}

}  // namespace imprimo::test
