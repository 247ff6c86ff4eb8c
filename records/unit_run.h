// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/bench.h"
#include "core/run/runner.h"
#include "core/units/unit.h"
#include "records/ledger.h"

namespace imprimo::records {

/// Which unit a run is for.
struct WhichUnit {
  std::optional<std::uint64_t> id;           ///< nothing: the next one
  std::map<std::string, std::string> given;  ///< values that are typed or scanned
  bool renumber = false;                     ///< a board that has a unit's numbers gets new ones
  bool setAside = false;                     ///< of those that were set aside for this station: the server is away
};

/// "next" or a number. Throws Usage.
std::optional<std::uint64_t> unitNumber(const std::string& text);

/// One unit of a sheet, from its reservation to what became of it.
class UnitRun {
 public:
  /// Throws Usage where the sheet says nothing of units, or a given value is of no field that takes one; BadFile for
  /// its lists.
  UnitRun(const sheet::Sheet& sheet, Database& database, WhichUnit which);

  /// The sheet with what is planned for the unit; nothing is reserved. What can only be made for the board itself, or
  /// is secret, is zeros. Throws Refused where there is none, Usage for a value that has to be given.
  /// `onlyKnown`: what is not known is left out instead, as a comparison needs it.
  sheet::Sheet planned(bool onlyKnown = false);
  /// So many units can have values; nothing: there is no end.
  std::optional<std::uint64_t> capacity() const { return maker_.capacity(); }
  /// What planned() is of.
  const units::Unit& unit() const { return unit_; }

  /// Reads ranges of a memory, into what is known of it.
  using ReadRanges = std::function<void(const std::string& memory, const std::vector<AddressRange>& ranges)>;
  /// Reserves the unit, or finds again the one that this board is; the sheet with all its values. Nothing was written
  /// when it throws.
  sheet::Sheet begin(bench::Bench& bench, const ReadRanges& read);
  /// It was found again on the board.
  bool cameBack() const { return cameBack_; }

  /// What runs of this unit use: the ledger hears of the first change before it happens, and records name the unit.
  run::RunSeams seams(const run::RunSeams& others);
  /// At the end of all runs. `good`: all was written and confirmed. Where the store cannot be reached by now, it waits
  /// for it. Throws CannotWrite.
  void settle(bool good, const std::string& why);
  /// Ends it in whatever state it is: what was begun has failed, what was not is void. Where the store cannot be
  /// reached the reservation stays.
  ~UnitRun();

 private:
  class Notes;
  class Records;
  sheet::Sheet with(const units::Values& values, bool onlyKnown = false) const;
  units::Inputs inputs(bench::Bench* bench) const;
  std::map<std::string, Bytes> found(bench::Bench& bench, const ReadRanges& read) const;
  std::optional<UnitRow> known(const std::map<std::string, Bytes>& found, const std::string& board);
  bool agrees(const UnitRow& row, const std::map<std::string, Bytes>& found) const;
  void requireSameBoard(const UnitRow& row, const std::map<std::string, Bytes>& found, const std::string& board) const;
  void requireAll(const units::Values& values) const;
  std::string boardOf(bench::Bench& bench) const;
  void show(const units::Values& values);
  void begunWriting();

  const sheet::Sheet sheet_;
  units::ValueMaker maker_;
  Ledger ledger_;
  WhichUnit which_;
  units::Unit unit_;
  std::string run_;
  UnitState before_ = UnitState::Reserved;
  bool reserved_ = false, writing_ = false, settled_ = false, cameBack_ = false;
  std::unique_ptr<Notes> notes_;
  std::unique_ptr<Records> records_;
};

}  // namespace imprimo::records
