// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/run/runner.h"
#include "core/store/copy_store.h"
#include "core/store/file_records.h"
#include "core/store/folder_notes.h"
#include "core/store/folders.h"

namespace imprimo::store {

/// The user's own folders, as a run needs them.
struct UserSeams {
  UserSeams() = default;
  UserSeams(const UserSeams&) = delete;
  UserSeams& operator=(const UserSeams&) = delete;
  CopyStore copies = userCopies();
  FileRecordSink records{dataFolder() / "records"};
  FolderNotes notes = userNotes();
  run::RunSeams all{copies, records, notes};
};

}  // namespace imprimo::store
