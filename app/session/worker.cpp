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

void Worker::add(std::deque<Task>& to, Task task) {
  {
    const std::lock_guard lock(mutex_);
    to.push_back(std::move(task));
  }
  wake_.notify_all();
}

void Worker::post(Task task) {
  add(tasks_, std::move(task));
}

void Worker::postUrgent(Task task) {
  add(urgent_, std::move(task));
}

void Worker::postKept(Task task) {
  add(kept_, std::move(task));
}

bool Worker::hasWaiting() {
  const std::lock_guard lock(mutex_);
  return ending_ || !kept_.empty() || !urgent_.empty() || !tasks_.empty();
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
      wake_.wait(lock, [this] { return ending_ || !kept_.empty() || !urgent_.empty() || !tasks_.empty(); });
      if (ending_ && kept_.empty()) return;
      std::deque<Task>& from = !kept_.empty() ? kept_ : !urgent_.empty() ? urgent_ : tasks_;
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
