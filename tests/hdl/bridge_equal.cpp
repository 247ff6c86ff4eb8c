// SPDX-License-Identifier: GPL-3.0-or-later
//
// The Verilog bridge beside the simulated one: both get the same bits at the same clocks, each has a flash of its own,
// and what leaves TDO has to be the same at every clock. Streams are random: frames whole, damaged, cut off, of every
// kind, over flashes that are busy now and then, so that hold and deaf states are met again and again.
#include <Vspi_bridge.h>
#include <fmt/format.h>
#include <verilated.h>

#include <cstdlib>
#include <deque>
#include <random>

#include "sim/bridge_core.h"

double sc_time_stamp() {
  return 0;
}

namespace {

using namespace imprimo;

constexpr sim::Time kPeriod = 100'000;  // 10 MHz, in picoseconds

/// A flash of the simulation, reached by four wires.
class WiredFlash {
 public:
  explicit WiredFlash(sim::SpiFlash& flash) : flash_(flash) {}

  bool miso() const { return bit_; }
  void chipSelect(bool low, sim::Time now) {
    if (low == selected_) return;
    selected_ = low;
    if (low) {
      flash_.select(now);
      count_ = 0;
      in_ = 0;
    } else {
      flash_.deselect(now, count_);
    }
  }
  /// Before a rising edge: what the part shows.
  void show(sim::Time now) {
    if (!selected_) return;
    if (count_ == 0) out_ = flash_.output(now);
    bit_ = (out_ >> (7 - count_) & 1) != 0;
  }
  void rise(bool mosi) {
    if (!selected_) return;
    in_ = static_cast<std::uint8_t>(in_ << 1 | (mosi ? 1 : 0));
    if (++count_ < 8) return;
    count_ = 0;
    flash_.input(in_);
  }

 private:
  sim::SpiFlash& flash_;
  bool selected_ = false, bit_ = true;
  int count_ = 0;
  std::uint8_t in_ = 0, out_ = 0xFF;
};

/// Bits for one pass through Shift-DR.
class Stream {
 public:
  explicit Stream(std::mt19937& random) : random_(random) {}

  std::deque<bool> scan() {
    bits_.clear();
    const unsigned frames = below(6);
    zeros(below(12));
    for (unsigned i = 0; i < frames; ++i) {
      frame();
      zeros(below(4));
    }
    // Now and then the scan ends in the middle of something.
    if (below(5) == 0 && bits_.size() > 1) bits_.resize(1 + below(static_cast<unsigned>(bits_.size())));
    if (bits_.empty()) bits_.push_back(below(2) != 0);
    return bits_;
  }

  unsigned damaged = 0, guards = 0, marks = 0;  ///< what leads to deafness, to holds, and to marks left

 private:
  unsigned below(unsigned n) { return n == 0 ? 0 : static_cast<unsigned>(random_() % n); }
  std::uint8_t any() { return static_cast<std::uint8_t>(random_()); }
  void zeros(unsigned n) { bits_.insert(bits_.end(), n, false); }
  void lowFirst(std::uint8_t byte) {
    for (int i = 0; i < 8; ++i) bits_.push_back((byte >> i & 1) != 0);
  }
  void highFirst(std::uint8_t byte) {
    for (int i = 7; i >= 0; --i) bits_.push_back((byte >> i & 1) != 0);
  }

  void header(std::uint8_t opcode, unsigned length) {
    const std::uint8_t bytes[] = {opcode, static_cast<std::uint8_t>(length), static_cast<std::uint8_t>(length >> 8)};
    std::uint8_t crc = 0;
    for (const std::uint8_t byte : bytes) {
      crc ^= byte;
      for (int i = 0; i < 8; ++i) crc = static_cast<std::uint8_t>((crc & 0x80) != 0 ? crc << 1 ^ 0x07 : crc << 1);
    }
    if (below(25) == 0) {
      crc ^= static_cast<std::uint8_t>(1u << below(8));
      ++damaged;
    }
    lowFirst(0xA7);
    for (const std::uint8_t byte : bytes) lowFirst(byte);
    lowFirst(crc);
  }

  void frame() {
    static constexpr std::uint8_t kCommands[] = {0x06, 0x04, 0x05, 0x9F, 0x03, 0x02, 0x20, 0x35, 0x5A, 0x01};
    const std::uint8_t command = kCommands[below(10)];
    switch (below(10)) {
      case 0:
        header(1, below(12) == 0 ? below(16) : 8);
        zeros(64);
        return;
      case 1: {
        // Often met, as a flash that is busy or write-enabled is.
        const unsigned status = below(15) == 0 ? below(1) : 1 + below(12);
        ++guards;
        header(3, status == 0 ? below(5) : 4 + status);
        highFirst(below(2) == 0 ? 0x05 : command);
        highFirst(below(2) == 0 ? 0x01 : any());
        highFirst(below(3) == 0 ? any() : 0x00);
        zeros(8 + 8 * status);
        return;
      }
      case 2:
        header(static_cast<std::uint8_t>(below(30) == 0 ? any() : 2), 3);
        highFirst(any());
        zeros(16);
        return;
      case 3:
        header(2, below(20) == 0 ? 0 : 1);
        highFirst(0x06);
        return;
      case 4: {
        ++marks;
        const unsigned length = below(10) == 0 ? below(9) : 4;
        header(4, length);
        for (unsigned i = 0; i < length; ++i) highFirst(any());
        return;
      }
      default: {
        const unsigned length = 1 + below(14);
        header(2, length);
        highFirst(command);
        for (unsigned i = 1; i < length; ++i) highFirst(below(3) == 0 ? any() : 0x00);
      }
    }
  }

  std::mt19937& random_;
  std::deque<bool> bits_;
};

sim::FlashModel model() {
  sim::FlashModel m;
  m.size = 1 << 16;
  m.pageProgram = {0.00002, 0.0001};
  m.erase4K = {0.0001, 0.0004};
  m.twoRegisters = true;
  return m;
}

}  // namespace

int main(int argc, char** argv) {
  const std::uint64_t wanted = argc > 1 ? std::strtoull(argv[1], nullptr, 0) : 1'000'000;
  VerilatedContext context;
  Vspi_bridge verilog(&context);
  sim::Violations ignored, ignoredToo;
  sim::SpiFlash simFlash(model(), ignored), hdlFlash(model(), ignoredToo);
  sim::BridgeCore core(simFlash, ignored);
  WiredFlash wires(hdlFlash);
  std::mt19937 random(20261123);
  Stream stream(random);
  for (std::uint64_t i = 0; i < model().size; ++i) {
    const auto byte = static_cast<std::uint8_t>(random());
    simFlash.cells().set(i, byte);
    hdlFlash.cells().set(i, byte);
  }

  std::uint64_t clocks = 0, scans = 0, answered = 0;
  sim::Time now = kPeriod;
  const auto hdlClock = [&](bool tdi, bool shift, bool endsEarly) {
    verilog.tdi = tdi;
    verilog.shift = shift;
    wires.show(now);
    verilog.spi_miso = wires.miso();
    verilog.eval();
    const bool tdo = verilog.tdo;
    verilog.tck = 1;
    verilog.eval();
    if (verilog.spi_sck) wires.rise(verilog.spi_mosi);
    if (endsEarly) verilog.shift = 0;  // in the high phase of a scan's last bit
    verilog.eval();
    verilog.tck = 0;
    verilog.eval();
    // The simulation selects at the first clock and deselects at the last one.
    wires.chipSelect(!verilog.spi_cs_n, verilog.spi_cs_n ? now : now + kPeriod);
    return tdo;
  };
  verilog.select = 1;
  verilog.tck = 0;
  verilog.eval();
  while (clocks < wanted) {
    for (int i = 0; i < 3; ++i) hdlClock(random() % 2 != 0, false, false);
    core.enter();
    const std::deque<bool> bits = stream.scan();
    ++scans;
    for (std::size_t i = 0; i < bits.size(); ++i) {
      const bool last = i + 1 == bits.size();
      const bool expected = core.clock(bits[i], now);
      const bool found = hdlClock(bits[i], true, last);
      ++clocks;
      answered += expected ? 1 : 0;
      if (expected != found) {
        fmt::print("differ at clock {}, bit {} of scan {}: simulated {}, Verilog {}\n", clocks, i, scans, expected,
                   found);
        return 1;
      }
      if (!last) now += kPeriod;
    }
    core.leave(now);
    now += kPeriod * (1 + random() % 2000);
  }
  if (simFlash.journal() != hdlFlash.journal()) {
    fmt::print("the flashes did not get the same commands\n");
    return 1;
  }
  for (std::uint64_t i = 0; i < model().size; ++i) {
    if (simFlash.cells().get(i) == hdlFlash.cells().get(i)) continue;
    fmt::print("the flashes differ at 0x{:x}\n", i);
    return 1;
  }
  std::uint64_t commands = 0;
  for (const auto& [code, count] : simFlash.commands()) commands += count;
  fmt::print(
      "equal over {} clocks in {} scans, {} damaged headers, {} guards, {} marks, {} ones answered, {} flash "
      "commands\n",
      clocks, scans, stream.damaged, stream.guards, stream.marks, answered, commands);
  return commands > wanted / 1000 && answered > wanted / 100 && stream.guards > wanted / 2000 &&
                 stream.marks > wanted / 2000
             ? 0
             : 1;  // it has to have seen something
}
