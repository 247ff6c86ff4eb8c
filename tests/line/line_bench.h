// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTemporaryDir>
#include <atomic>
#include <memory>

#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "core/base/json.h"
#include "core/base/user_folders.h"
#include "core/release/release_file.h"
#include "sim/bench_server.h"
#include "sim/fixture.h"
#include "tests/support/copy_folder.h"

namespace imprimo::test {

/// A simulated probe with somebody who puts boards under it.
class SimulatedPlace {
 public:
  SimulatedPlace(const std::filesystem::path& benchFile, const sim::FixtureModel& boards, bool realTime = false)
      : bench_(sim::readBench(benchFile)), fixture_(*bench_, boards) {
    sim::ServerOptions options;
    options.realTime = realTime;
    options.beforePacket = [this](std::uint64_t) {
      if (sim::BenchServer* const there = served_.load()) there->with([this](sim::Bench&) { fixture_.step(); });
    };
    server_ = std::make_unique<sim::BenchServer>(*bench_, options);
    served_ = server_.get();
  }
  std::string address() const { return server_->address(); }
  sim::BenchServer& server() { return *server_; }
  sim::Fixture& fixture() { return fixture_; }
  double virtualSeconds() {
    return server_->with([](sim::Bench& b) { return sim::toSeconds(b.board().now()); });
  }

 private:
  std::unique_ptr<sim::Bench> bench_;
  sim::Fixture fixture_;
  std::atomic<sim::BenchServer*> served_ = nullptr;
  std::unique_ptr<sim::BenchServer> server_;
};

/// The gauge with numbers for its units and small files, released by a key that this station trusts.
class ReleasedGauge {
 public:
  static constexpr const char* kPassphrase = "seven words are better than one";
  static constexpr std::uint64_t kAt = 0x7E0000;

  explicit ReleasedGauge(const release::LineRules& line = {}, const std::string& last = "1999",
                         const std::string& more = "") {
    std::filesystem::remove_all(dataFolder());
    copyFolder(IMPRIMO_DEMO, folder_.path());
    auto json = nlohmann::ordered_json::parse(readTextFile(path("gauge-rev-b.imprimo")));
    // A line of the test's length: the large file stays at home.
    auto placements = nlohmann::ordered_json::array();
    for (const auto& each : json["placements"]) {
      if (each["file"] != "echo_correlator.bin") placements.push_back(each);
    }
    json["placements"] = placements;
    json["after"] = nlohmann::ordered_json::array();
    json["units"] = nlohmann::ordered_json::parse(R"x({"ledger": "line", "fields": [
      {"name": "serial", "memory": "boot-flash", "at": "0x7E0000", "bytes": 4, "from": {"count": "1000", "to": ")x" +
                                                  last + R"x("}},
      {"name": "key", "memory": "boot-flash", "at": "0x7E0020", "bytes": 16, "as": "bytes", "secret": true, "from": {"random": true}})x" +
                                                  more + "]}");
    writeFileAtomically(path("gauge-rev-b.imprimo"), json.dump(2));
    release::Release frozen = release::freeze(sheet::readSheet(path("gauge-rev-b.imprimo")), 14, line);
    const auto key =
        release::SigningKey::make(path("key.json"), "bench 2", release::SecretText(std::string(kPassphrase)));
    release::writeRelease(frozen, key, file());
    release::trustedKeys().add(key.publicKey());
  }
  ~ReleasedGauge() { std::filesystem::remove_all(dataFolder()); }
  std::string path(const char* name) const { return folder_.filePath(name).toStdString(); }
  std::string file() const { return path("gauge.imprimo-release"); }
  std::string benchFile() const { return path("bench.json"); }

 private:
  QTemporaryDir folder_;
};

}  // namespace imprimo::test
