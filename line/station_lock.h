// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/release/secret_text.h"

namespace imprimo::line {

/// What this computer does as a station, and that nobody without its passphrase makes it do something else; also when
/// the program starts anew (docs/formats/line.md).
struct StationState {
  std::string release;              ///< the file
  std::vector<std::string> probes;  ///< addresses, in the order of the columns
  std::string hash;                 ///< of the passphrase; empty: not locked
  bool locked() const { return !hash.empty(); }
};

class StationLock {
 public:
  explicit StationLock(std::filesystem::path folder) : folder_(std::move(folder)) {}
  /// Nothing where it is no station. A file that cannot be read counts as locked, with a hash that nothing fits.
  std::optional<StationState> state() const;
  /// Throws Usage for a short passphrase, CannotWrite.
  void lock(StationState state, const release::SecretText& passphrase);
  /// Throws Refused for a wrong passphrase, which is counted, and where it is too early for another.
  void unlock(const release::SecretText& passphrase);

 private:
  std::filesystem::path file() const { return folder_ / "station.json"; }
  std::filesystem::path folder_;
};
/// The user's own.
StationLock stationLock();

}  // namespace imprimo::line
