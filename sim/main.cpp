// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>
#include <signal.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <atomic>
#include <chrono>
#include <cstdio>
#include <thread>

#include "core/about/commit.h"
#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/version.h"
#include "sim/bench_server.h"
#include "sim/fixture.h"
#include "sim/serial/serial_pty.h"

namespace {

using namespace imprimo;

/// A serial port runs on with nobody asking the probe, and with it the board's clock, no faster than that on the wall;
/// slower where this computer does not keep up, so that the probe gets its turns.
std::jthread keepSerialPort(sim::BenchServer& server, sim::SerialPty& port) {
  return std::jthread([&](const std::stop_token& stop) {
    using Clock = std::chrono::steady_clock;
    constexpr std::chrono::nanoseconds kTick = std::chrono::milliseconds(5);
    auto last = Clock::now();
    std::uint64_t packets = 0;
    std::chrono::nanoseconds rest = kTick;
    while (!stop.stop_requested()) {
      std::this_thread::sleep_for(rest);
      const auto began = Clock::now();
      const std::chrono::nanoseconds passed = std::min<std::chrono::nanoseconds>(began - last, kTick);
      server.with([&](sim::Bench& bench) {
        // Whoever asks the probe lets time pass.
        if (bench.packets() == packets) bench.board().advance(static_cast<sim::Time>(passed.count()) * 1000);
        packets = bench.packets();
        port.pump();
      });
      last = Clock::now();
      rest = std::max<std::chrono::nanoseconds>(kTick, last - began);
    }
  });
}

int serve(const std::string& benchFile, sim::ServerOptions options, const std::string& reportFile, bool serial,
          const std::optional<sim::FixtureModel>& boards) {
  // Signals are taken one by one below; threads started from here on do not see them.
  sigset_t signals;
  sigemptyset(&signals);
  for (const int s : {SIGINT, SIGTERM, SIGHUP, SIGUSR1}) sigaddset(&signals, s);
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
  std::optional<sim::Fixture> fixture;
  if (boards) fixture.emplace(*bench, *boards);
  std::atomic<sim::BenchServer*> served = nullptr;
  if (fixture) {
    options.beforePacket = [&](std::uint64_t) {
      if (sim::BenchServer* const there = served.load()) there->with([&](sim::Bench&) { fixture->step(); });
    };
  }
  sim::BenchServer server(*bench, options);
  served = &server;
  std::optional<sim::SerialPty> port;
  std::jthread keeper;
  if (serial) {
    port.emplace(bench->board());
    keeper = keepSerialPort(server, *port);
  }
  fmt::print("listening {}\n", HostPort{options.host, server.port()}.text());
  if (port) fmt::print("serial {}\n", port->path());
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
  app.set_version_flag("--version",
                       fmt::format("imprimo-bench {}\ncommit {}", imprimo::versionText(), imprimo::commitText()));
  std::string benchFile, listen, reportFile;
  bool realTime = false, mpsse = false, serial = false;
  app.add_option("BENCH", benchFile, "bench description (JSON)")->required();
  app.add_option("--listen", listen, "HOST:PORT to listen on; default 127.0.0.1 and a free port");
  app.add_option("--report", reportFile, "write a report to FILE when a client leaves and on SIGUSR1");
  app.add_flag("--real-time", realTime, "answer as slowly as a real bench would");
  app.add_flag("--mpsse", mpsse, "serve the byte stream of an MPSSE adapter instead of a CMSIS-DAP probe");
  app.add_flag("--serial", serial, "offer the core's serial interface as a port of this computer; its name is printed");
  sim::FixtureModel boards;
  app.add_option("--boards", boards.last,
                 "somebody takes boards out when they are done and puts the next in, so many of them; 0: without end");
  app.add_option("--faulty", boards.faulty, "part of those boards that have a fault, 0 to 1");
  try {
    app.parse(argc, argv);
  } catch (const CLI::Success& e) {
    app.exit(e);
    return std::fflush(stdout) == 0 ? 0 : 5;
  } catch (const CLI::ParseError&) {
    const std::vector<std::string> unknown = app.remaining();
    fmt::print(stderr, "imprimo-bench: {}. Try 'imprimo-bench --help'.\n",
               unknown.empty() ? "a bench description is missing, or an option's value"
                               : fmt::format("'{}' is not known, or one word too many", unknown.front()));
    return 2;
  }
  sim::ServerOptions options;
  options.realTime = realTime;
  options.mpsse = mpsse;
  if (!listen.empty()) {
    const auto place = parseHostPort(listen, true);
    if (!place) {
      fmt::print(stderr, "imprimo-bench: --listen takes HOST:PORT, not '{}'\n", listen);
      return 2;
    }
    options.host = place->host;
    options.port = place->port;
  }
  try {
    return serve(benchFile, std::move(options), reportFile, serial,
                 app.count("--boards") > 0 ? std::optional(boards) : std::nullopt);
  } catch (const imprimo::Error& e) {
    fmt::print(stderr, "imprimo-bench: {}\n", e.full());
    return e.kind() == imprimo::ErrorKind::BadFile ? 2 : 3;
  }
}
