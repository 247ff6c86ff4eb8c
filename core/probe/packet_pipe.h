// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <optional>

#include "core/probe/transport.h"

namespace imprimo::probe {

/// A USB device's way in and out, one packet at a time.
class PacketPipe {
 public:
  virtual ~PacketPipe() = default;
  /// Throws LinkLost when the device has gone or takes nothing within `limit`.
  virtual void write(ByteSpan packet, std::chrono::milliseconds limit) = 0;
  /// Nothing when no packet comes within `limit`. Throws LinkLost when the device has gone.
  virtual std::optional<Bytes> read(std::chrono::milliseconds limit) = 0;
  /// The largest packet that the probe takes: one of that size needs no end mark.
  virtual void setPacketSize(std::size_t) {}
  /// The largest packet that fits.
  virtual std::size_t largestPacket() const { return 4096; }
  virtual std::string name() const = 0;
};

/// CMSIS-DAP packets over USB. Answers that an earlier program did not fetch are thrown away first.
class PipeTransport : public Transport {
 public:
  explicit PipeTransport(std::unique_ptr<PacketPipe> pipe);
  void send(ByteSpan request) override;
  Bytes receive(std::chrono::milliseconds limit) override;
  void setPacketSize(std::size_t size) override { pipe_->setPacketSize(size); }
  std::size_t largestPacket() const override { return pipe_->largestPacket(); }
  std::string name() const override { return pipe_->name(); }

 private:
  std::unique_ptr<PacketPipe> pipe_;
};

/// The interface of a probe with bulk endpoints (CMSIS-DAP 2). Claims it, away from a kernel driver if there is one.
/// Throws NoProbe saying what keeps it.
std::unique_ptr<PacketPipe> openBulkPipe(int bus, int device, int interface, const std::string& name);
/// A HID interface (CMSIS-DAP 1) by its device file ("/dev/hidraw3"). Reports are as long as `reportSize`, and no
/// packet is longer.
std::unique_ptr<PacketPipe> openHidPipe(const std::string& file, std::size_t reportSize, const std::string& name);

/// Takes an interface away from the kernel's driver, for good until it is plugged in again. Throws NoProbe.
void releaseKernelDriver(int bus, int device, int interface, const std::string& name);

}  // namespace imprimo::probe
