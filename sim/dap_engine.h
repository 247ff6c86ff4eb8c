// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/base/bytes.h"
#include "sim/board.h"
#include "sim/core/swd_firmware.h"
#include "sim/serial/swo_capture.h"

namespace imprimo::sim {

struct ProbeModel {
  std::string vendor = "Imprimo", product = "Simulated bench", serial = "SIM-1", firmware = "2.1.0";
  std::size_t packetSize = 512;
  std::size_t packetCount = 4;
  double latency = 250e-6;  ///< seconds from a packet to its answer, beside the work
  // What not every probe has, or has as the description would have it.
  bool executesSeveral = true;  ///< ExecuteCommands and QueueCommands: the capability "atomic commands"
  enum class Delay { Waits, PassesNoTime, Unknown } delay = Delay::Waits;
  std::uint32_t lowestClock = 1, highestClock = 100'000'000;  ///< what it can do, whatever it is asked for
  bool swd = true, jtag = true;                               ///< what its capabilities say
  std::optional<SwoCaptureModel> swo;                         ///< nothing: it cannot listen to SWO
  bool tellsTime = false;  ///< says that time passes here as commands say (docs/formats/bench.md)
};

/// The probe's firmware: CMSIS-DAP 2.1 commands on one side, pins of the board on the other.
class DapEngine {
 public:
  DapEngine(ProbeModel model, Board& board) : model_(std::move(model)), board_(board), swd_(board) {
    if (model_.swo) swo_.emplace(*model_.swo);
  }

  const ProbeModel& model() const { return model_; }
  void tellTime(bool tells) { model_.tellsTime = tells; }
  /// The responses that are due: none, one, or with QueueCommands several at once.
  std::vector<Bytes> process(ByteSpan packet);
  /// What happens when a client goes.
  void disconnect();

 private:
  Bytes respond(ByteSpan packet);
  /// Carries out the command at the front of `in` and takes it away. False when it ends in the middle.
  bool command(ByteSpan& in, Bytes& out);
  bool plain(ByteSpan& in, Bytes& out);
  std::uint8_t portFor(std::uint8_t asked) const;
  bool info(ByteSpan& in, Bytes& out);
  bool jtagSequence(ByteSpan& in, Bytes& out);
  bool jtagIdcode(ByteSpan& in, Bytes& out);
  bool swjSequence(ByteSpan& in, Bytes& out);
  bool swdSequence(ByteSpan& in, Bytes& out);
  bool pins(ByteSpan& in, Bytes& out);
  bool jtagConfigure(ByteSpan& in, Bytes& out);
  bool transfer(ByteSpan& in, Bytes& out);
  bool transferBlock(ByteSpan& in, Bytes& out);

  ProbeModel model_;
  Board& board_;
  SwdFirmware swd_;
  std::optional<SwoCapture> swo_;
  bool speaksSwd_ = false;
  std::vector<Bytes> queued_;
  std::vector<std::uint8_t> irLengths_;
  std::uint8_t pinLevels_ = 0x8F;
};

}  // namespace imprimo::sim
