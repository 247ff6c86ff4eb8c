// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bsdl/library.h"

#include <algorithm>

#include "core/base/error.h"
#include "core/bsdl/lexer.h"

namespace imprimo::bsdl {

void Library::addFolder(const std::filesystem::path& folder) {
  std::error_code failure;
  std::vector<std::filesystem::path> files;
  for (const auto& entry : std::filesystem::directory_iterator(folder, failure)) {
    const std::string extension = upperCase(entry.path().extension().string());
    if (extension == ".BSD" || extension == ".BSDL") files.push_back(entry.path());
  }
  if (failure) {
    throw Error(ErrorKind::BadFile, "cannot read the library folder " + folder.string() + ": " + failure.message());
  }
  std::sort(files.begin(), files.end());
  for (const auto& file : files) {
    try {
      parts_.push_back({parseFile(file), file});
    } catch (const Error& e) {
      warnings_.push_back(e.full());
    }
  }
}

const Library::Entry* Library::entry(std::uint32_t idcode) const {
  const auto it =
      std::find_if(parts_.begin(), parts_.end(), [&](const Entry& e) { return e.part.matchesIdcode(idcode); });
  return it == parts_.end() ? nullptr : &*it;
}

const BoundaryDescription* Library::find(std::uint32_t idcode) const {
  const Entry* found = entry(idcode);
  return found == nullptr ? nullptr : &found->part;
}

std::filesystem::path Library::fileFor(std::uint32_t idcode) const {
  const Entry* found = entry(idcode);
  return found == nullptr ? std::filesystem::path() : found->file;
}

}  // namespace imprimo::bsdl
