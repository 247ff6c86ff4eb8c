// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/run/runner.h"

namespace imprimo::run {

/// What is asked for a device itself.
struct ConfigureWish {
  std::size_t position = 0;
  /// Of IEEE 1532, with its data in brackets where there are several: "program(array)". A device that is configured by
  /// its card knows only "program".
  std::string action = "program";
  std::set<std::string> with, without;  ///< procedures of choice; names as the BSDL file has them
  std::optional<Placement> file;        ///< with its path, relative to the current folder or absolute
  std::optional<std::uint32_t> usercode;
  std::string output;  ///< where a "read" goes; empty: nowhere
  bool restart = false;
  std::optional<std::uint32_t> waitSeconds;

  bool is(std::string_view name) const;  ///< whether the action has this name; case and data do not matter
  std::string actionName() const, actionData() const;
};

/// A wish with its files read and checked, ready to be carried out once.
struct ConfigureJob {
  ConfigureWish wish;
  bench::DeviceConfigPtr config;
  std::optional<configure::ConfigData> data;
  std::unique_ptr<configure::Procedure> procedure;
  std::vector<std::string> warnings;  ///< what the file says that is not done
  plan::Plan plan;
};

/// One thing that can be done to a device, for choosing.
struct DeviceAction {
  struct Choice {
    std::string procedure;
    bool recommended = false;  ///< done unless left out; otherwise left out unless wanted
  };
  std::string name, data;
  std::string text() const { return data.empty() ? name : name + "(" + data + ")"; }
  bool needsFile = false, reads = false, changes = false;
  std::vector<Choice> choices;
};
std::vector<DeviceAction> actionsOf(const bench::DeviceConfig& config);
/// Whether an action, all of its choices taken, puts a user code into the device.
bool takesUsercode(const bench::DeviceConfig& config, const DeviceAction& action);

/// Reads the wish's file and looks whether device and file go together; nothing is sent. Throws BadFile, Usage.
std::unique_ptr<ConfigureJob> prepareConfigure(bench::DeviceConfigPtr config, ConfigureWish wish,
                                               std::uint32_t clockHz);

/// Carries it out; see carryOut for memories. The record's `device` is the device, `bits` what went over.
RecordPtr carryOut(ConfigureJob& job, bench::Bench& bench, RecordSink& records, RunObserver& observer,
                   std::stop_token stop);
/// Only examines the chain.
RecordPtr dryRun(ConfigureJob& job, bench::Bench& bench, RunObserver& observer, std::stop_token stop);

/// Only lets the target start again, as a record.
/// `core`: that one alone; empty: the board, with all of the sheet's cores.
RecordPtr restartTarget(bench::Bench& bench, RecordSink& records, RunObserver& observer, const std::stop_token& stop,
                        const std::string& core = {});

/// One step of a configuration card that is being written, carried out by itself.
struct CardTrial {
  std::size_t position = 0;
  configure::ConfigCard card;
  bool restartSteps = false;  ///< a step for restarting instead of one for configuring
  std::size_t step = 0;
  std::shared_ptr<const configure::ConfigData> data;  ///< null: none
};
RecordPtr tryCardStep(const CardTrial& trial, bench::Bench& bench, RecordSink& records, std::stop_token stop);

/// Bits that were read out of a device as a data file of IEEE 1532.
std::string iscDataText(const std::string& entity, const std::string& name, const BitVector& bits);

}  // namespace imprimo::run
