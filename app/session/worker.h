// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <condition_variable>
#include <deque>
#include <functional>
#include <memory>
#include <mutex>
#include <thread>

#include "core/bench/bench.h"

namespace imprimo::app {

class UnitDesk;

/// The one thread that touches the bench. Tasks run in order; urgent ones go before all others.
class Worker {
 public:
  /// What tasks work on; lives on the worker's thread and is destroyed there.
  struct State {
    std::unique_ptr<bench::Bench> bench;
    std::shared_ptr<UnitDesk> desk;  ///< of the unit whose runs go on; null: none
  };
  using Task = std::function<void(State&)>;

  /// `fault` hears, on the worker's thread, of a task that threw; the bench is gone then, and the next tasks go on.
  explicit Worker(std::function<void(const std::string& what)> fault);
  Worker(const Worker&) = delete;
  Worker& operator=(const Worker&) = delete;
  /// Ends after the task that is under way and those that must be; the others that wait are dropped.
  ~Worker();

  void post(Task task);
  void postUrgent(Task task);
  /// What must be done whatever comes: neither clear() nor the end drops it. Before all others.
  void postKept(Task task);
  /// Whether something else waits to be done.
  bool hasWaiting();
  /// Drops what waits, urgent or not, but for what must be done.
  void clear();

 private:
  void add(std::deque<Task>& to, Task task);
  void work();

  std::function<void(const std::string&)> fault_;
  std::mutex mutex_;
  std::condition_variable wake_;
  std::deque<Task> kept_, urgent_, tasks_;
  bool ending_ = false;
  std::thread thread_;
};

}  // namespace imprimo::app
