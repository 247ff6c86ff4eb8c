// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>

#include "core/run/run_notes.h"

namespace imprimo::store {

/// One file for each note in a folder, which is made when needed.
class FolderNotes : public run::NoteStore {
 public:
  explicit FolderNotes(std::filesystem::path folder) : folder_(std::move(folder)) {}
  void put(run::RunNote& note) override;
  void close(const run::RunNote& note) override;
  std::vector<run::RunNote> open(std::vector<std::string>* unreadable = nullptr) const override;

 private:
  std::filesystem::path folder_;
};

/// The store in the user's data folder.
FolderNotes userNotes();

}  // namespace imprimo::store
