// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/command_line.h"
#include "ctl/standard_stream.h"
#include "ctl/stop_signals.h"

int main(int argc, char** argv) {
  using namespace imprimo::ctl;
  holdStandardNumbers();
  StopSignals signals;
  // Nobody reads any more: what goes on stops in order, as with Ctrl-C.
  StandardStream out(1, [&] { signals.requestStop(); }), err(2, [&] { signals.requestStop(); });
  err << std::unitbuf;
  return runCommandLine({argv + 1, argv + argc}, out, err, signals.token());
}
