// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTemporaryDir>
#include <functional>
#include <memory>

#include "core/base/input_file.h"
#include "core/probe/dap/dap_probe.h"
#include "core/run/configure_runner.h"
#include "core/run/job.h"
#include "core/store/copy_store.h"
#include "core/store/file_records.h"
#include "core/store/folder_notes.h"
#include "sim/bench.h"
#include "tests/support/copy_folder.h"
#include "tests/support/loop_transport.h"

namespace imprimo::test {

/// The river gauge as it is at power-up, over the in-process link.
class GaugeWorld {
 public:
  explicit GaugeWorld(const std::function<void(QString&)>& changeBench = {},
                      const std::function<void(QString&)>& changeSheet = {}) {
    copyFolder(IMPRIMO_DEMO, folder_.path());
    const auto changed = [&](const char* name, const std::function<void(QString&)>& change) {
      QString text = QString::fromStdString(readTextFile(path(name)));
      if (change) change(text);
      return text.toStdString();
    };
    sim_ = sim::parseBench(changed("bench.json", changeBench), path("bench.json"));
    sheet_ = sheet::parseSheet(changed("gauge-rev-b.imprimo", changeSheet), path("gauge-rev-b.imprimo"));
  }
  std::string path(const std::string& name) const {
    return folder_.filePath(QString::fromStdString(name)).toStdString();
  }
  sim::Bench& sim() { return *sim_; }
  const sheet::Sheet& sheet() const { return sheet_; }
  std::string state(std::size_t position) {
    return sim_->board().device(position - 1).logic()->state(sim_->board().now());
  }
  bench::Bench& bench() {
    if (!bench_) {
      probe::ProbeOptions settings;
      settings.clockHz = 10'000'000;
      bench_ = std::make_unique<bench::Bench>(
          sheet_, std::make_unique<probe::DapProbe>(std::make_unique<LoopTransport>(*sim_), settings));
    }
    return *bench_;
  }
  /// A new connection; the link's faults are gone, the board's stay.
  void reconnect() {
    bench_.reset();
    sim_->restoreLink();
  }

  run::Record program(std::stop_token stop = {}, bool dryRun = false) {
    return work(run::wantedFor(sheet_, "boot-flash", plan::Task::Program), std::move(stop), dryRun);
  }
  run::Record work(const plan::Wanted& wanted, std::stop_token stop = {}, bool dryRun = false) {
    store::CopyStore copies(path("copies"));
    store::FileRecordSink records(path("records"));
    store::FolderNotes notes(path("unfinished"));
    run::RunObserver nobody;
    const run::RunSeams seams{copies, records, notes};
    return dryRun ? *run::dryRun(wanted, bench(), seams, nobody, std::move(stop))
                  : *run::carryOut(wanted, bench(), seams, nobody, std::move(stop));
  }
  run::Record configure(const std::string& device, const std::string& file, const std::string& action = "program",
                        std::stop_token stop = {}, run::RunObserver* observer = nullptr) {
    run::ConfigureWish wish;
    wish.position = bench::positionOf(sheet_, device);
    wish.action = action;
    if (!file.empty()) wish.file = parsePiece(path(file));
    const auto job = run::prepareConfigure(bench::deviceConfig(sheet_, wish.position), wish, 10'000'000);
    store::FileRecordSink records(path("records"));
    run::RunObserver nobody;
    return *run::carryOut(*job, bench(), records, observer != nullptr ? *observer : nobody, std::move(stop));
  }

 private:
  QTemporaryDir folder_;
  std::unique_ptr<sim::Bench> sim_;
  sheet::Sheet sheet_;
  std::unique_ptr<bench::Bench> bench_;
};

}  // namespace imprimo::test
