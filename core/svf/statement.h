// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "core/base/bit_vector.h"
#include "core/jtag/tap.h"

namespace imprimo::svf {

/// Where something stands in a file; lines and columns count from 1, columns in bytes.
struct Place {
  std::uint64_t offset = 0;  ///< bytes from the start
  std::uint64_t line = 1;
  std::uint64_t column = 1;
  friend bool operator==(const Place&, const Place&) = default;
};

/// The six fields that scans are made of. A DR scan is Hdr, Sdr, Tdr, an IR scan Hir, Sir, Tir; the header goes first.
enum class Field { Hir, Hdr, Tir, Tdr, Sir, Sdr };
constexpr int kFields = 6;
const char* nameOf(Field field);

/// What one field holds, with all that is remembered from statements before. Digits are in wire order here: the last
/// one of the file is bits 0 to 3, which go first.
struct FieldValue {
  std::size_t length = 0;        ///< bits
  BitVector tdi;                 ///< of that length
  std::optional<BitVector> tdo;  ///< nothing: not compared
  BitVector mask;                ///< empty: every bit is compared
  BitVector smask;               ///< empty: every bit of tdi matters
  bool tdiHere = false;          ///< tdi stands in this very statement
};

/// RUNTEST with what is remembered put in.
struct RunTest {
  jtag::TapState run = jtag::TapState::RunTestIdle, end = jtag::TapState::RunTestIdle;
  std::optional<std::uint64_t> clocks;
  bool systemClock = false;       ///< the clocks are of SCK, not of TCK
  std::optional<double> seconds;  ///< at least
  std::optional<double> maximum;  ///< at most
};

enum class Trst { On, Off, Z, Absent };
enum class PinRole { In, Out, InOut };

/// One statement of a file (Serial Vector Format, revision E).
struct Statement {
  enum class Kind { EndDr, EndIr, Frequency, Padding, Scan, RunTest, State, Trst, Pio, PioMap };
  Kind kind = Kind::State;
  Place place;                                         ///< of its first letter
  std::uint64_t end = 0;                               ///< offset behind its semicolon
  Field field = Field::Sdr;                            ///< Padding, Scan; its value is the reader's
  jtag::TapState state = jtag::TapState::RunTestIdle;  ///< EndDr, EndIr
  std::optional<double> hz;                            ///< Frequency; nothing: whatever can be had
  RunTest runTest{};
  std::vector<jtag::TapState>
      path;  ///< State: those to pass, the last one stable; of one alone the way is the usual one
  Trst trst = Trst::Off;
  std::string levels;                                   ///< Pio: one letter a pin, in upper case
  std::vector<std::pair<PinRole, std::string>> pins{};  ///< PioMap
};

/// A state by its name in SVF ("DRPAUSE"), in upper case; nothing for anything else.
std::optional<jtag::TapState> stateNamed(const std::string& name);
const char* svfName(jtag::TapState state);
/// IRPAUSE, DRPAUSE, RESET, IDLE.
bool isStable(jtag::TapState state);

}  // namespace imprimo::svf
