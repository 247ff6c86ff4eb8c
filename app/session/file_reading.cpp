// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/file_reading.h"

#include <QCoreApplication>
#include <QPointer>
#include <QThreadPool>
#include <atomic>
#include <condition_variable>
#include <mutex>

namespace imprimo::app {
namespace {

/// So long may a click take until something is seen of it.
constinit std::chrono::milliseconds blink{60};
constexpr int kTellMs = 100;

}  // namespace

struct FileReading::State {
  std::uint64_t bytes = 0;
  std::atomic<std::uint64_t> done{0};
  std::stop_source stop;
  std::mutex mutex;
  std::condition_variable ended;
  bool over = false;
  std::function<void()> then;
};

FileReading::FileReading(QObject* parent) : QObject(parent) {
  connect(&tell_, &QTimer::timeout, this, &FileReading::progressed);
}

void FileReading::setBlink(std::chrono::milliseconds time) {
  blink = time;
}

FileReading::~FileReading() {
  cancel();
}

int FileReading::percent() const {
  if (!state_ || state_->bytes == 0) return 0;
  return static_cast<int>(std::min<std::uint64_t>(100 * state_->done / state_->bytes, 99));
}

void FileReading::cancel() {
  waiting_.clear();
  if (!state_) return;
  state_->stop.request_stop();
  tell_.stop();
  state_.reset();
}

void FileReading::read(std::uint64_t bytes, Work work) {
  cancel();
  begin(bytes, std::move(work));
}

void FileReading::add(std::uint64_t bytes, Work work) {
  if (state_ != nullptr || !waiting_.empty()) {
    waiting_.emplace_back(bytes, std::move(work));
    return;
  }
  begin(bytes, std::move(work));
}

void FileReading::next() {
  if (state_ != nullptr || waiting_.empty()) return;
  auto [bytes, work] = std::move(waiting_.front());
  waiting_.pop_front();
  begin(bytes, std::move(work));
}

void FileReading::begin(std::uint64_t bytes, Work work) {
  const auto state = std::make_shared<State>();
  state_ = state;
  state->bytes = bytes;
  QThreadPool::globalInstance()->start([self = QPointer<FileReading>(this), state, work = std::move(work)] {
    ReadRules rules;
    rules.stop = state->stop.get_token();
    rules.progress = [&state](std::uint64_t more) { state->done += more; };
    std::function<void()> then = work(rules);
    const std::scoped_lock lock(state->mutex);
    state->then = std::move(then);
    state->over = true;
    state->ended.notify_all();
    QMetaObject::invokeMethod(
        QCoreApplication::instance(),
        [self, state] {
          if (self && self->state_ == state) self->finish(state);
        },
        Qt::QueuedConnection);
  });
  bool quick = false;
  {
    std::unique_lock lock(state->mutex);
    quick = blink.count() > 0 && state->ended.wait_for(lock, blink, [&] { return state->over; });
  }
  if (quick) {
    state_.reset();
    state->then();
    return next();
  }
  tell_.start(kTellMs);
}

void FileReading::finish(const std::shared_ptr<State>& state) {
  tell_.stop();
  state_.reset();
  state->then();
  emit taken();
  next();
}

}  // namespace imprimo::app
