// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/base/bytes.h"

namespace imprimo {

/// Names of functions and labels in an ELF's code, by address.
class ElfSymbols {
 public:
  struct Symbol {
    std::uint64_t at = 0, size = 0;  ///< size 0: not said, it reaches to the next
    std::string name;
  };
  ElfSymbols() = default;
  explicit ElfSymbols(std::vector<Symbol> symbols);
  bool empty() const { return symbols_.empty(); }
  const std::vector<Symbol>& all() const { return symbols_; }
  /// The symbol that an address lies in; null where there is none.
  const Symbol* at(std::uint64_t address) const;
  /// "clock_setup + 0x1E"; empty where no symbol has it.
  std::string text(std::uint64_t address) const;

 private:
  std::vector<Symbol> symbols_;  // by address
};

/// What an ELF32's or ELF64's symbol table has of its code: functions, and global labels of sections with instructions.
/// None for a file without one, and for what is no ELF.
ElfSymbols symbolsOf(ByteSpan elf);

}  // namespace imprimo
