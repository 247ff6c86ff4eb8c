// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <span>

#include "core/bsdl/boundary_description.h"
#include "core/debug/port_wires.h"
#include "core/jtag/chain.h"

namespace imprimo::debug {

/// The instructions of a debug port in a device of a chain, in wire order.
struct PortInstructions {
  BitVector abort, dpacc, apacc, idcode;

  /// Those of the architecture (ADIv5.2, B3.3: the low four bits, the others ones), or of its description where that
  /// names them. Throws BadFile for an instruction register that is too short, or a description that uses their codes
  /// for something else.
  static PortInstructions of(const std::string& device, std::uint32_t irLength,
                             const bsdl::BoundaryDescription* description);
};

/// A debug port in a device of a chain, by DPACC and APACC scans with the other devices in BYPASS. The port is told to
/// note when it is asked too early (ORUNDETECT): then all that comes after is left out by it, so that many accesses go
/// in one batch. How many, and with how many clocks between them, follows from how often that happens.
class JtagWires : public PortWires {
 public:
  JtagWires(jtag::Chain& chain, std::size_t position, PortInstructions instructions);
  const char* name() const override { return "JTAG"; }
  probe::RegisterAnswers wake() override;
  probe::RegisterAnswers access(const probe::RegisterBatch& batch) override;
  std::chrono::nanoseconds now() const override { return chain_.port().clock().value_or(asked_); }
  void pass(std::chrono::microseconds time) override;
  bool tellsLate() const override { return false; }
  bool hasDpidr() const override { return hasDpidr_; }
  std::uint32_t controlBits() const override { return 1; }

 private:
  struct Access {
    bool ap, read;
    std::uint8_t address;
    std::uint32_t data;
    bool aborts() const { return !ap && !read && address == 0; }
  };
  /// How a batch ended.
  struct Ending {
    std::optional<std::uint32_t> word, status;
    bool silent = false;
    bool overrun = false;  ///< it was asked for too early, which has set a flag
    void take(const BitVector& first, const BitVector& second);
  };
  class Scans;

  static std::vector<Access> flattened(const probe::RegisterBatch& batch);
  probe::RegisterAnswers round(std::span<const Access> accesses);
  void clearOverrun(std::uint32_t status);

  jtag::Chain& chain_;
  std::size_t position_;
  PortInstructions instructions_;
  bool hasDpidr_ = true;
  mutable std::chrono::nanoseconds asked_{};  // where nothing passes but what was asked for
  std::size_t atOnce_;
  std::size_t careful_ = 0;  // so many accesses are to be done one by one, to find the one that fails
  std::uint32_t idle_ = 0;   // clocks in Run-Test/Idle after an access of an access port
};

}  // namespace imprimo::debug
