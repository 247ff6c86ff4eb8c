// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/demo_bench.h"

namespace imprimo::app {

DemoBench::DemoBench(const std::string& benchFile, bool realTime) : bench_(sim::readBench(benchFile)) {
  sim::ServerOptions options;
  options.realTime = realTime;
  server_ = std::make_unique<sim::BenchServer>(*bench_, std::move(options));
}

}  // namespace imprimo::app
