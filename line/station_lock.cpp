// SPDX-License-Identifier: GPL-3.0-or-later
#include "line/station_lock.h"

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/json.h"
#include "core/base/user_folders.h"
#include "core/release/passphrase.h"

namespace imprimo::line {
namespace {

using Json = nlohmann::ordered_json;

}  // namespace

StationLock stationLock() {
  return StationLock(dataFolder());
}

std::optional<StationState> StationLock::state() const {
  std::error_code none;
  if (!std::filesystem::exists(file(), none)) return std::nullopt;
  StationState state;
  try {
    const Json json = Json::parse(readTextFile(file(), kListFile));
    state.release = json.at("release").get<std::string>();
    state.probes = json.at("probes").get<std::vector<std::string>>();
    state.hash = json.at("passphrase").get<std::string>();
  } catch (const std::exception&) {
    state.hash = "unreadable";
  }
  return state;
}

void StationLock::lock(StationState state, const release::SecretText& passphrase) {
  const Json json = {
      {"release", state.release}, {"probes", state.probes}, {"passphrase", release::passphraseHash(passphrase)}};
  makeFolders(folder_);
  writeFileAtomically(file(), json.dump(2) + "\n");
}

void StationLock::unlock(const release::SecretText& passphrase) {
  const auto known = state();
  if (!known) return;
  release::Tries tries(folder_ / "station-tries.json");
  tries.requireTime();
  if (!release::fits(passphrase, known->hash)) {
    tries.wrong();
    throw Error(ErrorKind::Refused, "the passphrase is wrong", "Each wrong one makes the next wait longer.");
  }
  tries.right();
  std::error_code failure;
  std::filesystem::remove(file(), failure);
  if (failure) throw Error(ErrorKind::CannotWrite, "cannot remove " + file().string() + ": " + failure.message());
}

}  // namespace imprimo::line
