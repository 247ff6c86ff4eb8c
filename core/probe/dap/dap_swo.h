// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <string>

#include "core/probe/swo_port.h"

namespace imprimo::probe {

/// SWO by CMSIS-DAP 2.1: its bytes are asked for with DAP_SWO_Data, which every way to a probe has.
class DapSwo : public SwoPort {
 public:
  using Command = std::function<Bytes(ByteSpan request)>;
  DapSwo(Command command, bool uart, bool manchester, std::size_t packetSize)
      : command_(std::move(command)), uart_(uart), manchester_(manchester), packetSize_(packetSize) {}

  bool can(SwoCoding coding) const override { return coding == SwoCoding::Uart ? uart_ : manchester_; }
  std::uint32_t begin(SwoCoding coding, std::uint32_t hz) override;
  Caught take() override;
  void end() override;

 private:
  bool ask(std::uint8_t command, std::uint8_t argument);

  Command command_;
  bool uart_, manchester_, active_ = false;
  std::size_t packetSize_;
};

}  // namespace imprimo::probe
