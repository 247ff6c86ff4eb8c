// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/units/unit_values.h"
#include "records/database.h"

namespace imprimo::records {

/// The next number of a ledger from which none is set out.
inline constexpr std::uint64_t kNeverSetOut = INT64_MAX;

/// What became of a unit. Whatever it is, its values are never given to another one.
enum class UnitState {
  Reserved,  ///< nothing of it was written yet
  Used,
  Failed,  ///< something of it may have been written
  Void,    ///< certainly nothing was
};
const char* nameOf(UnitState state);
/// Throws Usage naming those that there are.
UnitState unitStateNamed(const std::string& name);

/// A unit as the ledger has it.
struct UnitRow {
  std::uint64_t id = 0;
  UnitState state = UnitState::Reserved;
  std::map<std::string, std::string> fields;  ///< by name; of a secret its hash
  std::string board;                          ///< by what its board can be known again; empty: not known
  std::string at, station, run;
};

/// One change of a unit.
struct UnitEvent {
  UnitState state = UnitState::Reserved;
  std::string at, station, process, run, why;
};

/// A name for a run that no other has.
std::string freshRunName();

/// The name of this computer as a station: IMPRIMO_STATION, or that of the host.
std::string stationName();

/// The numbers of one ledger in a store (docs/formats/units.md). A lost connection is made anew, and what was being
/// stored is looked for, so that nothing is done twice.
class Ledger {
 public:
  /// What becomes of a unit, for whoever has to hear of it besides: its values (state nothing) or its new state.
  struct News {
    std::uint64_t id = 0;
    std::optional<UnitState> state;
    std::string run, why, fields, board;
  };
  using Listener = std::function<void(const std::string& ledger, const News& news)>;

  /// Throws Usage, with what differs, where the ledger's fields are fixed and others.
  Ledger(Database& database, const units::ValueMaker& maker);
  /// Calls it with all that becomes of units from now on, before it is stored here.
  void tell(Listener listener) { listener_ = std::move(listener); }

  /// The unit that would be next. Throws Refused where there is none.
  std::uint64_t next();
  /// Reserves so many units and makes the values that can be made now; they are stored when it returns. Throws Refused
  /// where there are not as many, or their time is over: then none is reserved.
  std::vector<UnitRow> reserve(std::size_t count, units::Inputs inputs, const std::string& run);
  /// Values that could only be made for the board that gets them, before the first byte is written. Throws Refused for
  /// one that another unit has.
  void complete(std::uint64_t id, const units::Values& values, const std::string& board, const std::string& run);
  void settle(std::uint64_t id, UnitState state, const std::string& run, const std::string& why);
  /// A reservation of which nothing was written. Throws Refused for any other unit.
  void makeVoid(std::uint64_t id, const std::string& why);

  /// Throws Usage where it has no such unit.
  UnitRow unit(std::uint64_t id);
  /// In order; at most `most`, of one state or all.
  std::vector<UnitRow> list(std::optional<UnitState> state = std::nullopt, std::size_t most = SIZE_MAX);
  std::vector<UnitEvent> events(std::uint64_t id);
  /// The last unit that was on this board, and the one that has this value of its own. Nothing where there is none.
  std::optional<UnitRow> onBoard(const std::string& board);
  std::optional<UnitRow> withValue(const units::Field& field, const std::string& text);

  const units::ValueMaker& maker() const { return maker_; }
  const std::string& name() const { return maker_.definition().ledger; }

 private:
  void requireSameFields();
  void requireOpen(const units::Inputs& inputs) const;
  std::vector<std::uint64_t> pick(std::size_t count);
  /// Whether there are more now.
  bool topUp(std::size_t count);
  [[noreturn]] void exhausted(std::size_t count) const;
  UnitRow take(std::uint64_t id, const units::Inputs& inputs, const std::string& run, const std::string& at);
  bool claimValues(std::uint64_t id, const units::Values& values, bool secrets);
  void surely(const std::function<void()>& act, const std::function<bool()>& isDone);

  Database& database_;
  const units::ValueMaker& maker_;
  std::string station_, process_;
  Listener listener_;
};

}  // namespace imprimo::records
