// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <fmt/format.h>

#include <memory>
#include <random>
#include <string>

#include "core/configure/procedure.h"
#include "core/probe/dap/dap_probe.h"
#include "sim/bench.h"
#include "sim/isc_cells.h"
#include "tests/support/loop_transport.h"

namespace imprimo::test {

/// One part that is configured as IEEE 1532 has it, simulated, between others that are in BYPASS.
class DeviceWorld {
 public:
  struct Options {
    std::string cells{};  ///< the bench's "isc"
    std::size_t before = 1, after = 1;
    std::uint32_t clock = 10'000'000;
    std::string faults{};  ///< of the board
  };
  DeviceWorld(const std::string& bsdlText, const Options& options) : device_(bsdl::parse(bsdlText, "part.bsd")) {
    const auto plain = [](std::size_t i) {
      return fmt::format(R"({{"name": "plain{}", "ir_length": {}, "instructions": []}})", i, 3 + i);
    };
    std::string chain;
    std::vector<std::uint32_t> lengths;
    for (std::size_t i = 0; i < options.before; ++i) {
      chain += plain(i) + ", ";
      lengths.push_back(static_cast<std::uint32_t>(3 + i));
    }
    chain += device(options.cells);
    lengths.push_back(device_.instructionLength);
    for (std::size_t i = 0; i < options.after; ++i) {
      chain += ", " + plain(10 + i);
      lengths.push_back(static_cast<std::uint32_t>(13 + i));
    }
    const std::string text = fmt::format(
        R"({{"imprimo_bench": 1, "probe": {{"packet_size": 512, "packet_count": 4, "latency_us": 250}}, "chain": [{}]{}}})",
        chain, options.faults.empty() ? "" : ", \"faults\": [" + options.faults + "]");
    bench_ = sim::parseBench(text, "bench.json");
    probe::ProbeOptions settings;
    settings.clockHz = options.clock;
    probe_ = std::make_unique<probe::DapProbe>(std::make_unique<LoopTransport>(*bench_), settings);
    chain_ = std::make_unique<jtag::Chain>(probe::tapOf(*probe_), lengths);
    target_ = {options.before + 1, "part", &device_};
    chain_->port().run(jtag::ScanBatch().reset());
  }

  sim::Bench& sim() { return *bench_; }
  jtag::Chain& chain() { return *chain_; }
  const configure::Target& target() const { return target_; }
  const bsdl::BoundaryDescription& device() const { return device_; }
  sim::IscCells& cells() { return dynamic_cast<sim::IscCells&>(*bench_->board().device(target_.position - 1).logic()); }
  std::string state() { return cells().state(bench_->board().now()); }

  /// Carries a whole action out: the notes, or the mismatch that ended it.
  std::string run(const configure::IscWish& wish, const configure::ConfigData* data, Progress* progress = nullptr) {
    procedure_ = configure::iscProcedure(target_, wish, data, probe_->clockHz());
    NoProgress nobody;
    std::string notes;
    for (std::size_t i = 0; i < procedure_->stages().size(); ++i) {
      const auto result = procedure_->carryOut(i, *chain_, progress != nullptr ? *progress : nobody);
      if (!result.note.empty()) notes += (notes.empty() ? "" : "; ") + result.note;
      if (!result.mismatch) continue;
      procedure_->leave(*chain_);
      return result.mismatch->text();
    }
    return notes.empty() ? "done" : notes;
  }
  configure::Procedure& procedure() { return *procedure_; }

 private:
  std::string device(const std::string& cells) const {
    static const std::map<std::string, std::string> roles{{"IDCODE", "idcode"},
                                                          {"USERCODE", "usercode"},
                                                          {"ISC_ENABLE", "isc-enable"},
                                                          {"ISC_DISABLE", "isc-disable"},
                                                          {"ISC_ERASE", "isc-erase"},
                                                          {"ISC_PROGRAM", "isc-program"},
                                                          {"ISC_READ", "isc-read"},
                                                          {"ISC_ADDRESS_SHIFT", "isc-address"},
                                                          {"ISC_DATA_SHIFT", "isc-data"},
                                                          {"ISC_STATUS", "isc-status"},
                                                          {"ISC_PROGRAM_USERCODE", "isc-program-usercode"},
                                                          {"ISC_PROGRAM_DONE", "isc-program-done"},
                                                          {"ISC_PROGRAM_SECURITY", "isc-program-security"},
                                                          {"ISC_NOOP", "isc-noop"}};
    std::string list;
    for (const bsdl::Instruction& i : device_.instructions) {
      const auto role = roles.find(i.name);
      if (role == roles.end()) continue;
      list += fmt::format(R"({}{{"name": "{}", "opcode": "{}", "register": "{}"}})", list.empty() ? "" : ", ", i.name,
                          i.opcodes.front(), role->second);
    }
    return fmt::format(
        R"({{"name": "part", "ir_length": {}, "ir_capture": "{}01", "idcode": "0x{:08x}", "instructions": [{}], "isc": {}}})",
        device_.instructionLength, std::string(device_.instructionLength - 2, '0'), device_.idcodes.front().value, list,
        cells);
  }

  bsdl::BoundaryDescription device_;
  std::unique_ptr<sim::Bench> bench_;
  std::unique_ptr<probe::Probe> probe_;
  std::unique_ptr<jtag::Chain> chain_;
  configure::Target target_;
  std::unique_ptr<configure::Procedure> procedure_;
};

/// Random bits as a data file has them: one section, no names.
inline configure::ConfigData randomData(std::size_t bits, unsigned seed) {
  std::mt19937_64 random(seed);
  configure::ConfigData data;
  data.format = configure::ConfigData::Format::Fuses;
  data.file = "random.jed";
  BitVector all;
  while (all.size() < bits) all.appendBits(random(), std::min<std::size_t>(64, bits - all.size()));
  data.sections.push_back({"", std::move(all), {}, {}, {}});
  return data;
}

}  // namespace imprimo::test
