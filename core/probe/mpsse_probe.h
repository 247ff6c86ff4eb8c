// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <deque>
#include <memory>

#include "core/probe/adapter_card.h"
#include "core/probe/byte_stream.h"
#include "core/probe/mpsse_packer.h"
#include "core/probe/probe.h"

namespace imprimo::probe {

/// An adapter whose chip shifts bits by itself (MPSSE). The next chunk of commands is on its way before the answers
/// of the one before are fetched, so the engine does not stand still.
class MpsseProbe : public Probe {
 public:
  /// Connects: is it an engine, is it a high-speed one, does its loopback carry a pattern; then pins, clock, TAP reset.
  /// Throws NoProbe or LinkLost.
  MpsseProbe(std::unique_ptr<ByteStream> stream, AdapterCard card, const ProbeOptions& options);
  /// Leaves the TAP in Test-Logic-Reset and all pins open, if the link still stands.
  ~MpsseProbe() override;

  jtag::ScanAnswers run(const jtag::ScanBatch& batch) override;
  std::uint32_t clockHz() const override { return clockHz_; }
  const ProbeInfo& info() const override { return info_; }
  void setClock(std::uint32_t hz) override;
  void pulseReset(std::chrono::milliseconds time) override;
  std::chrono::microseconds roundTrip() override;
  std::optional<bool> targetPowered() override;
  std::vector<BitVector> clockRaw(std::span<const RawClocks> clocks) override;
  void setNames(const std::string& vendor, const std::string& product, const std::string& serial);

 private:
  void send(ByteSpan commands);
  Bytes ask(ByteSpan commands, std::size_t answer);
  void synchronise();
  void checkLoopback();
  void setPins();
  void drive(const AdapterCard::Pin& pin, bool output);
  BitVector exchange(const std::function<void(MpssePacker&)>& pack);
  void fetch(BitVector& captured);
  std::chrono::milliseconds limitFor(std::uint64_t clocks) const;

  std::unique_ptr<ByteStream> stream_;
  AdapterCard card_;
  ProbeInfo info_;
  std::uint32_t clockHz_ = 0;
  std::uint16_t levels_ = 0, directions_ = 0;
  std::deque<MpsseChunk> inFlight_;
  bool lost_ = false;
};

}  // namespace imprimo::probe
