// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/bit_vector.h"
#include "core/bench/route_kinds.h"
#include "core/spi/spi_batch.h"
#include "core/svf/writer.h"

namespace imprimo::bench {

/// Writes down what would go over the bridge (bridge.md, "In SVF"): what is expected becomes the longest wait and a
/// comparison. An exchange that reads has to say what will be answered; that, or zeros, is also what it answers.
class BridgeRecorder : public spi::SpiPort {
 public:
  /// `opcode` selects the bridge's register, in wire order.
  BridgeRecorder(svf::Writer& writer, ChainPlace place, BitVector opcode)
      : writer_(writer), place_(std::move(place)), opcode_(std::move(opcode)) {}

  /// Selects the bridge and greets it twice, since the first time it may tell of what was before.
  void greet();
  /// Nothing of what was sent since the last time may have been damaged.
  void requireClean();

  spi::SpiAnswers run(const spi::SpiBatch& batch) override;
  std::uint32_t clockHz() const override { return static_cast<std::uint32_t>(writer_.options().hz); }
  std::uint32_t clocksPerExchange() const override;
  std::uint32_t clocksBeforeStatus() const override;

 private:
  void hello(bool clean);
  /// The last `mask.size()` bytes of the stream so far are answered like this, under this mask.
  void expectLast(ByteSpan answer, ByteSpan mask);
  void flush();

  svf::Writer& writer_;
  ChainPlace place_;
  BitVector opcode_;
  BitVector stream_, tdo_, mask_;
};

}  // namespace imprimo::bench
