// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/store/file_records.h"

#include "core/base/atomic_file.h"
#include "core/store/folders.h"

namespace imprimo::store {

void FileRecordSink::keep(const run::Record& record) {
  writeFileAtomically(
      freshPath(folder_, (record.memory.empty() ? record.device : record.memory) + "-" + run::nameOf(record.outcome),
                ".json"),
      record.text());
}

}  // namespace imprimo::store
