// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTemporaryDir>
#include <memory>
#include <string>

#include "core/run/runner.h"
#include "sim/bench.h"

namespace imprimo::test {

/// What a test's world with one core is made of.
struct CoreWorldOptions {
  bool jtag = false;  ///< its debug port is the second of three devices on a chain, not on SWD
  std::uint32_t irLength = 4;
  std::uint32_t flashAt = 0;
  std::size_t packetSize = 512, packetCount = 4;
  std::uint32_t clock = 10'000'000;
  std::string probe{};                               ///< more keys of the bench's probe, each with a comma in front
  std::string core{};                                ///< the same of the bench's core
  std::string coreKeys{};                            ///< of the core in the sheet
  std::string described = R"("card": "card.json")";  ///< by what the sheet knows the core
  std::string sheet{};                               ///< more top-level keys of the sheet
  std::string card{};                                ///< of its card
  std::string memories{};                            ///< more memories of the sheet, each with a comma in front
  std::string identity = R"({"at": "0x40000000", "mask": "0xFF000000", "value": "0xC6000000"})";
  std::string times = R"({"sector": 0.002, "all": 0.01, "word": 0.000002})";  ///< of the flash
  std::string ram = "0x4000";                                                 ///< as the card says
  std::vector<std::pair<std::string, Bytes>> files{};                         ///< more files beside the sheet
  Bytes algorithm{};  ///< the demo's where empty, moved to `flashAt`
};

/// The demo's flash algorithm, for a flash at another address.
Bytes algorithmAt(std::uint32_t address);

/// A flash that begins with a vector table: the stack at the end of the RAM, start at 0xC0 with this code, a hard fault
/// handler at 0x80 that goes nowhere. Words of `code` are instructions of the 16-bit set.
Bytes firmware(std::initializer_list<std::uint16_t> code);

/// Bench, card and sheet from the same description, and the program's view of them over the in-process link.
class CoreWorld {
 public:
  explicit CoreWorld(CoreWorldOptions options = {});

  sim::Bench& sim() { return *sim_; }
  sim::CoreChip& chip() { return sim_->board().chip(); }
  bool onJtag() const { return options_.jtag; }
  bench::Bench& bench();
  void reconnect() { bench_.reset(); }
  const sheet::Sheet& sheet() const { return sheet_; }
  QString path(const char* name) const { return folder_.filePath(name); }

  run::Record carryOut(const plan::Wanted& wanted, std::stop_token stop = {}, run::RunObserver* observer = nullptr);
  plan::Wanted wanted(plan::Task task, const MemoryImage& image = {}) const;
  /// Lets time pass on the board with nobody asking.
  void pass(double seconds);

 private:
  CoreWorldOptions options_;
  QTemporaryDir folder_;
  sheet::Sheet sheet_;
  std::unique_ptr<sim::Bench> sim_;
  std::unique_ptr<bench::Bench> bench_;
};

}  // namespace imprimo::test
