// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/store/folder_notes.h"

#include <fmt/format.h>

#include <algorithm>
#include <system_error>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/store/folders.h"

namespace imprimo::store {
namespace fs = std::filesystem;

void FolderNotes::put(run::RunNote& note) {
  if (note.path.empty()) note.path = freshPath(folder_, note.of.memory, ".json");
  writeFileAtomically(note.path, run::noteText(note));
}

void FolderNotes::close(const run::RunNote& note) {
  if (note.path.empty()) return;
  std::error_code failure;
  fs::remove(note.path, failure);
  if (failure) {
    throw Error(ErrorKind::CannotWrite, fmt::format("cannot remove {}: {}", note.path.string(), failure.message()),
                "Until it is gone the next run takes this one for unfinished.");
  }
  syncFolder(folder_);
}

std::vector<run::RunNote> FolderNotes::open(std::vector<std::string>* unreadable) const {
  std::vector<fs::path> files;
  std::error_code none;
  for (const auto& entry : fs::directory_iterator(folder_, none)) {
    if (entry.is_regular_file(none) && entry.path().extension() == ".json") files.push_back(entry.path());
  }
  std::sort(files.begin(), files.end());  // names begin with the time
  std::vector<run::RunNote> notes;
  for (const fs::path& file : files) {
    try {
      notes.push_back(run::parseNote(readTextFile(file, kListFile), file.string()));
    } catch (const Error& e) {
      if (unreadable != nullptr) unreadable->push_back(e.what());
    }
  }
  return notes;
}

FolderNotes userNotes() {
  return FolderNotes(dataFolder() / "unfinished");
}

}  // namespace imprimo::store
