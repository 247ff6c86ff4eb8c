// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>
#include <signal.h>

#include <CLI/CLI.hpp>
#include <cstdio>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "sim/bench_server.h"

namespace {

using namespace imprimo;

/// "HOST:PORT", an IPv6 host in brackets.
bool parseListen(const std::string& text, sim::ServerOptions& options) {
  const auto colon = text.rfind(':');
  if (colon == std::string::npos) return false;
  const auto port = parseNumber(std::string_view(text).substr(colon + 1));
  options.host = text.substr(0, colon);
  if (options.host.starts_with('[') && options.host.ends_with(']'))
    options.host = options.host.substr(1, options.host.size() - 2);
  if (!port || *port > 65535 || options.host.empty()) return false;
  options.port = static_cast<std::uint16_t>(*port);
  return true;
}

int serve(const std::string& benchFile, sim::ServerOptions options, const std::string& reportFile) {
  // Signals are taken one by one below; threads started from here on do not see them.
  sigset_t signals;
  sigemptyset(&signals);
  for (const int s : {SIGINT, SIGTERM, SIGUSR1}) sigaddset(&signals, s);
  pthread_sigmask(SIG_BLOCK, &signals, nullptr);

  const auto bench = sim::readBench(benchFile);
  const auto writeReport = [&](const std::string& text) {
    try {
      if (!reportFile.empty()) writeFileAtomically(reportFile, text);
    } catch (const Error& e) {
      fmt::print(stderr, "imprimo-bench: {}\n", e.full());
    }
  };
  options.clientLeft = [&] { writeReport(bench->report()); };
  sim::BenchServer server(*bench, options);
  fmt::print("listening {}:{}\n", options.host, server.port());
  std::fflush(stdout);
  for (;;) {
    int signal = 0;
    sigwait(&signals, &signal);
    if (signal != SIGUSR1) return 0;
    writeReport(server.with([](sim::Bench& b) { return b.report(); }));
  }
}

}  // namespace

int main(int argc, char** argv) {
  CLI::App app("Serves a simulated bench as a probe over TCP.", "imprimo-bench");
  std::string benchFile, listen, reportFile;
  bool realTime = false;
  app.add_option("BENCH", benchFile, "bench description (JSON)")->required();
  app.add_option("--listen", listen, "HOST:PORT to listen on; default 127.0.0.1 and a free port");
  app.add_option("--report", reportFile, "write a report to FILE when a client leaves and on SIGUSR1");
  app.add_flag("--real-time", realTime, "answer as slowly as a real bench would");
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& e) {
    return app.exit(e) == 0 ? 0 : 2;
  }
  sim::ServerOptions options;
  options.realTime = realTime;
  if (!listen.empty() && !parseListen(listen, options)) {
    fmt::print(stderr, "imprimo-bench: --listen takes HOST:PORT, not '{}'\n", listen);
    return 2;
  }
  try {
    return serve(benchFile, std::move(options), reportFile);
  } catch (const imprimo::Error& e) {
    fmt::print(stderr, "imprimo-bench: {}\n", e.full());
    return e.kind() == imprimo::ErrorKind::BadFile ? 2 : 3;
  }
}
