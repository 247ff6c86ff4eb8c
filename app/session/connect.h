// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <stop_token>

#include "core/base/error.h"
#include "core/bench/bench.h"
#include "core/probe/probe_list.h"

namespace imprimo::app {

/// What connecting found out.
struct ConnectReport {
  std::optional<ErrorKind> error;
  QString message;  ///< sentence and remedy, when there is an error
  probe::ProbeInfo probe;
  std::uint32_t clockHz = 0;
  jtag::FoundChain chain;
  std::optional<jtag::BrokenChain> broken;  ///< what of it was found all the same
  std::vector<jtag::DeviceComparison> rows;
  bool matches = false;
  jtag::PatternCheck link;
  std::map<std::string, bench::CoreReport> cores;
  std::map<std::string, QString> coreErrors;
  std::map<std::string, debug::CoreWatch> watched;  ///< cores that were sampled since
  std::map<std::string, memory::Identity> memories;
  std::map<std::string, std::vector<std::uint8_t>> registers;  ///< of those that a card describes protection of
  std::map<std::string, QString> memoryErrors;
  std::map<std::string, std::string> unloaded;         ///< memories behind a part that is no bridge yet, and that part
  std::map<std::size_t, bench::DeviceReport> devices;  ///< how parts that tell say they are, by position
};

/// What connecting needs beside the worker's state.
struct ConnectWish {
  QString address;
  sheet::Sheet sheet;
  std::optional<std::uint32_t> wait;
  probe::SystemRoot system;
  std::function<void(double)> told;
  std::stop_token stop;
};

/// With the user's own adapter cards.
probe::ProbeOptions probeOptions();

/// How the parts are that tell something of themselves. Throws LinkLost; a card that cannot be read is passed over.
std::map<std::size_t, bench::DeviceReport> lookAtDevices(bench::Bench& bench);

/// Opens the probe, examines the chain, asks every memory who it is that can be reached without loading a bridge. Never
/// throws an Error: what went wrong is in the report, and the bench is gone unless only the chain is another than the
/// sheet's.
ConnectReport openBench(std::unique_ptr<bench::Bench>& bench, const ConnectWish& wish);

}  // namespace imprimo::app
