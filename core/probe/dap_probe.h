// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <deque>
#include <memory>
#include <optional>

#include "core/probe/dap_packer.h"
#include "core/probe/probe.h"
#include "core/probe/transport.h"

namespace imprimo::probe {

/// A probe that speaks CMSIS-DAP, used for JTAG. Keeps as many packets in flight as the probe takes.
class DapProbe : public Probe {
 public:
  /// Connects: asks for packet size and count, selects JTAG, sets the clock, resets the TAP. Throws NoProbe or
  /// LinkLost.
  DapProbe(std::unique_ptr<Transport> transport, const ProbeOptions& options);
  /// Leaves the TAP in Test-Logic-Reset and disconnects, if the link still stands.
  ~DapProbe() override;

  jtag::ScanAnswers run(const jtag::ScanBatch& batch) override;
  std::uint32_t clockHz() const override { return clockHz_; }
  const ProbeInfo& info() const override { return info_; }
  void setClock(std::uint32_t hz) override;
  void pulseReset(std::chrono::milliseconds time) override;
  void drivePin(const std::string& name, std::optional<bool> level) override;
  bool pinLevel(const std::string& name) override;
  std::chrono::microseconds roundTrip() override;
  std::vector<BitVector> clockRaw(std::span<const RawClocks> clocks) override;

 private:
  struct InFlight {
    DapPacket packet;
    std::chrono::milliseconds limit;
  };

  Bytes command(ByteSpan request);
  void requireOk(ByteSpan request, const char* what);
  std::string infoText(std::uint8_t id);
  void proveToken(const std::optional<std::string>& token);
  DapPacket takeOldest(BitVector& captured);

  std::unique_ptr<Transport> transport_;
  ProbeInfo info_;
  std::uint32_t clockHz_ = 0;
  std::deque<InFlight> inFlight_;
  bool lost_ = false;  // after a failure in the middle, responses no longer fit requests
};

}  // namespace imprimo::probe
