// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>

#include "core/svf/player.h"

namespace imprimo::svf {

/// What a file does and how long it takes, found by reading it once.
struct Survey {
  /// A stretch of the file's own time; the first begins at 0, each lasts stretchSeconds.
  struct Stretch {
    float instruction = 0, data = 0, waiting = 0;  ///< seconds of it
    std::uint32_t compares = 0;                    ///< scans that are compared and end in it
    std::uint64_t offset = 0;                      ///< of the statement that it begins with
  };
  struct Mark {
    SafePoint point;
    double at = 0;  ///< seconds
  };
  /// Every so many rows, so that a view need not read from the start. A row is a statement, or a comment between two.
  static constexpr std::size_t kRowsBetween = 256;
  struct RowEntry {
    Place place;                                  ///< of the row
    std::array<std::uint64_t, kFields> fields{};  ///< offset + 1 of the last statement of each field in front; 0: none
  };
  /// Something that has to be there to play it.
  struct Need {
    Place place;
    std::string what;  ///< "a pin named STROBE", "a clock SCK"
    std::string pin;
  };
  static constexpr std::size_t kMostStretches = 2048;

  bool whole = false;  ///< the file was read to its end; otherwise all of this is up to `end`
  Place end;
  std::uint64_t rows = 0;
  std::uint64_t irScans = 0, drScans = 0, waits = 0, compares = 0, comparedBits = 0;
  std::uint64_t clocks = 0, longestScan = 0;
  double waitSeconds = 0;    ///< in RUNTEST
  double seconds = 0;        ///< all of it
  std::optional<double> hz;  ///< the file's first FREQUENCY
  std::vector<Stretch> stretches;
  double stretchSeconds = 1e-4;
  std::vector<Mark> marks;      ///< no more than 10000
  std::vector<RowEntry> index;  ///< of rows 0, kRowsBetween, …
  std::vector<Need> needs;      ///< each once
  std::vector<Lexer::Remark> remarks;
  /// Scans that begin in the pause state of their own register, where players differ (FromPause), and the first of
  /// them.
  std::uint64_t fromPause = 0;
  Place firstFromPause;
  bool ours = false;             ///< the first comment says that Imprimo wrote it
  std::optional<Error> problem;  ///< why it ends where it ends; what() has file, line and column

  /// Seconds at which the statement at `offset` begins, as well as the stretches tell.
  double timeOf(std::uint64_t offset) const;
  /// Offset of the stretch that is at `seconds`.
  std::uint64_t offsetAt(double seconds) const;
};

/// Reads all of it. `hz` is the clock that it will be played with where the file asks for none or for more. `told`
/// hears what is known so far now and then and may end it by returning false. What is wrong with the file is in
/// `problem`.
Survey survey(Reader& reader, double hz, const std::function<bool(const Survey&)>& told = {},
              FromPause fromPause = FromPause::Update);

}  // namespace imprimo::svf
