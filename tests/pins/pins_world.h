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
  std::string flash{};                    ///< more keys of the flash, each with a comma in front
  int cells = 0;                          ///< with `bsdl`: three for each of its IO pins, and no memory
  int extraCells = 0;                     ///< internal ones, behind the others
  bool twins = false;                     ///< the last device is one like the second, whose IO(2) is on IO(0)'s net
  std::string sheet{};                    ///< more keys of the sheet, each with a comma in front
  std::string memory{};                   ///< more keys of the memory, each with a comma in front
};

/// The second of three devices, whose pins lead to a flash and to each other; with cells of every kind.
class PinsWorld {
 public:
  explicit PinsWorld(PinsWorldOptions options = {});

  static std::string bsdlText(int extraCells = 0);
  sim::Bench& sim() { return *sim_; }
  sim::Board& board() { return sim_->board(); }
  sim::BoundaryScan& boundary() { return *board().device(1).boundary(); }
  bench::Bench& bench();
  void disconnect() { bench_.reset(); }
  const sheet::Sheet& sheet() const { return sheet_; }
  QString path(const char* name) const { return folder_.filePath(name); }
  /// Bytes that no two reads over wrong lines would agree on, from 0 on.
  Bytes fill(std::size_t size, unsigned seed);
  /// Boundary scans since, by the board's clocks: each the register, the other devices and at most 6 clocks.
  double scansSince(std::uint64_t clocks) { return static_cast<double>(board().clocks() - clocks) / (36 + 2 + 6); }
  /// What is on the pin of that port.
  bool level(const char* port);
  run::Record carryOut(const plan::Wanted& wanted);
  plan::Wanted wanted(plan::Task task, const MemoryImage& image = {}) const;

 private:
  void onlyPins(const PinsWorldOptions& options);

  QTemporaryDir folder_;
  sheet::Sheet sheet_;
  std::unique_ptr<sim::Bench> sim_;
  std::unique_ptr<bench::Bench> bench_;
};

}  // namespace imprimo::test
