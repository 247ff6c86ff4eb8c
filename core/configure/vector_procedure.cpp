// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/configure/vector_procedure.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "core/base/error.h"
#include "core/svf/survey.h"

namespace imprimo::configure {
namespace {

/// Tells how many clocks went, and takes a stop over.
class Watch : public svf::PlayObserver {
 public:
  explicit Watch(Progress& progress) : progress_(progress) {}
  std::stop_token stop() const { return stop_.get_token(); }

  void advanced(const svf::Played& played) override {
    if (played.clocks > told_) progress_.passed({played.clocks - told_, Amount::Clocks});
    told_ = std::max(told_, played.clocks);
    if (progress_.stopRequested()) stop_.request_stop();
  }

 private:
  Progress& progress_;
  std::stop_source stop_;
  std::uint64_t told_ = 0;
};

class VectorProcedure : public Procedure {
 public:
  VectorProcedure(std::filesystem::path path, std::uint32_t clockHz) : stage_(std::move(path), clockHz) {
    Stage& stage = stages_.emplace_back();
    stage.title = "Play " + stage_.name();
    stage.why = "the file does all of it";
    stage.amount = {stage_.clocks(), Amount::Clocks};
    stage.seconds = stage_.seconds();
    stage.changes = true;
  }

  const std::vector<Stage>& stages() const override { return stages_; }
  StageResult carryOut(std::size_t, jtag::Chain& chain, Progress& progress) override {
    return stage_.play(chain, progress);
  }
  void leave(jtag::Chain& chain) override {
    chain.port().run(jtag::ScanBatch().reset());
    chain.forget();
  }

 private:
  VectorStage stage_;
  std::vector<Stage> stages_;
};

}  // namespace

bool isVectorFile(const std::filesystem::path& path) {
  std::string extension = path.extension().string();
  for (char& c : extension) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return extension == ".svf";
}

VectorStage::VectorStage(std::filesystem::path path, std::uint32_t clockHz) : path_(std::move(path)) {
  const auto reader = svf::Reader::open(path_);
  const svf::Survey survey = svf::survey(*reader, clockHz);
  if (survey.problem) throw *survey.problem;
  if (!survey.needs.empty()) {
    const svf::Survey::Need& need = survey.needs.front();
    throw Error(ErrorKind::Refused, reader->error(need.place, "needs " + need.what).what(), "Nothing was sent.");
  }
  clocks_ = survey.clocks;
  seconds_ = survey.seconds;
}

StageResult VectorStage::play(jtag::Chain& chain, Progress& progress) const {
  const auto reader = svf::Reader::open(path_);
  jtag::JtagPort& port = chain.port();
  const std::uint32_t before = port.clockHz();
  const auto setClock = [&](std::uint32_t hz) {
    if (port.clockHz() != hz) port.setClock(hz);
  };
  svf::PlayOptions options;
  options.setClock = [&](double hz) { setClock(hz > 0 && hz < before ? static_cast<std::uint32_t>(hz) : before); };
  Watch watch(progress);
  chain.forget();
  const svf::PlayResult result = svf::play(*reader, port, options, watch, watch.stop());
  setClock(before);
  if (result.end == svf::PlayResult::End::Stopped)
    throw Error(ErrorKind::Stopped, fmt::format("stopped at line {} of {}", result.played.place.line, name()));
  StageResult answer;
  answer.note = fmt::format("{} comparisons held", result.played.compares - result.mismatches);
  if (result.first) {
    const svf::Mismatch& m = *result.first;
    answer.mismatch =
        Mismatch{fmt::format("{}:{}:{}", name(), m.place.line, m.place.column), m.text(), m.expected, m.found, m.mask};
  }
  return answer;
}

std::unique_ptr<Procedure> vectorProcedure(std::filesystem::path path, std::uint32_t clockHz) {
  return std::make_unique<VectorProcedure>(std::move(path), clockHz);
}

}  // namespace imprimo::configure
