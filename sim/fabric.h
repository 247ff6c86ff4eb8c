// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "sim/device_logic.h"
#include "sim/spi_flash.h"
#include "sim/violations.h"

namespace imprimo::sim {

/// An FPGA's volatile configuration, as docs/formats/bench.md has its bitstream and its status bits.
struct FabricModel {
  std::string name;          ///< the part's
  std::uint32_t idcode = 0;  ///< what a bitstream has to be for; its highest four bits do not matter
  Bytes sync{0x9A, 0x51, 0x6C, 0xE1};
  double clearSeconds = 0.002;
  double loadHz = 40e6;                  ///< of its own clock when it reads its flash
  std::uint64_t startClocks = 16;        ///< in Run-Test/Idle
  std::vector<std::uint64_t> bootsFrom;  ///< addresses in the flash, tried in this order
  bool storedReversed = false;           ///< bytes lie in the flash with their bits turned round
  bool captureTells = false;             ///< Capture-IR has "running" in bit 2 and "clear" in bit 3
  bool secured = false;                  ///< takes nothing over the TAP
};

class Fabric : public DeviceLogic {
 public:
  /// `flash` may be null.
  Fabric(FabricModel model, SpiFlash* flash, Violations& violations);

  void powerUp(Time now) override { reload(now); }
  void powerLost(Time now) override;
  void instruction(Role role, Time now) override;
  std::vector<bool> capture(Role role, Time now) override;
  bool streams(Role role) const override { return role == Role::FabricLoad; }
  void shiftIn(Role role, std::uint64_t bits, int count) override;
  void update(Role, const std::vector<bool>&, Time) override {}
  void enterIdle(Role role, Time now) override;
  void leaveIdle(Role role, Time now, std::uint64_t clocks) override;
  std::uint64_t captureInstruction(std::uint64_t fixed, Time now) override;
  bool hasBridge(Time now) const override { return running(now) && (loader_.flags & 1) != 0; }
  std::string state(Time now) override;

  enum StatusBit { Clearing, Clear, Synced, WrongDevice, CrcError, Loaded, Running, FromFlash, Extra, Locked };

 private:
  /// Takes a bitstream byte by byte.
  struct Loader {
    Bytes window;  // the last bytes before the sync word is complete
    bool synced = false, wrongDevice = false, crcError = false, loaded = false, extra = false;
    std::uint64_t at = 0;  // bytes behind the sync word
    std::uint32_t idcode = 0, usercode = 0, length = 0, flags = 0, given = 0, crc = 0;
    std::uint8_t byte = 0;
    int bits = 0;
  };
  void take(Loader& loader, std::uint8_t byte) const;
  void clear(Time now);
  void reload(Time now);
  bool running(Time now) const { return started_ && now >= runsFrom_; }
  std::uint16_t status(Time now) const;

  FabricModel model_;
  SpiFlash* flash_;
  Violations& violations_;
  Loader loader_;
  bool listening_ = false;  // FabricLoad was selected behind a clear
  bool cleared_ = false, started_ = false, fromFlash_ = false;
  Time clearUntil_ = 0, runsFrom_ = 0;
};

}  // namespace imprimo::sim
