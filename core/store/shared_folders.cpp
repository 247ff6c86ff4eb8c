// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/store/shared_folders.h"

#include <algorithm>
#include <sstream>

#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/store/folders.h"

namespace imprimo::store {
namespace {

namespace fs = std::filesystem;

/// One folder a line.
fs::path listFile() {
  return dataFolder() / "library-folders";
}

void write(const std::vector<std::string>& folders) {
  std::string text;
  for (const std::string& folder : folders) text += folder + "\n";
  std::error_code ignored;
  fs::create_directories(listFile().parent_path(), ignored);
  writeFileAtomically(listFile(), text);
}

}  // namespace

std::vector<std::string> sharedFolders() {
  std::error_code none;
  if (!fs::exists(listFile(), none)) return {};
  std::vector<std::string> folders;
  std::istringstream lines(readTextFile(listFile(), kListFile));
  for (std::string line; std::getline(lines, line);) {
    if (!line.empty()) folders.push_back(line);
  }
  return folders;
}

std::vector<fs::path> foldersInShared() {
  constexpr int kDeepest = 4;
  std::vector<fs::path> all;
  for (const std::string& folder : sharedFolders()) {
    std::error_code none;
    if (!fs::is_directory(folder, none)) continue;
    all.emplace_back(folder);
    fs::recursive_directory_iterator walk(folder, fs::directory_options::skip_permission_denied, none), end;
    for (; !none && walk != end; walk.increment(none)) {
      std::error_code odd;
      if (walk.depth() >= kDeepest) walk.disable_recursion_pending();
      if (walk->is_directory(odd)) all.push_back(walk->path());
    }
  }
  return all;
}

void addSharedFolder(const fs::path& folder) {
  std::error_code none;
  if (!fs::is_directory(folder, none))
    throw Error(ErrorKind::BadFile, folder.string() + " is no folder", "Name a folder with descriptions.");
  std::vector<std::string> folders = sharedFolders();
  const std::string whole = fs::absolute(folder).lexically_normal().string();
  if (std::find(folders.begin(), folders.end(), whole) != folders.end()) return;
  folders.push_back(whole);
  write(folders);
}

void removeSharedFolder(const fs::path& folder) {
  std::vector<std::string> folders = sharedFolders();
  std::erase(folders, fs::absolute(folder).lexically_normal().string());
  write(folders);
}

}  // namespace imprimo::store
