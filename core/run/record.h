// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "core/base/error.h"
#include "core/bench/device_config.h"
#include "core/console/speech.h"
#include "core/debug/core_watch.h"
#include "core/plan/plan.h"
#include "core/run/claims.h"
#include "core/run/trial.h"
#include "core/units/unit.h"

namespace imprimo::run {

enum class Outcome {
  Verified,    ///< written and confirmed by reading back (or nothing to write, and read)
  Programmed,  ///< written, not confirmed because so asked
  Match,
  Mismatch,
  Erased,
  Blank,
  NotBlank,
  Read,
  Configured,  ///< a part took what it got, as far as it tells
  Played,      ///< a file of vectors, to its end and without a mismatch
  Done,        ///< another action of a part, or a restart
  Sound,       ///< a trial of the bench: every read was as written
  NotSound,    ///< some were not; the scratch block has its bytes back
  Planned,     ///< a dry run
  Refused,     ///< it could run and the answer is no; nothing was changed
  Stopped,     ///< ended part-way, by the user or by an error, after or before a change
  Failed,      ///< could not begin
};

/// As it stands in JSON: "verified", "not-blank" and so on.
const char* nameOf(Outcome outcome);

struct Difference {
  std::uint64_t address = 0;
  std::uint8_t expected = 0;
  std::uint8_t found = 0;
  bool secret = false;  ///< neither may be shown
};

struct RanStep {
  plan::Step step;     ///< without the data that was written
  double begun = 0;    ///< seconds since the run began
  double seconds = 0;  ///< real time
  bool finished = false;
  std::string note;  ///< "100 of 100 patterns whole"
};

/// A bookmark that was looked at after a run.
struct Looked {
  std::uint64_t address = 0;
  std::string name;
  Bytes expected;  ///< empty: nothing was
  Bytes found;
  bool asExpected() const { return expected.empty() || expected == found; }
};

/// What became of a configuration word, as people read it.
struct WordRan {
  std::string name, before;
  std::string planned;  ///< empty: it was to stay
  std::string after;    ///< empty: not known
};

/// No more ranges of differences than these are kept.
constexpr std::size_t kMostDifferences = 4096;

/// What a run did: only what happened is in it.
struct Record {
  std::string memory;
  std::string sheet, title, probe;  ///< where and with what
  std::string probeSerial;          ///< empty where it tells none
  std::optional<units::Unit> unit;  ///< that it was for
  std::string startedAt;            ///< UTC, ISO 8601
  double startedClock = 0;          ///< the same moment in seconds of a clock that nobody sets
  double seconds = 0;               ///< that it took
  Outcome outcome = Outcome::Failed;
  std::vector<RanStep> steps;
  std::uint64_t bytes = 0;           ///< programmed, compared or read
  std::uint64_t confirmed = 0;       ///< read back behind a change and compared
  std::vector<AddressRange> erased;  ///< blocks, joined
  std::optional<Difference> first;
  std::uint64_t differences = 0;
  std::vector<AddressRange> different;  ///< where, in order
  std::string plannedHash,
      foundHash;  ///< SHA-256 of the planned bytes, and of what stood there at the end as far as it was read
  std::vector<Looked> looked;               ///< bookmarks, in the sheet's order
  std::optional<debug::CoreWatch> watched;  ///< how a core did after its restart
  std::optional<console::Speech> heard;     ///< what it said then
  std::vector<WordRan> words;               ///< configuration words of a core, in the card's order
  std::optional<TrialResult> trial;
  std::string device;                        ///< the part, of a run that configures one; then `memory` is empty
  std::uint64_t bits = 0;                    ///< shifted into it, compared or read
  std::vector<bench::DeviceReport> devices;  ///< how parts were found at the end
  std::string message;                       ///< a sentence for people; with what to try where something went wrong
  std::optional<ErrorKind> error;
  Help help = Help::None;  ///< what would help, for the program's own words, with what it is about
  std::string helpWith;
  bool changed = false;              ///< a command that changes the part was sent
  bool modesLeft = false;            ///< the part's modes could not be put back as they were found
  Claims claims;                     ///< what could be said of the memory at the end
  std::filesystem::path backup;      ///< copy of what was destroyed; empty when nothing was
  std::vector<std::string> earlier;  ///< runs on this memory that had not ended when this one began
  bool unfinishedWork = false;       ///< it was refused because of them
  std::string noteTrouble;           ///< why the note of this run could not be closed; empty when it was
  plan::PlanPtr plan = std::make_shared<plan::Plan>();  ///< as it was at the end; what did not run was left to do

  /// What went wrong; the message is the caller's.
  void fails(const Error& why);
  double secondsOf(plan::StepKind kind) const;
  bool good() const;
  /// The record as JSON text (docs/formats/record.md).
  std::string text() const;
};

using RecordPtr = std::shared_ptr<const Record>;

/// A unit as it stands in JSON.
nlohmann::ordered_json unitJson(const units::Unit& unit);
/// A configuration word as it stands in JSON.
nlohmann::ordered_json wordJson(const WordRan& word);
/// What a core said, as it stands in JSON.
nlohmann::ordered_json heardJson(const console::Speech& heard);
/// A part as it stands in JSON: name, user code, whether it runs, status bits by name.
nlohmann::ordered_json deviceJson(const bench::DeviceReport& device);

/// Where records go.
class RecordSink {
 public:
  virtual ~RecordSink() = default;
  /// Throws CannotWrite.
  virtual void keep(const Record& record) = 0;
};

}  // namespace imprimo::run
