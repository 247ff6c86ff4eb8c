// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "core/image/elf_symbols.h"

namespace imprimo::app {

class Workbench;

/// The core that the memory which is looked at belongs to; empty for another kind of memory.
std::string coreOfMemory(Workbench& bench);

/// The names in the ELF files that are placed in the memories of that core. Files are read again when they change.
class PlacedSymbols {
 public:
  const ElfSymbols& of(Workbench& bench);

 private:
  struct File {
    std::filesystem::path path;
    std::filesystem::file_time_type saved;
    std::uintmax_t size = 0;
    friend bool operator==(const File&, const File&) = default;
  };
  static std::vector<File> filesOf(Workbench& bench);

  std::vector<File> files_;
  ElfSymbols symbols_;
};

}  // namespace imprimo::app
