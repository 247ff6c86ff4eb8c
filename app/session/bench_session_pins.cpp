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
  std::size_t position = 0;
  std::atomic<bool> ends = false;
  std::mutex mutex;
  pins::Drives wanted;
  bool fresh = false;  // they are others than those that are driven

  std::optional<pins::DrivePlan> plan;  // that is driven
  BitVector last;
  std::size_t piece = 8;

  /// Brings what is wanted to the pins, if it is something new.
  void settle(pins::PinScan& scan) {
    pins::Drives drives;
    {
      const std::lock_guard lock(mutex);
      if (!fresh) return;
      fresh = false;
      drives = wanted;
    }
    if (drives.empty()) {
      plan.reset();
      if (scan.drives()) scan.letGo();
      return;
    }
    // What the device itself drives was seen before it was cut off.
    const BitVector sampled = plan || last.empty() ? (plan ? plan->cells : scan.sample()) : last;
    plan = pins::planDrives(scan.ports(), drives, sampled);
    scan.drive(plan->cells);
  }

  void count(const pins::BoundaryPorts& ports, const BitVector& now, PinNews& news) {
    for (std::size_t i = 0; i < ports.ports.size(); ++i) {
      const auto& input = ports.ports[i].input;
      if (input && !last.empty() && now[*input] != last[*input]) ++news.edges[i];
    }
    last = now;
    ++news.samples;
  }
};

void BenchSession::samplePins(std::size_t position) {
  if (sampling_ && connected_ && !sampling_->ends && sampling_->position == position) return;
  if (sampling_) sampling_->ends = true;
  sampling_.reset();
  if (!connected_ || running_ || position == 0) return;
  sampling_ = std::make_shared<Sampling>();
  sampling_->position = position;
  sampleOn(generation_, sampling_);
}

void BenchSession::drivePins(const pins::Drives& drives) {
  if (!sampling_) return;
  const std::lock_guard lock(sampling_->mutex);
  sampling_->wanted = drives;
  sampling_->fresh = true;
}

/// One turn, then the next is posted behind whatever was asked for meanwhile.
void BenchSession::sampleOn(quint64 generation, const std::shared_ptr<Sampling>& sampling) {
  worker_.post([=, this](Worker::State& state) {
    if (!state.bench) return;
    constexpr milliseconds kTurn{30};
    constexpr std::size_t kTrace = 512;
    PinNews news;
    news.position = sampling->position;
    try {
      if (sampling->ends) return state.bench->letPinsGo();
      pins::PinScan& scan = state.bench->pins(sampling->position);
      news.edges.assign(scan.ports().ports.size(), 0);
      const auto began = steady_clock::now();
      do {
        sampling->settle(scan);
        const auto before = steady_clock::now();
        std::vector<BitVector> captures =
            sampling->plan ? scan.exchange(sampling->plan->cells, sampling->piece) : scan.sample(sampling->piece);
        for (const BitVector& now : captures) sampling->count(scan.ports(), now, news);
        news.captures.insert(news.captures.end(), captures.begin(), captures.end());
        // As many at once as take a third of a turn.
        const double took = std::chrono::duration<double>(steady_clock::now() - before).count();
        constexpr double kPiece = 0.01;
        sampling->piece = std::clamp<std::size_t>(
            static_cast<std::size_t>(static_cast<double>(sampling->piece) * kPiece / std::max(took, 1e-6)), 1, 1024);
      } while (!sampling->ends && !worker_.hasWaiting() && steady_clock::now() - began < kTurn);
      if (news.captures.size() > kTrace)
        news.captures.erase(news.captures.begin(), news.captures.end() - static_cast<std::ptrdiff_t>(kTrace));
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
