// SPDX-License-Identifier: GPL-3.0-or-later
//
// Sampling and driving a device's pins, between other work.
#include <atomic>
#include <mutex>

#include "app/session/bench_session.h"
#include "app/session/help_words.h"

namespace imprimo::app {

using std::chrono::milliseconds;
using std::chrono::steady_clock;

/// What is sampled; what is wanted is handed over under the lock, the rest is the worker's.
struct BenchSession::Sampling {
  std::size_t position = 0, also = 0;
  std::atomic<bool> ends = false;
  std::mutex mutex;
  pins::Drives wanted;
  pins::Clocks clocks;
  pins::Others others = pins::Others::LetGo;
  bool fresh = false;  // they are others than those that are driven

  std::optional<pins::DrivePlan> plan;  // that is driven
  std::optional<pins::DrivenCells> cells;
  BitVector last, alsoLast;
  BitVector own;  // what the device drove itself before anything was driven
  std::size_t piece = 8;
  double scanSeconds = 1e-4;  // from one scan to the next, as they come

  /// Brings what is wanted to the pins, if it is something new.
  void settle(pins::PinScan& scan) {
    pins::Drives drives;
    pins::Clocks driven;
    pins::Others rest{};
    {
      const std::lock_guard lock(mutex);
      if (!fresh) return;
      fresh = false;
      drives = wanted;
      driven = clocks;
      rest = others;
    }
    if (drives.empty()) {
      plan.reset();
      cells.reset();
      if (scan.drives()) scan.letGo();
      return;
    }
    // What the device itself drives was seen before it was cut off.
    if (!plan) own = last.empty() ? scan.sample() : last;
    const BitVector& sampled = own;
    plan = pins::planDrives(scan.ports(), drives, sampled, rest);
    cells.emplace(scan.ports(), *plan, driven);
    scan.drive(plan->cells);
  }

  std::vector<BitVector> captures(pins::PinScan& scan) {
    return cells ? scan.exchange(cells->next(piece, scanSeconds)) : scan.sample(piece);
  }

  static void count(const pins::BoundaryPorts& ports, const BitVector& now, BitVector& before,
                    std::vector<std::uint32_t>& edges) {
    for (std::size_t i = 0; i < ports.ports.size(); ++i) {
      const auto& input = ports.ports[i].input;
      if (input && !before.empty() && now[*input] != before[*input]) ++edges[i];
    }
    before = now;
  }
};

void BenchSession::samplePins(std::size_t position, std::size_t also) {
  if (sampling_ && connected_ && !sampling_->ends && sampling_->position == position && sampling_->also == also) return;
  if (sampling_) sampling_->ends = true;
  sampling_.reset();
  pinsDriven_ = false;
  if (!connected_ || running_ || position == 0) return;
  sampling_ = std::make_shared<Sampling>();
  sampling_->position = position;
  sampling_->also = also == position ? 0 : also;
  sampleOn(generation_, sampling_);
}

void BenchSession::drivePins(const pins::Drives& drives, const pins::Clocks& clocks, pins::Others others) {
  if (!sampling_) return;
  pinsDriven_ = !drives.empty();
  const std::lock_guard lock(sampling_->mutex);
  sampling_->wanted = drives;
  sampling_->clocks = clocks;
  sampling_->others = others;
  sampling_->fresh = true;
}

void BenchSession::findWires(std::size_t position, const std::vector<std::size_t>& candidates) {
  if (!connected_ || running_) return;
  wireStop_ = std::stop_source();
  worker_.post([=, this, stop = wireStop_.get_token(), generation = generation_](Worker::State& state) {
    if (!state.bench) return;
    const auto tell = [&](const WireNews& news) { postAnswer(generation, [this, news] { emit wiresTried(news); }); };
    WireNews news;
    try {
      state.bench->letPinsGo();
      const auto scan = state.bench->openPins(position);
      pins::WireSearch search(*scan, candidates);
      news.most = search.most();
      news.longest = search.longest();
      tell(news);
      news.found = search.run(
          [&](std::size_t tried) {
            news.tried = tried;
            tell(news);
          },
          stop);
      news.tried = search.tried();
    } catch (const Error& e) {
      news.problem = told(e);
      if (e.kind() == ErrorKind::LinkLost) linkFailed(generation, e);
    }
    news.ended = true;
    tell(news);
  });
}

/// One turn, then the next is posted behind whatever was asked for meanwhile.
void BenchSession::sampleOn(quint64 generation, const std::shared_ptr<Sampling>& sampling) {
  worker_.post([=, this](Worker::State& state) {
    if (!state.bench) return;
    constexpr milliseconds kTurn{34};  // no more than 30 a second are painted
    constexpr std::size_t kTrace = 512;
    PinNews news;
    news.position = sampling->position;
    try {
      if (sampling->ends) return state.bench->letPinsGo();
      pins::PinScan& scan = state.bench->pins(sampling->position, sampling->also);
      const pins::PinScan* also = state.bench->otherPins();
      news.edges.assign(scan.ports().ports.size(), 0);
      if (also != nullptr) news.alsoEdges.assign(also->ports().ports.size(), 0);
      const auto began = steady_clock::now();
      do {
        sampling->settle(scan);
        const auto before = steady_clock::now();
        std::vector<BitVector> captures = sampling->captures(scan);
        for (const BitVector& now : captures) Sampling::count(scan.ports(), now, sampling->last, news.edges);
        news.samples += captures.size();
        news.captures.insert(news.captures.end(), captures.begin(), captures.end());
        if (also != nullptr) {
          for (const BitVector& now : scan.companionCaptures())
            Sampling::count(also->ports(), now, sampling->alsoLast, news.alsoEdges);
          news.also.insert(news.also.end(), scan.companionCaptures().begin(), scan.companionCaptures().end());
        }
        // As many at once as take a third of a turn.
        const double took = std::chrono::duration<double>(steady_clock::now() - before).count();
        sampling->scanSeconds = std::max(took / static_cast<double>(captures.size()), 1e-7);
        constexpr double kPiece = 0.01;
        sampling->piece = std::clamp<std::size_t>(
            static_cast<std::size_t>(static_cast<double>(sampling->piece) * kPiece / std::max(took, 1e-6)), 1, 1024);
      } while (!sampling->ends && !worker_.hasWaiting() && steady_clock::now() - began < kTurn);
      for (auto* all : {&news.captures, &news.also}) {
        if (all->size() > kTrace) all->erase(all->begin(), all->end() - static_cast<std::ptrdiff_t>(kTrace));
      }
      news.seconds = std::chrono::duration<double>(steady_clock::now() - began).count();
      news.driven = sampling->plan.has_value();
      if (sampling->plan) news.alongside = sampling->plan->alongside;
    } catch (const Error& e) {
      const bool wrongWish = e.kind() == ErrorKind::Usage && state.bench != nullptr && !sampling->last.empty();
      if (!wrongWish) sampling->ends = true;
      postAnswer(generation, [this, why = told(e)] { emit pinsFailed(why); });
      if (e.kind() == ErrorKind::LinkLost) linkFailed(generation, e);
      if (!wrongWish) return;
    }
    if (news.samples > 0) postAnswer(generation, [this, news = std::move(news)] { emit pinsSampled(news); });
    sampleOn(generation, sampling);
  });
}

}  // namespace imprimo::app
