// SPDX-License-Identifier: GPL-3.0-or-later
#include "line/today.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <fstream>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/json.h"
#include "core/base/user_folders.h"
#include "core/base/utc.h"

namespace imprimo::line {
namespace {

using Json = nlohmann::ordered_json;
constexpr std::size_t kMostShown = 4096;

}  // namespace

std::filesystem::path bookFolder() {
  return dataFolder() / "line";
}

DayBook::DayBook(const std::filesystem::path& folder, const std::string& release)
    : file_(folder / (release.substr(0, 32) + ".jsonl")) {}

void DayBook::add(const Entry& entry) {
  Json json = {{"at", entry.at}, {"good", entry.good}, {"seconds", entry.seconds}};
  if (entry.again) json["again"] = true;
  if (entry.unit != 0) json["unit"] = entry.unit;
  if (!entry.operatorName.empty()) json["operator"] = entry.operatorName;
  // One that a lost supply cut through must not take this one with it.
  const std::string line = "\n" + json.dump(-1, ' ', false, Json::error_handler_t::replace) + "\n";
  makeFolders(file_.parent_path());
  const int number = ::open(file_.c_str(), O_WRONLY | O_APPEND | O_CREAT | O_CLOEXEC, 0600);
  const bool good = number >= 0 && ::write(number, line.data(), line.size()) == static_cast<ssize_t>(line.size()) &&
                    ::fdatasync(number) == 0;
  const int reason = errno;
  if (number >= 0) ::close(number);
  if (!good)
    throw Error(ErrorKind::CannotWrite, fmt::format("cannot write {}: {}", file_.string(), std::strerror(reason)));
}

DayBook::Counts DayBook::counts(const std::string& day) const {
  const std::string today = day.empty() ? utcNow().substr(0, 10) : day;
  Counts counts;
  std::ifstream file(file_);
  for (std::string line; std::getline(file, line);) {
    const Json json = Json::parse(line, nullptr, false);
    if (!json.is_object() || !json.contains("at") || !json["at"].is_string()) continue;
    Entry entry;
    entry.at = json["at"].get<std::string>();
    entry.good = json.value("good", Json(false)) == Json(true);
    entry.again = json.value("again", Json(false)) == Json(true);
    if (json.contains("unit") && json["unit"].is_number_unsigned()) entry.unit = json["unit"].get<std::uint64_t>();
    if (json.contains("seconds") && json["seconds"].is_number()) entry.seconds = json["seconds"].get<double>();
    counts.goodEver += entry.good && !entry.again ? 1 : 0;
    if (!entry.at.starts_with(today)) continue;
    ++(entry.good ? counts.good : counts.failed);
    counts.today.push_back(std::move(entry));
  }
  if (counts.today.size() > kMostShown) counts.today.erase(counts.today.begin(), counts.today.end() - kMostShown);
  return counts;
}

}  // namespace imprimo::line
