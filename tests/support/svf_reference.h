// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <string>
#include <vector>

namespace imprimo::test {

/// Plays SVF the plain way, clock by clock, from strings of '0' and '1': written from the standard, apart from core/,
/// so that a misreading is not made twice. For correct files only.
class SvfReference {
 public:
  /// One clock: TMS and TDI go in, TDO as it is during it comes back.
  using Clock = std::function<bool(bool tms, bool tdi)>;
  SvfReference(Clock clock, double hz) : clock_(std::move(clock)), hz_(hz) {}

  /// Goes on past what does not compare.
  void play(const std::string& text);

  /// Lines of scans that did not compare.
  const std::vector<unsigned>& mismatches() const { return mismatches_; }
  std::uint64_t clocks() const { return clocks_; }
  double waited() const { return waited_; }

 private:
  struct Field {
    unsigned long length = 0;
    std::string tdi, tdo, mask;  // first bit shifted on the left; tdo empty: not compared
    bool known = false;
  };
  struct Token {
    std::string text;
    unsigned line;
  };
  static std::vector<std::vector<Token>> statements(const std::string& text);
  static std::string bits(const std::string& digits, unsigned long length);
  void statement(const std::vector<Token>& words);
  void field(const std::vector<Token>& words);
  void scan(bool instruction, unsigned line);
  bool tick(bool tms, bool tdi = false);
  void go(const std::string& state);
  void ways(const std::string& tms);

  Clock clock_;
  double hz_;
  std::map<std::string, Field> fields_;
  std::string state_ = "IDLE", endIr_ = "IDLE", endDr_ = "IDLE", runState_ = "IDLE", runEnd_ = "IDLE";
  std::vector<unsigned> mismatches_;
  std::uint64_t clocks_ = 0;
  double waited_ = 0;
};

/// A random file that is correct, with every command that a TAP alone can do, in any layout.
std::string randomSvf(std::uint32_t seed);

}  // namespace imprimo::test
