// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <string>

#include "sim/bench_server.h"

namespace imprimo::app {

/// A simulated bench in this process, reached over TCP as a real probe would be.
class DemoBench {
 public:
  /// Throws Error when the description cannot be read or no port is free.
  DemoBench(const std::string& benchFile, bool realTime);
  std::string address() const { return server_->address(); }

  /// Does something with the bench between two packets.
  template <typename Do>
  auto with(Do&& act) {
    return server_->with(std::forward<Do>(act));
  }

 private:
  std::unique_ptr<sim::Bench> bench_;
  std::unique_ptr<sim::BenchServer> server_;
};

}  // namespace imprimo::app
