// SPDX-License-Identifier: GPL-3.0-or-later
#include "records/set_aside.h"

#include "core/base/user_folders.h"
#include "core/base/utc.h"

namespace imprimo::records {

StoreAddress setAsideStore() {
  return {StoreAddress::Sqlite, dataFolder() / "set-aside.sqlite", {}};
}

void setAside(Ledger& ledger, std::size_t count) {
  // The store here first: what cannot be kept must not be reserved.
  Database here(setAsideStore());
  const std::vector<UnitRow> units = ledger.reserve(count, {}, freshRunName());
  here.transaction([&] {
    // Its next number is past all others, so that none is ever set out here.
    here.run("INSERT INTO ledger (name, fields, opened, next) VALUES (?, ?, ?, ?) ON CONFLICT (name) DO NOTHING",
             {ledger.name(), units::fieldsText(ledger.maker().definition()), utcNow(), kNeverSetOut});
    for (const UnitRow& unit : units) {
      here.run(
          "INSERT INTO unit (ledger, id, state, fields, board, at, station, run) VALUES (?, ?, 'free', '{}', '', '', "
          "'', '')",
          {ledger.name(), unit.id});
    }
  });
}

std::uint64_t leftAside(const std::string& ledger) {
  std::error_code none;
  if (!std::filesystem::exists(setAsideStore().file, none)) return 0;
  Database here(setAsideStore());
  return here.run("SELECT count(*) FROM unit WHERE ledger = ? AND state = 'free'", {ledger}).at(0)[0].number();
}

}  // namespace imprimo::records
