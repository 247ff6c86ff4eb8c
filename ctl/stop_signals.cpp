// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/stop_signals.h"

#include <signal.h>
#include <unistd.h>

namespace imprimo::ctl {
namespace {

constexpr int kDone = SIGUSR1;  // our own word that the work is done: nobody waits for a clock

sigset_t stoppingSignals() {
  sigset_t signals;
  sigemptyset(&signals);
  sigaddset(&signals, kDone);
  for (const int number : {SIGINT, SIGTERM, SIGHUP}) {
    struct sigaction now {};
    if (::sigaction(number, nullptr, &now) == 0 && now.sa_handler != SIG_IGN) sigaddset(&signals, number);
  }
  return signals;
}

}  // namespace

StopSignals::StopSignals() {
  ::signal(SIGXFSZ, SIG_IGN);
  ::signal(SIGPIPE, SIG_IGN);
  const sigset_t signals = stoppingSignals();
  pthread_sigmask(SIG_BLOCK, &signals, nullptr);
  // A thread waits for them, so that asking for a stop happens in ordinary code.
  waiter_ = std::jthread([this, signals](const std::stop_token& done) {
    bool asked = false;
    while (!done.stop_requested()) {
      int number = 0;
      if (sigwait(&signals, &number) != 0 || number == kDone) continue;
      if (asked) ::_exit(130);
      asked = true;
      stop_.request_stop();
    }
  });
}

StopSignals::~StopSignals() {
  waiter_.request_stop();
  pthread_kill(waiter_.native_handle(), kDone);
}

}  // namespace imprimo::ctl
