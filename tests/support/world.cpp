// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/world.h"

#include <fmt/format.h>

#include "core/base/atomic_file.h"
#include "core/probe/dap/dap_probe.h"
#include "core/probe/mpsse/mpsse_probe.h"
#include "core/store/file_records.h"
#include "core/store/folder_notes.h"
#include "tests/support/loop_transport.h"

namespace imprimo::test {
namespace {

std::string bits(std::uint64_t value, unsigned count) {
  std::string text;
  for (unsigned i = count; i-- > 0;) text += (value >> i & 1) != 0 ? '1' : '0';
  return text;
}

constexpr std::uint64_t kIdcodeOp = 1, kFabricOp = 2;

std::string benchTextFor(const WorldOptions& o) {
  std::string chain;
  for (std::size_t i = 0; i < o.chain.size(); ++i) {
    const DeviceSpec& device = o.chain[i];
    std::string instructions;
    if (device.idcode)
      instructions = fmt::format(R"({{"opcode": "{}", "register": "idcode"}})", bits(kIdcodeOp, device.irLength));
    const bool fpga = i + 1 == o.fpga;
    if (fpga) {
      instructions += fmt::format(R"({}{{"opcode": "{}", "register": "bridge"}})", instructions.empty() ? "" : ", ",
                                  bits(kFabricOp, device.irLength));
    }
    chain += fmt::format(
        R"({}{{"name": "p{}", "ir_length": {}{}, "instructions": [{}]{}}})", i == 0 ? "" : ",\n", i + 1,
        device.irLength,
        device.idcode ? fmt::format(R"(, "idcode": "{:#x}")", o.boardDiffers && i == 0 ? 0x99999FFDu : idcodeOf(i + 1))
                      : "",
        instructions, fpga ? R"(, "bridge": "boot-flash")" : "");
  }
  return fmt::format(R"({{"imprimo_bench": 1, "probe": {{"packet_size": {}, "packet_count": {}, "latency_us": 250{}}},
"chain": [{}],
"flashes": [{{"name": "boot-flash"{}, {}}}]{}}})",
                     o.packetSize, o.packetCount, o.probe, chain,
                     o.flash.find("\"id\"") == std::string::npos ? R"(, "id": "0x7E4014")" : "", o.flash, o.bench);
}

std::string sheetTextFor(const WorldOptions& o) {
  std::string chain;
  for (std::size_t i = 1; i <= o.chain.size(); ++i)
    chain += fmt::format(R"({}{{"name": "p{}", "bsdl": "p{}.bsd"}})", i == 1 ? "" : ", ", i, i);
  return fmt::format(R"({{
  "imprimo": 1,
  "title": "A world for a test",
  "probe": {{"clock": {}}},
  "chain": [{}],
  "memories": [
    {{"name": "boot-flash", "type": "spi-nor",
     "route": {{"via": "bridge", "device": "p{}", "instruction": "FABRIC_A"}}{}}}
  ]{}
}}
)",
                     o.clock, chain, o.fpga, o.memory, o.sheet);
}

}  // namespace

std::uint32_t idcodeOf(std::size_t position) {
  return static_cast<std::uint32_t>(0x10000000u * (position % 5) + 0x01000000u + 0x1000u * position + 0xFFD);
}

std::string bsdlText(const std::string& entity, unsigned irLength, std::uint32_t idcode, bool hasIdcode) {
  std::string text =
      fmt::format("entity {0} is\n  attribute INSTRUCTION_LENGTH of {0} : entity is {1};\n", entity, irLength);
  text +=
      fmt::format("  attribute INSTRUCTION_OPCODE of {} : entity is\n    \"BYPASS ({}),\" &\n    \"IDCODE ({}),\" &\n",
                  entity, std::string(irLength, '1'), bits(kIdcodeOp, irLength));
  text += fmt::format("    \"FABRIC_A ({})\";\n", bits(kFabricOp, irLength));
  if (hasIdcode)
    text += fmt::format("  attribute IDCODE_REGISTER of {} : entity is \"{}\";\n", entity, bits(idcode, 32));
  return text + fmt::format("end {};\n", entity);
}

World::World(WorldOptions options) : options_(std::move(options)) {
  for (std::size_t i = 1; i <= options_.chain.size(); ++i) {
    const std::string name = fmt::format("p{}", i);
    writeFileAtomically(path((name + ".bsd").c_str()).toStdString(),
                        bsdlText("PART_" + std::to_string(i), options_.chain[i - 1].irLength, idcodeOf(i),
                                 options_.chain[i - 1].idcode));
  }
  for (const auto& [name, text] : options_.files) writeFileAtomically(path(name.c_str()).toStdString(), text);
  benchText_ = benchTextFor(options_);
  sheetText_ = sheetTextFor(options_);
  writeFileAtomically(path("bench.json").toStdString(), benchText_);
  writeFileAtomically(path("sheet.imprimo").toStdString(), sheetText_);
  sim_ = sim::parseBench(benchText_, path("bench.json").toStdString());
  sheet_ = sheet::readSheet(path("sheet.imprimo").toStdString());
}

bench::Bench& World::bench() {
  if (!bench_) {
    probe::ProbeOptions settings;
    settings.clockHz = options_.clock;
    std::unique_ptr<probe::Probe> probe;
    if (options_.mpsse) {
      probe =
          std::make_unique<probe::MpsseProbe>(std::make_unique<LoopStream>(*sim_), probe::genericAdapter(), settings);
    } else {
      auto transport = std::make_unique<LoopTransport>(*sim_);
      if (options_.hostTime) transport->time = probe::LinkTime::Host;
      probe = std::make_unique<probe::DapProbe>(std::move(transport), settings);
    }
    bench_ = std::make_unique<bench::Bench>(sheet_, std::move(probe));
  }
  return *bench_;
}

plan::Wanted World::wanted(plan::Task task, const MemoryImage& image) const {
  plan::Wanted wanted;
  wanted.task = task;
  wanted.memory = "boot-flash";
  wanted.image = image;
  wanted.keep = sheet_.keptIn("boot-flash");
  return wanted;
}

run::Record World::carryOut(const plan::Wanted& wanted, std::stop_token stop, run::RunObserver* observer, bool dryRun) {
  store::CopyStore backups(path("copies").toStdString());
  store::FileRecordSink records(path("records").toStdString());
  store::FolderNotes notes(path("unfinished").toStdString());
  run::RunObserver nobody;
  return *(dryRun ? run::dryRun : run::carryOut)(wanted, bench(), {backups, records, notes},
                                                 observer != nullptr ? *observer : nobody, std::move(stop));
}

MemoryImage World::copy(const std::filesystem::path& file) const {
  const store::CopyStore store(path("copies").toStdString());
  return store.contents(store.find(file));
}

Bytes World::cells(std::uint64_t from, std::size_t count) {
  Bytes bytes(count);
  for (std::size_t i = 0; i < count; ++i) bytes[i] = flash().cells().get(from + i);
  return bytes;
}

void World::fill(std::uint64_t from, const Bytes& bytes) {
  for (std::size_t i = 0; i < bytes.size(); ++i) flash().cells().set(from + i, bytes[i]);
  sim_->board().device(options_.fpga - 1).bridge()->configured();
}

}  // namespace imprimo::test
