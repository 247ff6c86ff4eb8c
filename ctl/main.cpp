// SPDX-License-Identifier: GPL-3.0-or-later
#include <signal.h>

#include <iostream>
#include <thread>

#include "ctl/command_line.h"

int main(int argc, char** argv) {
  // A thread waits for the signals, so that asking for a stop happens in ordinary code.
  sigset_t signals;
  sigemptyset(&signals);
  sigaddset(&signals, SIGINT);
  sigaddset(&signals, SIGTERM);
  sigaddset(&signals, SIGUSR1);  // our own word that the work is done: nobody waits for a clock
  pthread_sigmask(SIG_BLOCK, &signals, nullptr);
  signal(SIGXFSZ, SIG_IGN);  // a file too large is an error like any other
  std::stop_source stop;
  std::jthread waiter([&](const std::stop_token& done) {
    int signal = 0;
    while (!done.stop_requested()) {
      if (sigwait(&signals, &signal) == 0 && signal != SIGUSR1) stop.request_stop();
    }
  });
  const int code = imprimo::ctl::runCommandLine({argv + 1, argv + argc}, std::cout, std::cerr, stop.get_token());
  waiter.request_stop();
  pthread_kill(waiter.native_handle(), SIGUSR1);
  return code;
}
