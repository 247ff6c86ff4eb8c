// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <deque>
#include <memory>
#include <optional>

#include "core/probe/dap/dap_packer.h"
#include "core/probe/dap/dap_swd.h"
#include "core/probe/dap/dap_swo.h"
#include "core/probe/probe.h"
#include "core/probe/transport.h"

namespace imprimo::probe {

/// A probe that speaks CMSIS-DAP, used for JTAG or for SWD, and switched where both are asked for in turn. Keeps as
/// many packets in flight as the probe takes, uses of the optional commands those that it says it has, and believes
/// neither its Delay nor its clock: time that nothing behind it checks is measured by the host's clock, and made up
/// where it is too short.
class DapProbe : public Probe, public TapPort, public PinPort, public ResetWire {
 public:
  /// Connects: asks for packet size and count, selects what is wanted, sets the clock, resets the TAP. Throws NoProbe
  /// or LinkLost.
  DapProbe(std::unique_ptr<Transport> transport, const ProbeOptions& options);
  /// Leaves the TAP in Test-Logic-Reset and disconnects, if the link still stands.
  ~DapProbe() override;

  jtag::ScanAnswers run(const jtag::ScanBatch& batch) override;
  std::uint32_t clockHz() const override { return clockHz_; }
  std::optional<std::chrono::nanoseconds> clock() const override;
  const ProbeInfo& info() const override { return info_; }
  unsigned interruptions() const override { return interruptions_; }
  TapPort* tap() override { return info_.jtag ? this : nullptr; }
  SwdPort* swd() override { return info_.swd ? swd_.get() : nullptr; }
  SwoPort* swo() override { return swo_.get(); }
  PinPort* pins() override { return this; }
  ResetWire* resetWire() override { return this; }
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

  void select(Wires wires);
  void use(Wires wires);
  void leaveTap();
  void sendPacket(ByteSpan request);
  Bytes receivePacket();
  Bytes command(ByteSpan request);
  void requireOk(ByteSpan request, const char* what);
  std::string infoText(std::uint8_t id);
  void proveToken(const std::optional<std::string>& token);
  DapPacket takeOldest(BitVector& captured);
  void drain(BitVector& captured);
  bool waitByHost(std::chrono::microseconds time, bool looked, const std::function<void()>& finish);
  bool stayByHost(DapPacker& packer, bool tms, std::uint32_t clocks, jtag::Lasting lasting,
                  const std::function<void()>& finish);
  [[noreturn]] void throwNoPin(const std::string& name) const;
  void tryDelay();
  bool askDelay(std::chrono::microseconds time);

  enum class Delays { Untried, Work, PassNoTime, Unknown };
  std::unique_ptr<Transport> transport_;
  ProbeInfo info_;
  std::uint32_t clockHz_ = 0;
  std::deque<InFlight> inFlight_;
  std::unique_ptr<DapSwd> swd_;
  std::unique_ptr<DapSwo> swo_;
  std::optional<Wires> wires_;  // what it is switched to
  unsigned interruptions_ = 0;
  bool executesSeveral_ = false;
  bool counted_ = false;  // time at the other end passes as commands say, not by the host's clock
  Delays delays_ = Delays::Untried;
  bool lost_ = false;  // after a failure in the middle, responses no longer fit requests
};

}  // namespace imprimo::probe
