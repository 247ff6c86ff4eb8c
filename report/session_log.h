// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace imprimo::report {

/// What the window said, kept for a report: the newest lines, also of a program that ended badly.
class SessionLog {
 public:
  explicit SessionLog(std::filesystem::path file = usualFile());
  /// $XDG_STATE_HOME/imprimo/window.log, or ~/.local/state/imprimo/window.log.
  static std::filesystem::path usualFile();

  /// Puts a line behind the others, with the time; older ones go when there are more than 256 KiB. What cannot be
  /// written is let go: nobody works for the log's sake.
  void add(const std::string& line);
  /// The newest `most`, oldest of them first.
  std::vector<std::string> newest(std::size_t most) const;

 private:
  std::filesystem::path file_;
};

}  // namespace imprimo::report
