// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/quit_signals.h"

#include <fcntl.h>
#include <signal.h>
#include <unistd.h>

#include <QSocketNotifier>

namespace imprimo::app {
namespace {

int ends[2] = {-1, -1};  // a handler may do no more than write into a pipe
volatile sig_atomic_t wasAsked = 0;

void handle(int) {
  if (wasAsked != 0) ::_exit(130);
  wasAsked = 1;
  [[maybe_unused]] const ssize_t written = ::write(ends[1], "q", 1);
}

}  // namespace

QuitSignals::QuitSignals(QObject* parent) : QObject(parent) {
  if (::pipe2(ends, O_CLOEXEC | O_NONBLOCK) != 0) return;
  auto* notifier = new QSocketNotifier(ends[0], QSocketNotifier::Read, this);
  connect(notifier, &QSocketNotifier::activated, this, &QuitSignals::take);
  ::signal(SIGPIPE, SIG_IGN);
  for (const int number : {SIGTERM, SIGHUP, SIGINT}) {
    struct sigaction action {};
    if (::sigaction(number, nullptr, &action) != 0 || action.sa_handler == SIG_IGN) continue;
    action = {};
    action.sa_handler = handle;
    ::sigaction(number, &action, nullptr);
  }
}

QuitSignals::~QuitSignals() {
  for (const int number : {SIGTERM, SIGHUP, SIGINT}) {
    struct sigaction action {};
    if (::sigaction(number, nullptr, &action) == 0 && action.sa_handler == handle) ::signal(number, SIG_DFL);
  }
  for (int& end : ends) {
    if (end >= 0) ::close(end);
    end = -1;
  }
}

void QuitSignals::take() {
  char byte = 0;
  if (::read(ends[0], &byte, 1) == 1) emit asked();
}

}  // namespace imprimo::app
