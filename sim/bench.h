// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "sim/board.h"
#include "sim/dap_engine.h"
#include "sim/mpsse_engine.h"

namespace imprimo::sim {

/// A whole simulated bench: a probe and the board it is plugged into. One thread at a time.
class Bench {
 public:
  Bench(ProbeModel probe, std::unique_ptr<Board> board, MpsseWiring wiring = {});

  Board& board() { return *board_; }
  SpiFlash& flash(const std::string& name) { return board_->flash(name); }
  const ProbeModel& probe() const { return engine_.model(); }
  std::string violations() const { return board_->violations().text(); }

  /// Nothing when the link is down: then the client's connection has to be closed.
  std::optional<std::vector<Bytes>> process(ByteSpan packet);
  /// The same bench with an MPSSE adapter instead: a stream of commands in, what it says to them out. Nothing when the
  /// link is down; here its faults count calls.
  std::optional<Bytes> stream(ByteSpan commands);
  /// The same, and what it says stays in the engine until its host reads. False when the link is down.
  bool streamIn(ByteSpan commands);
  MpsseEngine& mpsse() { return mpsse_; }
  void clientLeft();
  /// Whether its probe says that time passes here as commands say, and not by anybody's clock.
  void tellTime(bool tells) { engine_.tellTime(tells); }

  // Faults of the link, counted in packets since the bench was made.
  void dropLinkAtPacket(std::uint64_t n) { dropAt_ = n; }
  void shortenAnswerAtPacket(std::uint64_t n) { shortAt_ = n; }
  void refuseAtPacket(std::uint64_t n) { refuseAt_ = n; }
  void restoreLink();

  std::uint64_t packets() const { return packets_; }
  /// Virtual time, packets, TCK cycles, flash commands and violations as JSON text.
  std::string report() const;

 private:
  std::unique_ptr<Board> board_;
  DapEngine engine_;
  MpsseEngine mpsse_;
  std::uint64_t packets_ = 0;
  std::optional<std::uint64_t> dropAt_, shortAt_, refuseAt_;
};

/// Reads a bench description (docs/formats/bench.md). Throws BadFile with the key's path and line.
std::unique_ptr<Bench> readBench(const std::filesystem::path& path);
std::unique_ptr<Bench> parseBench(std::string_view text, const std::filesystem::path& path);

}  // namespace imprimo::sim
