// SPDX-License-Identifier: GPL-3.0-or-later
//
// This computer's own work, without any probe: building batches and packets, and unpacking answers; beside a memcpy of
// the same bytes in the same run.
#include <benchmark/benchmark.h>

#include <cstring>
#include <random>

#include "core/flash/spi_nor.h"
#include "core/jtag/chain.h"
#include "core/probe/dap/dap_packer.h"
#include "core/spi/bridge_port.h"

namespace {

using namespace imprimo;

/// A port that packs everything as for a real probe and unpacks made-up answers: a bridge that always says hello and
/// is never busy.
class PackingPort : public jtag::JtagPort {
 public:
  jtag::ScanAnswers run(const jtag::ScanBatch& batch) override {
    jtag::ScanAnswers answers;
    std::size_t wanted = 0;
    for (const auto& item : batch.items()) {
      const auto* scan = std::get_if<jtag::Scan>(&item);
      if (scan == nullptr) continue;
      for (const auto& range : scan->captures) wanted += range.size();
    }
    BitVector captured;
    captured.reserve(wanted);
    probe::DapPacker packer(512, [&](probe::DapPacket&& packet) {
      response_.assign(1, packet.request[0]);
      if (packet.request[0] == 0x7F) response_.push_back(packet.request[1]);
      for (std::size_t c = 0; c < packet.commands.size(); ++c) {
        if (c > 0 || packet.request[0] == 0x7F) response_.push_back(packet.commands[c].id);
        response_.push_back(0);
        const std::size_t end =
            c + 1 < packet.commands.size() ? packet.commands[c + 1].firstCapture : packet.captures.size();
        for (std::size_t i = packet.commands[c].firstCapture; i < end; ++i) {
          response_.insert(response_.end(), static_cast<std::size_t>(packet.captures[i] + 7) / 8, 0);
        }
      }
      packet.unpack(response_, captured);
    });
    packer.add(batch);
    packer.flush();
    // The last 64 bits are those of the hello at the stream's end.
    if (captured.size() >= 64) {
      BitVector hello;
      hello.appendMsbFirst(Bytes{0x49, 0x4D, 0x50, 0x52, 1, 0, 0, 0});
      for (std::size_t i = 0; i < 64; ++i) captured.set(captured.size() - 64 + i, hello[i]);
    }
    if (wanted > 0) answers.push_back(std::move(captured));
    return answers;
  }
  std::uint32_t clockHz() const override { return 10'000'000; }

 private:
  Bytes response_;
};

struct Rig {
  PackingPort port;
  jtag::Chain chain{port, {8, 6, 4}};
  spi::BridgePort bridge{chain, 2, BitVector::fromLsbFirst(2, 6), "fpga"};
  flash::SpiNor flash{bridge, identity(), {{{0x20}}}, "boot-flash"};
  static memory::Identity identity() {
    memory::Identity identity;
    memory::Geometry& g = identity.geometry;
    g.size = 8u << 20;
    g.erase = {{4096, 0.045, 0.4}};
    g.pageTypical = 0.0004;
    g.pageLongest = 0.003;
    return identity;
  }
};

constexpr std::size_t kBytes = 1u << 20;

void BM_HostRead(benchmark::State& state) {
  Rig rig;
  Bytes out(kBytes);
  NoProgress nobody;
  for (auto _ : state) rig.flash.read(0, out, nobody);
  state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations() * kBytes));
}

void BM_HostWrite(benchmark::State& state) {
  Rig rig;
  std::mt19937 random(1);
  std::vector<memory::PageWrite> pages;
  for (std::size_t at = 0; at < kBytes; at += 256) {
    memory::PageWrite& page = pages.emplace_back();
    page.address = at;
    page.bytes.resize(256);
    for (auto& b : page.bytes) b = static_cast<std::uint8_t>(random());
  }
  NoProgress nobody;
  for (auto _ : state) rig.flash.program(pages, nobody);
  state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations() * kBytes));
}

void BM_Memcpy(benchmark::State& state) {
  Bytes from(kBytes, 0x5A), to(kBytes);
  for (auto _ : state) {
    std::memcpy(to.data(), from.data(), kBytes);
    benchmark::DoNotOptimize(to.data());
    benchmark::ClobberMemory();
  }
  state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations() * kBytes));
}

BENCHMARK(BM_HostRead)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_HostWrite)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_Memcpy)->Unit(benchmark::kMillisecond);

}  // namespace
