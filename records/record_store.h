// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "records/database.h"
#include "records/kept_record.h"

namespace imprimo::records {

/// What records are looked for; empty: all.
struct Search {
  std::string unit;   ///< a number of a unit, or one of its values
  std::string title;  ///< the sheet's
  std::string station;
  std::string result;    ///< one of them, or "good" or "bad"
  std::string from, to;  ///< days in UTC, "2026-11-30", both included
  bool operator==(const Search&) const = default;
};

/// Where a list goes on: behind this record. Empty: at the newest.
struct Behind {
  std::string started, id;
};

/// Counts of one day.
struct DayCount {
  std::string day;
  std::uint64_t runs = 0, good = 0;
  double seconds = 0;  ///< in all
};

/// Records in a store. Every search answers by indexes: days that have something are known by their counts, and only
/// those are looked through, by their times.
class RecordStore {
 public:
  explicit RecordStore(Database& database) : database_(database) {}

  /// False: it is there already.
  bool keep(const KeptRecord& record);
  /// Many in one transaction; how many were new.
  std::size_t keepAll(const std::vector<KeptRecord>& records);

  /// The newest first, at most `most`, without their texts.
  std::vector<KeptRecord> find(const Search& search, std::size_t most, const Behind& behind = {});
  std::uint64_t count(const Search& search);
  /// In order, days without a run left out. A search for a unit counts like one without.
  std::vector<DayCount> days(const Search& search);
  /// Runs that failed, by the step at which they did; the most first.
  std::vector<std::pair<std::string, std::uint64_t>> failures(const Search& search);
  std::vector<std::string> titles();
  std::vector<std::string> stations();
  /// With its text. Throws Usage where there is none of that id, or of that beginning of one.
  KeptRecord record(const std::string& id);

  /// Records of before this day go; a row says how many, who, and why. Returns how many.
  std::uint64_t removeBefore(const std::string& day, const std::string& person, const std::string& why);
  struct Deletion {
    std::string at, station, person, before;
    std::uint64_t runs = 0;
    std::string why;
  };
  std::vector<Deletion> deletions();

 private:
  std::vector<KeptRecord> ofUnit(const Search& search, std::size_t most, const Behind& behind);
  std::vector<std::string> daysWith(const Search& search, const Behind& behind);

  Database& database_;
};

}  // namespace imprimo::records
