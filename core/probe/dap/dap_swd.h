// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>

#include "core/base/bytes.h"
#include "core/probe/swd_port.h"

namespace imprimo::probe {

/// One packet of CMSIS-DAP Transfer and TransferBlock commands, and what its answer must look like.
struct SwdPacket {
  struct Command {
    bool block = false;
    std::size_t accesses = 0;
    std::vector<bool> reads{};  ///< for a Transfer, which of them give a word
    bool allRead = false;       ///< for a TransferBlock
  };
  Bytes request;
  std::vector<Command> commands;

  /// Adds to `answers` what the response has, up to the first access that failed. Throws LinkLost for what is no
  /// response to this packet.
  void unpack(ByteSpan response, RegisterAnswers& answers) const;
};

/// Turns accesses into packets that are as full as they can be, both ways: TransferBlock for what goes to one register,
/// Transfer for the rest, several commands in one packet where the probe has ExecuteCommands.
class SwdPacker {
 public:
  using Emit = std::function<void(SwdPacket&&)>;
  SwdPacker(std::size_t packetSize, bool executesSeveral, Emit emit);
  void add(const RegisterBatch& batch);
  void flush();

 private:
  void single(const RegisterRun& run);
  void block(const RegisterRun& run);
  std::size_t wordsInFront(const RegisterRun& run) const;
  void begin();
  std::size_t room() const { return limit_ - packet_.request.size(); }
  std::size_t answerRoom() const { return limit_ - answerBytes_; }
  bool startCommand(std::size_t bytes, std::size_t answer);

  std::size_t limit_;
  bool several_;
  Emit emit_;
  SwdPacket packet_;
  std::size_t answerBytes_ = 0;
  std::size_t countAt_ = 0;  // where the open Transfer's count stands; 0: none is open
};

/// How packets go to the probe and come back, as many under way as it takes.
struct PacketWay {
  std::size_t packetSize = 64, packetCount = 1;
  bool executesSeveral = false;
  std::function<void(ByteSpan request)> send;
  std::function<Bytes()> receive;
  std::function<std::uint32_t()> clockHz;
  std::function<std::chrono::nanoseconds()> hostTime{};  ///< empty: only what is asked for passes
};

/// Serial Wire Debug by a CMSIS-DAP probe.
class DapSwd : public SwdPort {
 public:
  explicit DapSwd(PacketWay way) : way_(std::move(way)) {}
  /// The probe has been told to connect by SWD: sets how often it repeats what is answered WAIT. Throws LinkLost.
  void configure();
  RegisterAnswers access(const RegisterBatch& batch) override;
  void sequence(const BitVector& bits) override;
  void selectTarget(std::uint32_t value) override;
  std::chrono::nanoseconds now() const override { return way_.hostTime ? way_.hostTime() : asked_; }
  void pass(std::chrono::microseconds time) override;

 private:
  void command(ByteSpan request, const char* what);
  PacketWay way_;
  std::chrono::nanoseconds asked_{};
  bool mixesDirections_ = true;  // knows SWD_Sequence
};

}  // namespace imprimo::probe
