// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/jtag/jtag_port.h"
#include "core/svf/writer.h"

namespace imprimo::svf {

/// Writes batches down instead of carrying them out. What comes out of a chain it can only compare with, so each scan
/// that captures has to say what is expected; that is also what it answers. Throws Refused for a scan that does not.
class Recorder : public jtag::JtagPort {
 public:
  explicit Recorder(Writer& writer) : writer_(writer) {}

  jtag::ScanAnswers run(const jtag::ScanBatch& batch) override;
  std::uint32_t clockHz() const override { return static_cast<std::uint32_t>(writer_.options().hz); }

 private:
  void add(const jtag::Scan& scan);

  Writer& writer_;
  jtag::Scan whole_;  // pieces of a scan up to now
  BitVector tdo_, mask_;
  jtag::ScanAnswers answers_;
};

}  // namespace imprimo::svf
