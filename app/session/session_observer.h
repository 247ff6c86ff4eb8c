// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QElapsedTimer>
#include <utility>

#include "app/session/bench_session.h"

namespace imprimo::app {

/// Progress is told so often at most: 30 times a second.
inline constexpr int kUpdateMs = 33;

/// What is known in a range.
inline MemoryImage copyOf(const MemoryImage& image, const AddressRange& range) {
  MemoryImage copy;
  for (const MemoryImage::Segment& s : image.segmentsIn(range)) copy.write(s.begin, s.bytes);
  return copy;
}

/// Sends what a run does to the GUI thread, progress at most 30 times a second.
class BenchSession::Observer : public run::RunObserver {
 public:
  Observer(BenchSession& session, quint64 generation, bench::Bench& bench, std::string memory)
      : session_(session), generation_(generation), bench_(bench), memory_(std::move(memory)) {
    sinceUpdate_.start();
  }

  void planned(const plan::PlanPtr& plan) override {
    tell([&s = session_, plan] { emit s.runPlanned(plan); });
  }
  void stepStarted(std::size_t step) override {
    tell([&s = session_, step] { emit s.stepStarted(static_cast<int>(step)); });
  }
  void advanced(std::size_t step, const AddressRange& range, const Amount& done) override {
    touched_.add(range);
    step_ = step;
    done_ = done.count;
    moved_ = true;
    if (sinceUpdate_.elapsed() >= kUpdateMs) update();
  }
  void waiting(std::size_t step, double left) override {
    if (sinceUpdate_.elapsed() < kUpdateMs) return;
    sinceUpdate_.restart();
    tell([&s = session_, step, left] { emit s.stepWaiting(static_cast<int>(step), left); });
  }
  void stepFinished(std::size_t step, const run::RanStep& ran) override {
    update();
    if (ran.step.kind == plan::StepKind::Identify && bench_.at(memory_).continuity() != memory::Continuity::Unbroken)
      takeAll();
    tell([&s = session_, step, seconds = ran.seconds] { emit s.stepFinished(static_cast<int>(step), seconds); });
  }
  void finished(const run::RecordPtr& record) override {
    update();
    if (record->error) takeAll();
    tell([&s = session_, record] {
      s.running_ = false;
      emit s.runFinished(record);
    });
  }

 private:
  template <typename Tell>
  void tell(Tell&& what) {
    session_.postAnswer(generation_, std::forward<Tell>(what));
  }

  /// What the bench knows for certain, and of the rest only that it is from before, or gone.
  void takeAll() {
    if (!bench_.identified(memory_)) return;
    const memory::KnownContents& known = bench_.at(memory_).contents();
    ContentsUpdate news{memory_, {}, {}, true};
    if (known.empty()) news.touched = {bench_.at(memory_).identity().geometry.whole()};
    for (const AddressRange& sure : known.sure().ranges()) news.contents.write(copyOf(known.bytes(), sure));
    tell([&s = session_, news = std::move(news)] { emit s.contentsChanged(news); });
  }

  void update() {
    sinceUpdate_.restart();
    if (!std::exchange(moved_, false)) return;
    ContentsUpdate news{memory_, touched_.ranges(), {}, false};
    if (bench_.identified(memory_)) {
      for (const AddressRange& r : news.touched) news.contents.write(copyOf(bench_.at(memory_).contents().bytes(), r));
    }
    touched_ = {};
    tell([&s = session_, news = std::move(news), step = step_, done = done_] {
      if (!news.contents.empty() || !news.touched.empty()) emit s.contentsChanged(news);
      emit s.stepAdvanced(static_cast<int>(step), done);
    });
  }

  BenchSession& session_;
  quint64 generation_;
  bench::Bench& bench_;
  std::string memory_;
  QElapsedTimer sinceUpdate_;
  RangeSet touched_;
  bool moved_ = false;
  std::size_t step_ = 0;
  std::uint64_t done_ = 0;
};

}  // namespace imprimo::app
