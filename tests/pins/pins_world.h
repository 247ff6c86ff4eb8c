// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTemporaryDir>
#include <memory>
#include <string>

#include "core/run/runner.h"
#include "sim/bench.h"

namespace imprimo::test {

struct PinsWorldOptions {
  std::string nets{};                     ///< more nets of the bench, each with a comma in front
  std::string io4 = "IO(4)";              ///< the port of cs in the sheet
  std::string route{};                    ///< more keys of the route, each with a comma in front
  std::string drives = R"("drives": 0)";  ///< what the device's own logic does at IO(0)
  std::string bsdl{};                     ///< in place of the world's own
  std::string probe{};                    ///< keys of the bench's probe, each with a comma behind
};

/// The second of three devices, whose pins lead to a flash and to each other; with cells of every kind.
class PinsWorld {
 public:
  explicit PinsWorld(PinsWorldOptions options = {});

  static std::string bsdlText();
  sim::Bench& sim() { return *sim_; }
  sim::Board& board() { return sim_->board(); }
  sim::BoundaryScan& boundary() { return *board().device(1).boundary(); }
  bench::Bench& bench();
  void disconnect() { bench_.reset(); }
  const sheet::Sheet& sheet() const { return sheet_; }
  QString path(const char* name) const { return folder_.filePath(name); }
  /// What is on the pin of that port.
  bool level(const char* port);
  run::Record carryOut(const plan::Wanted& wanted);
  plan::Wanted wanted(plan::Task task, const MemoryImage& image = {}) const;

 private:
  QTemporaryDir folder_;
  sheet::Sheet sheet_;
  std::unique_ptr<sim::Bench> sim_;
  std::unique_ptr<bench::Bench> bench_;
};

}  // namespace imprimo::test
