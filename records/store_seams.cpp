// SPDX-License-Identifier: GPL-3.0-or-later
#include "records/store_seams.h"

#include "core/base/user_folders.h"
#include "records/ledger_rows.h"
#include "records/record_store.h"

namespace imprimo::records {
namespace {

bool somethingWaits() {
  std::error_code none;
  return std::filesystem::exists(waitingRoom().file, none);
}

/// What became of units, in the order in which it did; a row that the ledger has already is not written again.
std::size_t sendUnits(Database& from, Database& to) {
  std::size_t sent = 0;
  for (const Row& row : from.run("SELECT seq, ledger, id, state, run, why, fields, board FROM waiting ORDER BY seq")) {
    const std::string ledger = row[1].text();
    Ledger::News news{row[2].number(), std::nullopt, row[4].text(), row[5].text(), row[6].text(), row[7].text()};
    to.transaction([&] {
      if (row[3].text().empty()) {
        to.run("UPDATE unit SET fields = ?, board = ? WHERE ledger = ? AND id = ?",
               {news.fields, news.board, ledger, news.id});
        return;
      }
      news.state = unitStateNamed(row[3].text());
      if (!hasState(to, ledger, news)) storeState(to, ledger, news);
    });
    from.run("DELETE FROM waiting WHERE seq = ?", {row[0]});
    ++sent;
  }
  return sent;
}

}  // namespace

StoreAddress waitingRoom() {
  return {StoreAddress::Sqlite, dataFolder() / "waiting.sqlite", {}};
}

std::size_t sendWaiting(Database& to) {
  if (!somethingWaits()) return 0;
  Database room(waitingRoom());
  std::size_t sent = sendUnits(room, to);
  RecordStore waiting(room), there(to);
  constexpr std::size_t kAtOnce = 100;
  for (;;) {
    std::vector<KeptRecord> some = waiting.find({}, kAtOnce);
    if (some.empty()) return sent;
    for (KeptRecord& each : some) each = keptFrom(waiting.record(each.id).text, "record");
    there.keepAll(some);
    // Whoever is ended here finds them in both places, and the server takes none twice.
    room.transaction([&] {
      for (const KeptRecord& each : some) {
        room.run("DELETE FROM run_value WHERE id = ?", {each.id});
        room.run("DELETE FROM run WHERE id = ?", {each.id});
      }
      if (waiting.find({}, 1).empty()) room.run("DELETE FROM day_count");
    });
    sent += some.size();
  }
}

void letWait(const std::string& ledger, const Ledger::News& news) {
  Database room(waitingRoom());
  room.run("INSERT INTO waiting (ledger, id, state, run, why, fields, board) VALUES (?, ?, ?, ?, ?, ?, ?)",
           {ledger, news.id, news.state ? nameOf(*news.state) : "", news.run, news.why, news.fields, news.board});
}

void StoreSink::keep(const run::Record& record) {
  const KeptRecord kept = keptNow(record);
  try {
    Database database(chosenStore(store_));
    sendWaiting(database);
    RecordStore(database).keep(kept);
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::NoStore) throw;
    Database room(waitingRoom());
    RecordStore(room).keep(kept);
  }
}

}  // namespace imprimo::records
