// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <functional>
#include <span>
#include <string>
#include <string_view>

#include "core/svf/statement.h"

namespace imprimo::svf {

/// Takes text as it is written.
using Sink = std::function<void(std::string_view)>;

struct WriterOptions {
  double hz = 1e6;               ///< the file's FREQUENCY; times are counted with it
  std::size_t lineLength = 250;  ///< at most, 80 to 255; the standard's limit is 256 characters
  bool shortDigits = false;      ///< TDI without leading zeros
};

/// Writes SVF that relies on nothing that revision E leaves open: all four paddings, both end states, count, time and
/// end state of each RUNTEST are written out, and a MASK is left out only where the one in front of it, of the same
/// length, stands.
class Writer {
 public:
  Writer(Sink sink, WriterOptions options);

  /// What every file begins with: reset, end states, frequency, no padding.
  void begin();
  /// One line each; what does not fit is cut.
  void comment(std::string_view text);
  /// Ones for instructions, zeros for data; nothing is written where they are so already.
  struct Padding {
    std::size_t hir = 0, tir = 0, hdr = 0, tdr = 0;
    friend bool operator==(const Padding&, const Padding&) = default;
  };
  void pad(const Padding& padding);
  /// SIR or SDR; `tdo` and `mask`, where given, are as long as `tdi`.
  void scan(Field field, const BitVector& tdi, const BitVector* tdo = nullptr, const BitVector* mask = nullptr,
            jtag::TapState end = jtag::TapState::RunTestIdle);
  /// In Run-Test/Idle, at least so many clocks and at least so long.
  void wait(std::uint64_t clocks, double seconds);
  /// Test-Logic-Reset, then Run-Test/Idle.
  void reset();
  /// Puts the text of another file in; what it may have set is set anew behind it.
  void splice(const std::function<std::size_t(std::span<std::uint8_t>)>& source, double seconds);
  /// Hands over what is left.
  void finish();

  const WriterOptions& options() const { return options_; }
  double seconds() const { return seconds_; }  ///< that all of it takes up to here
  std::uint64_t bytes() const { return bytes_ + text_.size(); }

 private:
  void put(std::string_view text);
  void number(std::uint64_t value);
  void digits(std::string_view opening, const BitVector& bits, bool isShort);
  void statement(std::string_view text);
  void flushIfLarge();

  Sink sink_;
  WriterOptions options_;
  std::string text_, digits_;
  std::size_t column_ = 0;
  std::uint64_t bytes_ = 0;
  double seconds_ = 0;
  std::string wait_;  // the last RUNTEST, and what it is for
  std::uint64_t waitClocks_ = 0;
  double waitSeconds_ = -1;
  std::optional<Padding> padding_;
  std::array<jtag::TapState, 2> ends_{};  // after SIR, after SDR
  std::array<std::size_t, 2> lengths_{};
  std::array<BitVector, 2> masks_;
};

}  // namespace imprimo::svf
