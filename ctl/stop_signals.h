// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <stop_token>
#include <thread>

namespace imprimo::ctl {

/// SIGINT, SIGTERM and SIGHUP ask for a stop; a second one ends the process at once with 130. One that this process was
/// started to ignore (nohup, a shell's background job) stays ignored. A pipe that breaks is an error of its writing,
/// and so is a file that grows too large. There is one of these, made before any other thread.
class StopSignals {
 public:
  StopSignals();
  StopSignals(const StopSignals&) = delete;
  StopSignals& operator=(const StopSignals&) = delete;
  ~StopSignals();

  void requestStop() { stop_.request_stop(); }
  std::stop_token token() const { return stop_.get_token(); }

 private:
  std::stop_source stop_;
  std::jthread waiter_;
};

}  // namespace imprimo::ctl
