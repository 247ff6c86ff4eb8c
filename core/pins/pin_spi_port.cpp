// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/pin_spi_port.h"

#include <fmt/format.h>

#include "core/spi/expect_pace.h"

namespace imprimo::pins {

/// Scans of a run: made, sent in pieces that are large enough to keep a probe busy, and their answers put together.
class PinSpiPort::Stream {
 public:
  Stream(PinScan& scan, const SpiWires& wires, BitVector idle, spi::SpiAnswers& result)
      : scan_(scan),
        wave_(scan.ports(), wires, std::move(idle),
              [this](const BitVector& cells, std::span<const std::uint32_t> captured) { send(cells, captured); }),
        result_(result) {}

  void exchange(const spi::Exchange& exchange, std::size_t item) {
    if (exchange.read > 0) wanted_.push_back({item, exchange.read, exchange.lines.in});
    wave_.exchange(exchange);
  }
  void wait(std::chrono::microseconds time) {
    if (time.count() > 0) batch_.delay(time);
  }
  /// All that was asked for is there.
  void finish() {
    flush();
    std::size_t at = 0;
    for (const Wanted& each : wanted_) {
      std::vector<bool> levels(8 * each.bytes);
      for (std::size_t i = 0; i < levels.size(); ++i) levels[i] = bits_[at++];
      result_.answers[each.item] = wave_.bytesOf(levels, each.lines);
    }
    wanted_.clear();
    bits_ = BitVector();
  }

 private:
  struct Wanted {
    std::size_t item, bytes;
    unsigned lines;
  };

  void send(const BitVector& cells, std::span<const std::uint32_t> captured) {
    constexpr std::size_t kPiece = 8192;
    batch_.add(scan_.scan(cells, captured));
    if (++scans_ >= kPiece) flush();
  }
  void flush() {
    if (batch_.empty()) return;
    for (const BitVector& answer : scan_.chain().port().run(batch_)) bits_.append(answer);
    batch_ = jtag::ScanBatch();
    scans_ = 0;
  }

  PinScan& scan_;
  SpiWave wave_;
  spi::SpiAnswers& result_;
  jtag::ScanBatch batch_;
  std::size_t scans_ = 0;
  BitVector bits_;  // what was captured, as it comes
  std::vector<Wanted> wanted_;
};

PinSpiPort::PinSpiPort(PinScan& scan, SpiWires wires) : scan_(scan), wires_(std::move(wires)) {
  checkWires(scan_.ports(), wires_);
  lines_ = dataLines(scan_.ports(), wires_);
}

std::uint32_t PinSpiPort::clockHz() const {
  return std::max<std::uint32_t>(scan_.chain().port().clockHz() / (2 * scan_.clocksPerScan()), 1);
}

/// Each wire is driven low and high, and its own input looked at; of miso, what it does with the flash selected.
std::string PinSpiPort::whySilent() {
  const std::vector<BoundaryPort>& ports = scan_.ports().ports;
  const PinsDriven driven(scan_, idleCells(scan_.ports(), wires_, scan_.sample()));
  std::vector<std::pair<std::size_t, const char*>> all{{wires_.cs, "cs"}, {wires_.clk, "clk"}, {wires_.mosi, "mosi"}};
  if (wires_.wp) all.emplace_back(*wires_.wp, "wp");
  if (wires_.hold) all.emplace_back(*wires_.hold, "hold");
  for (const auto& [index, role] : all) {
    const BoundaryPort& port = ports[index];
    if (!port.input || port.sharesInput) continue;
    const auto seen = [&](bool level) {
      BitVector cells = driven.cells();
      cells.set(*port.output, level);
      return scan_.exchange(cells)[*port.input];
    };
    const bool low = seen(false), high = seen(true);
    scan_.drive(driven.cells());
    if (!low && high) continue;
    return fmt::format(
        "{} ({}) does not follow what is driven there and stays {}: it is shorted, or something else "
        "drives it.",
        port.name, role, low ? 1 : 0);
  }
  return fmt::format(
      "All wires that are driven follow. {} (miso) may not lead to the flash, or one of {} (cs), {} "
      "(clk) and {} (mosi); its supply may be missing, or its hold or reset low{}.",
      ports[wires_.miso].name, ports[wires_.cs].name, ports[wires_.clk].name, ports[wires_.mosi].name,
      wires_.hold ? "" : ": the route drives no hold");
}

spi::SpiAnswers PinSpiPort::run(const spi::SpiBatch& batch) {
  const PinsDriven driven(scan_, idleCells(scan_.ports(), wires_, scan_.sample()));
  spi::SpiAnswers result;
  result.answers.resize(batch.items().size());
  Stream stream(scan_, wires_, driven.cells(), result);
  for (std::size_t i = 0; i < batch.items().size(); ++i) {
    const spi::SpiItem& item = batch.items()[i];
    if (const auto* exchange = std::get_if<spi::Exchange>(&item)) stream.exchange(*exchange, i);
    if (const auto* wait = std::get_if<spi::Wait>(&item)) stream.wait(wait->time);
    if (const auto* guard = std::get_if<spi::Guard>(&item)) {
      stream.exchange({{guard->command}, guard->statusBytes}, i);
      stream.finish();
      if ((result.answers[i].back() & guard->mask) != guard->value) {
        result.heldAt = i;
        return result;
      }
    }
    const auto* expect = std::get_if<spi::Expect>(&item);
    if (expect == nullptr) continue;
    spi::ExpectPace pace(*expect, scan_.chain().port());
    for (bool met = false; !met;) {
      stream.wait(pace.next());
      stream.exchange({{expect->command}, 1}, i);
      result.waited = pace.waited();
      stream.finish();
      met = (result.answers[i].back() & expect->mask) == expect->value;
      if (!met && pace.isOver()) {
        result.timedOutAt = i;
        return result;
      }
    }
  }
  stream.finish();
  return result;
}

}  // namespace imprimo::pins
