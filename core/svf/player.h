// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <stop_token>

#include "core/jtag/jtag_port.h"
#include "core/svf/padded_scan.h"
#include "core/svf/reader.h"
#include "core/svf/walk.h"

namespace imprimo::svf {

/// How far a file has been played.
struct Played {
  Place place;               ///< of the next statement
  std::uint64_t clocks = 0;  ///< of TCK
  double waits = 0;          ///< seconds without clocks
  double seconds = 0;        ///< of bus time, with the clock as it was
  std::uint64_t irScans = 0, drScans = 0;
  std::uint64_t compares = 0;  ///< scans of which something was compared, mismatches included
};

/// Something came out otherwise than the file has it. Bits count from the first one shifted, header included.
struct Mismatch {
  Place place;
  jtag::Register into = jtag::Register::Data;
  std::size_t length = 0, header = 0, total = 0;  ///< own bits, header bits, all with the trailer
  std::size_t compared = 0, differing = 0;
  std::size_t first = 0;  ///< the first bit that differs
  /// Around it, from bit `from` on: all of a scan that is not too long.
  std::size_t from = 0;
  BitVector expected, found, mask;
  Comment comment;                   ///< the last one passed
  std::uint64_t comparesBefore = 0;  ///< those that held
  bool instructed = false;           ///< an instruction scan went before it, since the last reset
  std::string pin;                   ///< of a PIO: then there are no bits
  bool pinShouldBe = false;

  /// "SDR 59: 1 of 8 compared bits differs, bit 20 should be 0 and is 1"
  std::string text() const;
};

/// Where a file can be taken up again: behind a Test-Logic-Reset, or a step that a comment of ours marks.
struct SafePoint {
  Place place;
  std::string title;  ///< "Step 6 of 9: Write 544 pages"; empty for a reset
};
/// "Write 544 pages" of the comment "Step 6 of 9: Write 544 pages" (docs/formats/vectors.md); nothing for others.
std::optional<std::string> stepTitle(std::string_view comment);

/// Watches; called on the thread that plays, at scan boundaries, where the TAP is in a stable state.
class PlayObserver {
 public:
  virtual ~PlayObserver() = default;
  /// At most every 50 ms of bus time, also between the pieces of a long scan. May take its time: that is a pause.
  virtual void advanced(const Played&) {}
  /// True: on, past it.
  virtual bool goesOnPast(const Mismatch&) { return false; }
};

/// Pins beside the TAP, by the names that PIOMAP has.
class Pins {
 public:
  virtual ~Pins() = default;
  virtual bool has(const std::string& name) const = 0;
  /// Nothing: lets it go.
  virtual void drive(const std::string& name, std::optional<bool> level) = 0;
  virtual bool level(const std::string& name) = 0;
};

struct PlayOptions {
  std::uint64_t from = 0;                        ///< plays from the first statement at or behind this offset
  std::function<void(double hz)> setClock = {};  ///< no faster than so, or as before for 0
  Pins* pins = nullptr;
  /// Comments that begin so stand around statements of which all are played once the first was, also where a stop was
  /// asked for. Empty: a stop is good anywhere.
  std::string together = {}, togetherEnds = {};
  FromPause fromPause = FromPause::Update;
};

struct PlayResult {
  enum class End { Whole, Stopped, Mismatch };
  End end = End::Whole;
  Played played;
  std::optional<Mismatch> first;
  std::uint64_t mismatches = 0;
  SafePoint safe;  ///< the last one passed
};

/// Plays what `reader` reads, from its beginning, on `port`, while it reads. A reset of the TAP comes first. Nothing
/// that stands behind a comparison is sent before that is decided. A stop waits for the scan's end, but for a data scan
/// that would take longer than 0.3 s: the register is left after the bits that it has got. However it ends, the TAP is
/// left in Run-Test/Idle. Throws BadFile, Refused (for what the port has no pins or clocks for), LinkLost.
PlayResult play(Reader& reader, jtag::JtagPort& port, const PlayOptions& options, PlayObserver& observer,
                const std::stop_token& stop);

}  // namespace imprimo::svf
