// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "core/probe/probe_address.h"
#include "core/probe/transport.h"

namespace imprimo::probe {

/// CMSIS-DAP packets over one TCP connection, each behind its length in two bytes, low byte first.
class TcpTransport : public Transport {
 public:
  /// Throws NoProbe when nobody answers within `limit`.
  TcpTransport(TcpAddress address, std::chrono::milliseconds limit);
  TcpTransport(const TcpTransport&) = delete;
  TcpTransport& operator=(const TcpTransport&) = delete;
  ~TcpTransport() override;

  void send(ByteSpan request) override;
  Bytes receive(std::chrono::milliseconds limit) override;
  std::string name() const override { return address_.text(); }

 private:
  [[noreturn]] void lost(const std::string& how) const;

  TcpAddress address_;
  int socket_ = -1;
  Bytes received_;         // not yet taken
  std::size_t taken_ = 0;  // bytes at the front of received_ that are
};

}  // namespace imprimo::probe
