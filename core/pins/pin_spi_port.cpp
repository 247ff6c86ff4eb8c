// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/pin_spi_port.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/spi/expect_pace.h"

namespace imprimo::pins {

/// Scans of a run: made, sent in pieces that are large enough to keep a probe busy, and their answers put together.
class PinSpiPort::Stream {
 public:
  Stream(PinScan& scan, const SpiWires& wires, const BitVector& idle, spi::SpiAnswers& result)
      : scan_(scan),
        cells_(idle),
        result_(result),
        cs_(*portOf(wires.cs).output),
        clk_(*portOf(wires.clk).output),
        mosi_(*portOf(wires.mosi).output),
        miso_(*portOf(wires.miso).input) {}

  void exchange(const spi::Exchange& exchange, std::size_t item) {
    cells_.set(cs_, false);  // with the first bit of mosi; clk stands
    for (const std::uint8_t byte : exchange.out) {
      for (int bit = 7; bit >= 0; --bit) clock((byte >> bit & 1) != 0, false);
    }
    if (exchange.read > 0) wanted_.push_back({item, exchange.read});
    for (std::size_t i = 0; i < 8 * exchange.read; ++i) clock(false, true);
    cells_.set(clk_, false);
    send(false);
    cells_.set(cs_, true);
    send(false);
  }
  void wait(std::chrono::microseconds time) {
    if (time.count() == 0) return;
    batch_.delay(time);
  }
  /// All that was asked for is there.
  void finish() {
    flush();
    std::size_t at = 0;
    for (const auto& [item, bytes] : wanted_) {
      Bytes& answer = result_.answers[item];
      answer.assign(bytes, 0);
      for (std::size_t i = 0; i < 8 * bytes; ++i)
        answer[i / 8] = static_cast<std::uint8_t>(answer[i / 8] << 1 | (bits_[at++] ? 1 : 0));
    }
    wanted_.clear();
    bits_ = BitVector();
  }

 private:
  const BoundaryPort& portOf(std::size_t index) const { return scan_.ports().ports[index]; }

  /// The falling clock brings mosi, the rising one takes it; what is captured with the second is miso in between.
  void clock(bool out, bool wanted) {
    cells_.set(clk_, false);
    cells_.set(mosi_, out);
    send(false);
    cells_.set(clk_, true);
    send(wanted);
  }
  void send(bool wanted) {
    constexpr std::size_t kPiece = 8192;
    batch_.add(
        scan_.scan(cells_, wanted ? std::span<const std::uint32_t>(&miso_, 1) : std::span<const std::uint32_t>()));
    if (++scans_ >= kPiece) flush();
  }
  void flush() {
    if (batch_.empty()) return;
    for (const BitVector& answer : scan_.chain().port().run(batch_)) bits_.append(answer[0]);
    batch_ = jtag::ScanBatch();
    scans_ = 0;
  }

  PinScan& scan_;
  BitVector cells_;
  spi::SpiAnswers& result_;
  std::uint32_t cs_, clk_, mosi_, miso_;
  jtag::ScanBatch batch_;
  std::size_t scans_ = 0;
  BitVector bits_;  // of miso, as they come
  std::vector<std::pair<std::size_t, std::size_t>> wanted_;
};

PinSpiPort::PinSpiPort(PinScan& scan, SpiWires wires) : scan_(scan), wires_(std::move(wires)) {
  const auto port = [&](std::size_t index) -> const BoundaryPort& { return scan_.ports().ports.at(index); };
  std::map<std::size_t, const char*> roles;
  for (const auto& [index, role] :
       {std::pair{wires_.cs, "cs"}, {wires_.clk, "clk"}, {wires_.mosi, "mosi"}, {wires_.miso, "miso"}}) {
    const auto [other, fresh] = roles.emplace(index, role);
    if (!fresh)
      throw Error(ErrorKind::Usage, fmt::format("{} cannot be both {} and {}", port(index).name, other->second, role),
                  "Each wire is on a port of its own.");
    if (index != wires_.miso && (!port(index).output || port(index).isOpen()))
      throw Error(ErrorKind::Usage,
                  fmt::format("{} cannot be {}: it {}", port(index).name, role,
                              port(index).output ? "is an open driver" : "is an input only"),
                  "Choose a port that drives both levels.");
  }
  if (!port(wires_.miso).input)
    throw Error(ErrorKind::Usage, fmt::format("{} cannot be miso: it is an output only", port(wires_.miso).name),
                "Choose a port that has an input cell.");
  for (const auto& [index, level] : wires_.held) {
    if (const auto role = roles.find(index); role != roles.end())
      throw Error(ErrorKind::Usage, fmt::format("{} is {} and cannot be held", port(index).name, role->second));
  }
  // What can never be driven so is told now, and not when it is too late.
  planDrives(scan_.ports(), wires_.held, BitVector(scan_.ports().length, false));
}

void PinSpiPort::begin() {
  const BitVector sampled = scan_.sample();
  Drives drives = wires_.held;
  drives[wires_.cs] = true;
  drives[wires_.clk] = false;
  drives[wires_.mosi] = false;
  const DrivePlan plan = planDrives(scan_.ports(), drives, sampled);
  if (const auto forced = plan.alongside.find(wires_.miso); forced != plan.alongside.end())
    throw Error(
        ErrorKind::Usage,
        fmt::format("{} cannot be miso: it is driven along with the others", scan_.ports().ports[wires_.miso].name),
        "Choose a port whose driver can be switched off by itself.");
  idle_ = plan.cells;
  scan_.drive(idle_);
}

spi::SpiAnswers PinSpiPort::run(const spi::SpiBatch& batch) {
  struct LetGo {
    PinScan& scan;
    ~LetGo() {
      try {
        if (scan.drives()) scan.letGo();
      } catch (const Error&) {
        // The link is gone, which is told already.
      }
    }
  };
  begin();
  const LetGo after{scan_};
  spi::SpiAnswers result;
  result.answers.resize(batch.items().size());
  Stream stream(scan_, wires_, idle_, result);
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
