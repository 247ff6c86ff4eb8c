// SPDX-License-Identifier: GPL-3.0-or-later
#include "report/session_log.h"

#include <algorithm>
#include <cstdlib>
#include <fstream>
#include <iterator>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/utc.h"

namespace imprimo::report {
namespace {

constexpr std::uintmax_t kMost = 256 << 10;

std::vector<std::string> linesOf(const std::filesystem::path& file) {
  std::vector<std::string> lines;
  std::ifstream in(file);
  for (std::string line; std::getline(in, line);) lines.push_back(line);
  return lines;
}

}  // namespace

SessionLog::SessionLog(std::filesystem::path file) : file_(std::move(file)) {}

std::filesystem::path SessionLog::usualFile() {
  const char* state = std::getenv("XDG_STATE_HOME");
  const char* home = std::getenv("HOME");
  const std::filesystem::path folder = state != nullptr && *state != '\0'
                                           ? std::filesystem::path(state)
                                           : std::filesystem::path(home != nullptr ? home : "/") / ".local/state";
  return folder / "imprimo" / "window.log";
}

void SessionLog::add(const std::string& line) {
  std::error_code none;
  std::filesystem::create_directories(file_.parent_path(), none);
  std::string one = utcNow() + " " + line;
  std::replace(one.begin(), one.end(), '\n', ' ');
  std::ofstream(file_, std::ios::app) << one << '\n';
  const auto size = std::filesystem::file_size(file_, none);
  if (none || size <= kMost) return;
  std::string rest;
  const auto lines = linesOf(file_);
  for (std::size_t i = lines.size() / 2; i < lines.size(); ++i) rest += lines[i] + '\n';
  try {
    writeFileAtomically(file_, rest);
  } catch (const Error&) {
    // It stays as long as it is.
  }
}

std::vector<std::string> SessionLog::newest(std::size_t most) const {
  std::vector<std::string> lines = linesOf(file_);
  if (lines.size() > most) lines.erase(lines.begin(), lines.end() - static_cast<std::ptrdiff_t>(most));
  return lines;
}

}  // namespace imprimo::report
