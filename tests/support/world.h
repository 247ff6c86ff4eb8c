// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTemporaryDir>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "core/run/runner.h"
#include "core/store/copy_store.h"
#include "sim/bench.h"

namespace imprimo::test {

struct DeviceSpec {
  unsigned irLength = 6;
  bool idcode = true;
};

/// What a test's world is made of: a chain with an FPGA and a flash behind its bridge.
struct WorldOptions {
  std::vector<DeviceSpec> chain{{8, true}, {6, true}, {4, true}};
  std::size_t fpga = 2;  ///< position of the part with the bridge
  std::size_t packetSize = 512, packetCount = 4;
  std::string flash = R"("size": "1M")";       ///< keys of the flash in the bench's description
  std::string memory{};                        ///< more keys of the memory in the sheet, each with a comma in front
  std::map<std::string, std::string> files{};  ///< beside the sheet, by name
  std::string sheet{};                         ///< more top-level keys of the sheet, each with a comma in front
  std::uint32_t clock = 10'000'000;
  bool mpsse = false;         ///< reached through the bench's MPSSE adapter
  std::string probe{};        ///< more keys of the bench's probe, each with a comma in front
  bool hostTime = false;      ///< waits are measured by the host's clock
  std::string bench{};        ///< more top-level keys of the bench, each with a comma in front
  bool boardDiffers = false;  ///< the board's first part has another IDCODE than the sheet expects
};

/// Bench and sheet from the same description, and the program's view of them over the in-process link.
class World {
 public:
  explicit World(WorldOptions options = {});

  sim::Bench& sim() { return *sim_; }
  sim::SpiFlash& flash() { return sim_->flash("boot-flash"); }
  bench::Bench& bench();
  /// A new connection; the link's faults stay.
  void reconnect() { bench_.reset(); }
  const sheet::Sheet& sheet() const { return sheet_; }
  const std::string& benchText() const { return benchText_; }
  const std::string& sheetText() const { return sheetText_; }
  QString folder() const { return folder_.path(); }
  QString path(const char* name) const { return folder_.filePath(name); }

  run::Record carryOut(const plan::Wanted& wanted, std::stop_token stop = {}, run::RunObserver* observer = nullptr,
                       bool dryRun = false);
  /// What a copy that a run saved holds.
  MemoryImage copy(const std::filesystem::path& path) const;
  plan::Wanted wanted(plan::Task task, const MemoryImage& image = {}) const;
  Bytes cells(std::uint64_t from, std::size_t count);
  /// Cells change without our doing: it is another board, or the design that runs there wrote to its flash. In both
  /// cases the bridge is not the one that it was.
  void fill(std::uint64_t from, const Bytes& bytes);
  /// Another board of the same kind is plugged in; what its flash holds is up to who calls.
  void swapBoard() { sim_->board().cyclePower(); }

 private:
  WorldOptions options_;
  QTemporaryDir folder_;
  std::string benchText_, sheetText_;
  sheet::Sheet sheet_;
  std::unique_ptr<sim::Bench> sim_;
  std::unique_ptr<bench::Bench> bench_;
};

/// BSDL for an invented part; FABRIC_A is there for the bridge.
std::string bsdlText(const std::string& entity, unsigned irLength, std::uint32_t idcode, bool hasIdcode);
std::uint32_t idcodeOf(std::size_t position);

}  // namespace imprimo::test
