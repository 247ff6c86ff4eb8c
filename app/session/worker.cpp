// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/worker.h"

namespace imprimo::app {

Worker::Worker() : thread_([this] { work(); }) {}

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
    task(state);
  }
}

}  // namespace imprimo::app
