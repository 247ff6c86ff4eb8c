// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "core/jtag/chain.h"
#include "core/spi/bridge_frames.h"
#include "core/spi/spi_batch.h"

namespace imprimo::spi {

/// What this program left in a bridge, to know it again by (bridge.md, mark). It outlives the port that left it.
struct BridgeMark {
  Bytes left;             ///< empty: nothing was left yet
  bool supported = true;  ///< false for a core that is older than marks
};

/// Reaches a memory through the bridge in an FPGA. Each run is one Shift-DR (one more for each look of an Expect) that
/// ends with a hello, so that a damaged stream is never taken for a quiet one.
class BridgePort : public SpiPort {
 public:
  /// `opcode` selects the bridge's register in the part at `position`; `name` is the part's, for messages.
  BridgePort(jtag::Chain& chain, std::size_t position, BitVector opcode, std::string name);

  /// Asks whether a bridge is there; comes first on every connection. Throws NoBridge with what was read.
  void hello();

  /// Asks for the mark that was left last and leaves a new one in its place. True when it was there: since then the
  /// part was neither configured nor without power, and nobody else used marks. Throws NoBridge, LinkLost.
  bool renewMark(BridgeMark& mark);

  SpiAnswers run(const SpiBatch& batch) override;
  std::uint32_t clockHz() const override { return chain_.port().clockHz(); }
  std::uint32_t clocksPerExchange() const override { return bridge::kHeaderBits; }
  std::uint32_t clocksBeforeStatus() const override { return bridge::kStatusLeadBits; }

 private:
  class Stream;
  std::optional<bridge::HelloAnswer> askOnce(Bytes& answer);
  std::optional<Bytes> exchangeMark(ByteSpan mark);
  void flushStream(Stream& stream, SpiAnswers& result);

  jtag::Chain& chain_;
  std::size_t position_;
  BitVector opcode_;
  std::string name_;
  bool greeted_ = false;
};

}  // namespace imprimo::spi
