// SPDX-License-Identifier: GPL-3.0-or-later
//
// What configuring costs on the bus: the demo's bitstream into its FPGA, second of three parts, packets of 512 bytes
// with 4 in flight, 10 MHz, 250 µs for each packet whose answer is waited for; and from power-up to the new design.
#include <benchmark/benchmark.h>

#include "tests/support/gauge_world.h"

namespace {

using namespace imprimo;
using namespace imprimo::test;

void BM_ConfigureFpga(benchmark::State& state) {
  for (auto _ : state) {
    GaugeWorld w;
    w.bench().checkChain();
    const auto& board = w.sim().board();
    const std::uint64_t shift = board.dataClocks(), clocks = board.clocks(), packets = w.sim().packets();
    const double begin = sim::toSeconds(board.now());
    const run::Record record = w.configure("correlator", "echo_correlator.bin");
    if (record.outcome != run::Outcome::Configured || !w.sim().violations().empty())
      state.SkipWithError("the run failed");
    const auto bits = static_cast<double>(record.bits);
    state.counters["ShiftDR_per_bit"] = static_cast<double>(board.dataClocks() - shift) / bits;
    state.counters["TCK_per_bit"] = static_cast<double>(board.clocks() - clocks) / bits;
    state.counters["packets_per_KiB"] = static_cast<double>(w.sim().packets() - packets) / (bits / 8192);
    state.counters["time_vs_shift"] = (sim::toSeconds(board.now()) - begin) / (bits / 10e6);
  }
}

void BM_ProgramCpld(benchmark::State& state) {
  for (auto _ : state) {
    GaugeWorld w;
    w.bench().checkChain();
    const auto& board = w.sim().board();
    const double begin = sim::toSeconds(board.now());
    const std::uint64_t packets = w.sim().packets();
    const run::Record record = w.configure("sequencer", "sequencer.jed");
    if (record.outcome != run::Outcome::Verified || !w.sim().violations().empty())
      state.SkipWithError("the run failed");
    // What its flows ask for: the waits and the bits.
    const double asked = record.plan->seconds();
    state.counters["virtual_s"] = sim::toSeconds(board.now()) - begin;
    state.counters["time_vs_waits_and_bits"] = (sim::toSeconds(board.now()) - begin) / asked;
    state.counters["packets"] = static_cast<double>(w.sim().packets() - packets);
  }
}

/// The bridge is loaded, the flash programmed and confirmed, the design started again; the run in parts.
void BM_FromPowerUpToTheNewDesign(benchmark::State& state) {
  for (auto _ : state) {
    GaugeWorld w;
    const run::Record record = w.program();
    if (record.outcome != run::Outcome::Verified || !w.sim().violations().empty())
      state.SkipWithError("the run failed");
    state.counters["virtual_s"] = sim::toSeconds(w.sim().board().now());
    state.counters["usercode_is_new"] = record.devices.at(0).usercode == 0x52320002u ? 1 : 0;
    state.counters["packets"] = static_cast<double>(w.sim().packets());
  }
}

BENCHMARK(BM_ConfigureFpga)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_ProgramCpld)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_FromPowerUpToTheNewDesign)->Iterations(1)->Unit(benchmark::kMillisecond);

}  // namespace
