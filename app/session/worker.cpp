// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/worker.h"

#include "core/base/error.h"

namespace imprimo::app {

Worker::Worker(std::function<void(const std::string&)> fault) : fault_(std::move(fault)), thread_([this] { work(); }) {}

Worker::~Worker() {
  {
    const std::lock_guard lock(mutex_);
    ending_ = true;
  }
  wake_.notify_all();
  thread_.join();
}

void Worker::post(Task task) {
  {
    const std::lock_guard lock(mutex_);
    tasks_.push_back(std::move(task));
  }
  wake_.notify_all();
}

void Worker::postUrgent(Task task) {
  {
    const std::lock_guard lock(mutex_);
    urgent_.push_back(std::move(task));
  }
  wake_.notify_all();
}

bool Worker::hasWaiting() {
  const std::lock_guard lock(mutex_);
  return ending_ || !urgent_.empty() || !tasks_.empty();
}

void Worker::clear() {
  const std::lock_guard lock(mutex_);
  urgent_.clear();
  tasks_.clear();
}

void Worker::work() {
  State state;
  for (;;) {
    Task task;
    {
      std::unique_lock lock(mutex_);
      wake_.wait(lock, [this] { return ending_ || !urgent_.empty() || !tasks_.empty(); });
      if (ending_) return;
      std::deque<Task>& from = urgent_.empty() ? tasks_ : urgent_;
      task = std::move(from.front());
      from.pop_front();
    }
    try {
      task(state);
    } catch (const Error& e) {
      state.bench.reset();
      fault_(e.full());
    } catch (const std::bad_alloc&) {
      state.bench.reset();
      fault_("There is not enough memory for this.");
    } catch (const std::exception& e) {
      state.bench.reset();
      fault_(faultOf(e).full());
    }
  }
}

}  // namespace imprimo::app
