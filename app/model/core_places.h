// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "core/image/elf_symbols.h"

namespace imprimo::app {

class Workbench;

/// The core that the memory which is looked at belongs to; empty for another kind of memory.
std::string coreOfMemory(Workbench& bench);

/// The names in the ELF files that are placed in the memories of that core.
ElfSymbols placedSymbols(Workbench& bench);

}  // namespace imprimo::app
