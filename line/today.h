// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace imprimo::line {

/// What a station did with one release, a line of JSON for each board (docs/formats/line.md): for who stands there.
/// What counts are ledger and records.
class DayBook {
 public:
  struct Entry {
    std::string at;  ///< UTC, ISO 8601
    bool good = false;
    bool again = false;  ///< the board was a unit already
    std::uint64_t unit = 0;
    double seconds = 0;
    std::string operatorName;
  };
  struct Counts {
    std::uint64_t good = 0, failed = 0;  ///< today
    std::uint64_t goodEver = 0;          ///< boards that came back counted once
    std::vector<Entry> today;            ///< in order; the last thousands at most
  };

  DayBook(const std::filesystem::path& folder, const std::string& release);
  /// On disk when it returns. Throws CannotWrite.
  void add(const Entry& entry);
  /// `day`: "2031-04-05"; empty: today, in UTC. A line that cannot be read (a computer that lost its power) is left
  /// out.
  Counts counts(const std::string& day = {}) const;

 private:
  std::filesystem::path file_;
};

/// Where the user's are.
std::filesystem::path bookFolder();

}  // namespace imprimo::line
