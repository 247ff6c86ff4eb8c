// SPDX-License-Identifier: GPL-3.0-or-later
//
// The session's link: whether it is still there while nobody asks anything, and what happens when it is not.
#include "app/session/bench_session.h"
#include "app/session/help_words.h"

namespace imprimo::app {

void BenchSession::lookAfter() {
  if (!connected_ || running_ || pinsDriven_ || worker_.hasWaiting()) return;
  worker_.post([=, this, generation = generation_](Worker::State& state) {
    if (!state.bench || sampling_ != nullptr || worker_.hasWaiting()) return;
    try {
      guarded([&] { state.bench->probe().roundTrip(); });
    } catch (const Error& e) {
      linkFailed(generation, e);
    }
  });
}

void BenchSession::linkFailed(quint64 generation, const Error& error) {
  postAnswer(generation, [this, why = told(error)] {
    // A run that was begun meanwhile finds that out by itself, and its record says so.
    if (running_) return;
    ++generation_;
    connected_ = false;
    emit disconnected(why);
  });
}

void BenchSession::faulted(const std::string& what) {
  QMetaObject::invokeMethod(
      this,
      [this, why = QString::fromStdString(what)] {
        ++generation_;
        connected_ = false;
        running_ = false;
        emit disconnected(why);
      },
      Qt::QueuedConnection);
}

}  // namespace imprimo::app
