// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/run/runner.h"
#include "core/store/copy_store.h"
#include "core/store/folder_notes.h"
#include "records/ledger.h"

namespace imprimo::records {

/// Keeps records in the chosen store, which is opened when there is one to keep. Where it cannot be reached they wait
/// in a file of this computer, and are sent on when it can be again, each exactly once.
class StoreSink : public run::RecordSink {
 public:
  /// `store`: as chosenStore() takes it.
  explicit StoreSink(std::string store = {}) : store_(std::move(store)) {}
  void keep(const run::Record& record) override;

 private:
  std::string store_;
};

/// The user's own folders and the chosen store, as a run needs them.
struct StoreSeams {
  explicit StoreSeams(const std::string& store = {}) : records(store) {}
  StoreSeams(const StoreSeams&) = delete;
  StoreSeams& operator=(const StoreSeams&) = delete;
  store::CopyStore copies = store::userCopies();
  StoreSink records;
  store::FolderNotes notes = store::userNotes();
  run::RunSeams all{copies, records, notes};
};

/// Where records and what became of units wait for a server that is away.
StoreAddress waitingRoom();
/// Sends on what waits there. Returns how much; nothing waits where it cannot be read. Throws what `to` throws.
std::size_t sendWaiting(Database& to);
/// What becomes of a unit, for its ledger, when that can be reached again.
void letWait(const std::string& ledger, const Ledger::News& news);

}  // namespace imprimo::records
