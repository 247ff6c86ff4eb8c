// SPDX-License-Identifier: GPL-3.0-or-later
//
// The session plays a file of vectors.
#include <QElapsedTimer>

#include "app/session/bench_session.h"
#include "app/session/session_observer.h"
#include "core/store/folders.h"
#include "records/store_seams.h"

namespace imprimo::app {

/// Tells the GUI thread, at most 30 times a second, and waits where the window says so.
class BenchSession::Player : public vectors::PlayWatch {
 public:
  Player(BenchSession& session, quint64 generation, std::shared_ptr<PlayControl> control, std::stop_token stop)
      : session_(session), generation_(generation), control_(std::move(control)), stop_(std::move(stop)) {
    since_.start();
  }

  void advanced(const svf::Played& played) override {
    if (since_.elapsed() >= kUpdateMs) {
      since_.restart();
      session_.postAnswer(generation_, [&s = session_, played] { emit s.playAdvanced(played); });
    }
    control_->waitWhilePaused(stop_);
  }
  bool goesOnPast(const svf::Mismatch& mismatch, const vectors::MismatchStory& story) override {
    session_.postAnswer(generation_, [&s = session_, mismatch, story] { emit s.playMismatch(mismatch, story); });
    return control_->waitForDecision(stop_);
  }

 private:
  BenchSession& session_;
  quint64 generation_;
  std::shared_ptr<PlayControl> control_;
  std::stop_token stop_;
  QElapsedTimer since_;
};

void BenchSession::playVectors(const std::shared_ptr<PlayControl>& control, const vectors::PlayWish& wish) {
  if (running_) return;
  viewStop_.request_stop();
  backgroundStop_.request_stop();
  runStop_ = std::stop_source();
  running_ = true;
  emit runStarted();
  worker_.post([=, this, generation = generation_, stop = runStop_.get_token()](Worker::State& state) {
    if (!state.bench) {
      postAnswer(generation, [this] {
        running_ = false;
        auto report = std::make_shared<vectors::PlayReport>();
        report->record.error = ErrorKind::LinkLost;
        report->record.message = "The probe is no longer connected; nothing was sent. Connect again.";
        emit playFinished(report);
      });
      return;
    }
    Player watch(*this, generation, control, stop);
    records::StoreSink records;
    bench::Bench& bench = *state.bench;
    const auto describe = [&bench](std::uint32_t idcode) -> const bsdl::BoundaryDescription* {
      for (const sheet::Device& device : bench.sheet().chain) {
        if (device.description && device.description->matchesIdcode(idcode)) return device.description.get();
      }
      return nullptr;
    };
    // Memories are left in order before somebody else speaks to them.
    bench.doubtAll();
    const auto report = std::make_shared<const vectors::PlayReport>(
        vectors::playVectors(wish, bench.probe(), &bench.sheet(), describe, records, watch, stop));
    bench.doubtAll();
    postAnswer(generation, [this, report] {
      running_ = false;
      emit playFinished(report);
    });
    if (report->record.error != ErrorKind::LinkLost) return;
    state.bench.reset();
    linkFailed(generation, Error(ErrorKind::LinkLost, "the probe was lost while a file was played", "Connect again."));
  });
}

}  // namespace imprimo::app
