// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <deque>
#include <memory>

#include "core/probe/adapter_card.h"
#include "core/probe/byte_stream.h"
#include "core/probe/mpsse/mpsse_packer.h"
#include "core/probe/mpsse/mpsse_swd.h"
#include "core/probe/probe.h"

namespace imprimo::probe {

/// An adapter whose chip shifts bits by itself (MPSSE). The next chunk of commands is on its way before the answers
/// of the one before are fetched, so the engine does not stand still. Never more than the chip keeps is left unread,
/// and never more than 0.1 s of clocks is queued: a marker is asked for now and then, and its answer waited for.
class MpsseProbe : public Probe, public TapPort, public ResetWire, public PinPort {
 public:
  /// Connects: is it an engine, is it a high-speed one, does its loopback carry a pattern; then pins, clock, TAP reset.
  /// Throws NoProbe or LinkLost.
  MpsseProbe(std::unique_ptr<ByteStream> stream, AdapterCard card, const ProbeOptions& options);
  /// Leaves the TAP in Test-Logic-Reset and all pins open, if the link still stands. Waits until that has been done.
  ~MpsseProbe() override;

  jtag::ScanAnswers run(const jtag::ScanBatch& batch) override;
  std::uint32_t clockHz() const override { return clockHz_; }
  const ProbeInfo& info() const override { return info_; }
  TapPort* tap() override { return swd_ ? nullptr : this; }
  SwdPort* swd() override { return swd_.get(); }
  ResetWire* resetWire() override { return this; }
  PinPort* pins() override { return card_.reset ? this : nullptr; }
  void drivePin(const std::string& name, std::optional<bool> level) override;
  bool pinLevel(const std::string& name) override;
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
  BitVector shiftSwd(const SwdShift& shift);
  void put(MpsseChunk&& chunk, BitVector& captured);
  void fetch(BitVector& captured);
  std::chrono::milliseconds limitFor(double seconds) const;
  double secondsOf(std::uint64_t clocks) const { return static_cast<double>(clocks) / clockHz_; }

  std::unique_ptr<ByteStream> stream_;
  AdapterCard card_;
  ProbeInfo info_;
  std::uint32_t clockHz_ = 0;
  std::uint16_t levels_ = 0, directions_ = 0;
  /// A chunk that will be answered.
  struct InFlight {
    MpsseChunk chunk;
    double seconds = 0;  ///< of clocks from the answer before until its own
  };
  std::deque<InFlight> inFlight_;
  std::size_t unread_ = 0;         // bytes of answers on their way
  double ahead_ = 0;               // seconds of clocks in flight that will be answered for
  double unmarked_ = 0;            // seconds of clocks written behind the last answer that was asked for
  std::unique_ptr<MpsseSwd> swd_;  // null: it speaks JTAG
  bool lost_ = false;
};

}  // namespace imprimo::probe
