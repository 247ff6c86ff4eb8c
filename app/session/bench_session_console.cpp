// SPDX-License-Identifier: GPL-3.0-or-later
//
// Listening to what a core says, between other work.
#include <algorithm>
#include <atomic>
#include <thread>

#include "app/session/bench_session.h"
#include "app/session/help_words.h"
#include "core/bench/cores/core_console.h"
#include "core/bench/cores/core_speech.h"

namespace imprimo::app {

using std::chrono::milliseconds;
using std::chrono::steady_clock;

/// What is listened to; but for `ends` it is the worker's.
struct BenchSession::Listening {
  std::string core;
  sheet::CoreSpeech speech;
  quint64 generation = 0;
  std::atomic<bool> ends = false;
  bench::BenchCore* at = nullptr;  // for whom the sources were made
  std::vector<std::unique_ptr<console::Source>> sources;

  /// While the core is still there.
  void finish(bench::Bench& bench) {
    try {
      if (at != &bench.core(core)) return;
      for (const auto& source : sources) source->end();
    } catch (const Error&) {
      // It is gone, and what was changed on it with it.
    }
  }

  /// One that cannot be had is said, and keeps no other from being listened to. Throws where none can be.
  void makeSources(bench::BenchCore& now, std::vector<console::Heard>& all) {
    if (at == &now) return;
    at = &now;
    sources.clear();
    for (const std::string& name : speech.sources) {
      try {
        sources.push_back(bench::makeConsoleSource(name, now, speech));
      } catch (const Error& e) {
        const bool last = name == speech.sources.back();
        if (e.kind() != ErrorKind::Refused || (last && sources.empty())) throw;
        all.push_back({name});
        all.back().note = e.full();
      }
    }
  }
};

void BenchSession::listen(const std::string& core, const sheet::CoreSpeech& speech) {
  // What is listened to already goes on, with what is known of it.
  if (connected_ && listening_ && !listening_->ends && listening_->generation == generation_ &&
      listening_->core == core && listening_->speech == speech)
    return;
  if (listening_) listening_->ends = true;
  listening_.reset();
  if (!connected_ || speech.sources.empty()) return;
  listening_ = std::make_shared<Listening>();
  listening_->core = core;
  listening_->speech = speech;
  listening_->generation = generation_;
  listenOn(generation_, listening_);
}

/// One turn of listening, then the next is posted behind whatever was asked for meanwhile.
void BenchSession::listenOn(quint64 generation, const std::shared_ptr<Listening>& listening) {
  worker_.post([=, this](Worker::State& state) {
    if (!state.bench) return;
    if (listening->ends) return listening->finish(*state.bench);
    if (pinsDriven_) return listenOn(generation, listening);  // they would be let go for it
    // What came is carried over as often as a window can show it; it is looked for once a millisecond.
    constexpr milliseconds kTurn{30}, kBetween{1};
    const auto end = steady_clock::now() + kTurn;
    std::vector<console::Heard> all;
    try {
      bench::BenchCore& core = state.bench->core(listening->core);
      listening->makeSources(core, all);
      while (!listening->ends) {
        const auto next = steady_clock::now() + kBetween;
        for (const auto& source : listening->sources) {
          for (console::Heard& heard : source->hear()) {
            if (!all.empty() && all.back().channel == heard.channel && !heard.began && heard.note.empty()) {
              all.back().bytes.insert(all.back().bytes.end(), heard.bytes.begin(), heard.bytes.end());
              all.back().lost += heard.lost;
              if (heard.exit) all.back().exit = heard.exit;
            } else {
              all.push_back(std::move(heard));
            }
          }
        }
        if (worker_.hasWaiting() || steady_clock::now() >= end) break;
        core.pass(kBetween);
        std::this_thread::sleep_until(next);
      }
    } catch (const Error& e) {
      listening->ends = true;
      postAnswer(generation, [this, why = told(e)] { emit listeningFailed(why); });
      if (e.kind() == ErrorKind::LinkLost) linkFailed(generation, e);
      return;
    }
    if (!all.empty()) postAnswer(generation, [this, all = std::move(all)] { emit heard(all); });
    // Behind whoever waits.
    listenOn(generation, listening);
  });
}

void BenchSession::sayToTarget(const std::string& core, const Bytes& bytes) {
  if (!connected_ || running_) return;
  worker_.postUrgent([=, this, generation = generation_, listening = listening_](Worker::State& state) {
    if (!state.bench || !listening) return;
    try {
      const auto hears = [](const auto& source) { return source->byWallClock(); };
      auto source = std::find_if(listening->sources.begin(), listening->sources.end(), hears);
      if (source == listening->sources.end()) source = listening->sources.begin();
      if (source == listening->sources.end()) return;
      std::size_t taken = 0;
      // The target takes it up as it comes to it.
      for (int tries = 0; taken < bytes.size() && tries < 200; ++tries) {
        const std::size_t more = (*source)->tell(ByteSpan(bytes).subspan(taken));
        taken += more;
        if (more == 0) state.bench->core(core).pass(milliseconds(1));
      }
      postAnswer(generation, [this, taken, of = bytes.size()] {
        emit saidToTarget(static_cast<qsizetype>(taken), static_cast<qsizetype>(of));
      });
    } catch (const Error& e) {
      postAnswer(generation, [this, why = told(e)] { emit listeningFailed(why); });
      if (e.kind() == ErrorKind::LinkLost) linkFailed(generation, e);
    }
  });
}

}  // namespace imprimo::app
