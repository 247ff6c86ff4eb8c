// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/run/record.h"
#include "ctl/json_out.h"
#include "ctl/work.h"
#include "records/store_seams.h"
#include "records/unit_run.h"

namespace imprimo::ctl {

/// Options that say which unit of the sheet a run is for.
void addUnit(OptionList& own, WorkOptions& options);

/// The unit that a command is for; without --unit none, and then everything is as without one.
class UnitWork {
 public:
  /// Throws Usage, and NoStore where there is a unit and no ledger.
  UnitWork(plan::Task task, const WorkOptions& options, const Context& context, const sheet::Sheet& sheet);

  /// The sheet with what is planned for the unit, as far as that is known without the board.
  sheet::Sheet planned(const sheet::Sheet& sheet);
  /// Reserves it, or finds it again, unless this is only a look; the sheet with all of its values.
  sheet::Sheet begin(const sheet::Sheet& sheet, bench::Bench& bench);
  const run::RunSeams& seams();
  /// What became of it, for people and in `json`. Returns the exit code.
  int settle(int exitCode, Json& json);

 private:
  bool reserves() const { return task_ == plan::Task::Program && !options_.dryRun; }

  plan::Task task_;
  const WorkOptions& options_;
  const Context& context_;
  records::StoreSeams usual_;
  std::unique_ptr<records::Database> database_;
  std::unique_ptr<records::UnitRun> unit_;
  std::optional<run::RunSeams> seams_;
};

/// A unit as it stands in JSON.
Json unitJson(std::uint64_t id, const std::string& state, const std::map<std::string, std::string>& fields);

}  // namespace imprimo::ctl
