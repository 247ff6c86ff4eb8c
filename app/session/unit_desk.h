// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "records/set_aside.h"
#include "records/store_seams.h"
#include "records/unit_run.h"

namespace imprimo::app {

/// The unit whose runs go on, with its own connection to the store. It lives on the worker's thread, from its
/// reservation to what became of it; if that never comes, it ends as what it is then.
class UnitDesk {
 public:
  UnitDesk(const sheet::Sheet& sheet, const records::WhichUnit& which)
      : database_(which.setAside ? records::setAsideStore() : records::chosenStore()), unit_(sheet, database_, which) {}

  records::UnitRun& unit() { return unit_; }
  records::StoreSeams& usual() { return usual_; }
  const run::RunSeams& seams() {
    if (!seams_) seams_.emplace(unit_.seams(usual_.all));
    return *seams_;
  }

 private:
  records::StoreSeams usual_;
  records::Database database_;
  records::UnitRun unit_;
  std::optional<run::RunSeams> seams_;
};

}  // namespace imprimo::app
