// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/elf_symbols.h"

#include <fmt/format.h>
#include <gelf.h>
#include <libelf.h>

#include <algorithm>
#include <memory>

#include "core/base/visible_text.h"
#include "core/image/elf_image.h"

namespace imprimo {
namespace {

struct CloseElf {
  void operator()(Elf* elf) const { elf_end(elf); }
};

/// Code of the Thumb instruction set has an odd address.
constexpr std::uint64_t kMachineArm = 40;

}  // namespace

ElfSymbols::ElfSymbols(std::vector<Symbol> symbols) : symbols_(std::move(symbols)) {
  std::stable_sort(symbols_.begin(), symbols_.end(), [](const Symbol& a, const Symbol& b) { return a.at < b.at; });
}

const ElfSymbols::Symbol* ElfSymbols::at(std::uint64_t address) const {
  const auto after = std::upper_bound(symbols_.begin(), symbols_.end(), address,
                                      [](std::uint64_t value, const Symbol& s) { return value < s.at; });
  if (after == symbols_.begin()) return nullptr;
  const Symbol& symbol = *std::prev(after);
  // What does not say how long it is reaches no further than code does.
  constexpr std::uint64_t kMost = 65536;
  return address - symbol.at < (symbol.size > 0 ? symbol.size : kMost) ? &symbol : nullptr;
}

std::string ElfSymbols::text(std::uint64_t address) const {
  const Symbol* symbol = at(address);
  if (symbol == nullptr) return {};
  return address == symbol->at ? symbol->name : fmt::format("{} + 0x{:X}", symbol->name, address - symbol->at);
}

ElfSymbols symbolsOf(ByteSpan content) {
  if (!looksLikeElf(content) || elf_version(EV_CURRENT) == EV_NONE) return {};
  // The library only reads what it is given this way; its interface just does not say so.
  const std::unique_ptr<Elf, CloseElf> elf(
      elf_memory(const_cast<char*>(reinterpret_cast<const char*>(content.data())), content.size()));
  GElf_Ehdr header{};
  if (!elf || gelf_getehdr(elf.get(), &header) == nullptr) return {};
  std::vector<ElfSymbols::Symbol> symbols;
  for (Elf_Scn* section = nullptr; (section = elf_nextscn(elf.get(), section)) != nullptr;) {
    GElf_Shdr table{};
    if (gelf_getshdr(section, &table) == nullptr || table.sh_type != SHT_SYMTAB || table.sh_entsize == 0) continue;
    Elf_Data* data = elf_getdata(section, nullptr);
    if (data == nullptr) continue;
    const std::size_t count = data->d_size / table.sh_entsize;
    for (std::size_t i = 0; i < count; ++i) {
      GElf_Sym symbol{};
      if (gelf_getsym(data, static_cast<int>(i), &symbol) == nullptr) break;
      const auto type = GELF_ST_TYPE(symbol.st_info);
      const bool label = type == STT_NOTYPE && GELF_ST_BIND(symbol.st_info) == STB_GLOBAL;
      if ((type != STT_FUNC && !label) || symbol.st_shndx == SHN_UNDEF || symbol.st_shndx >= SHN_LORESERVE) continue;
      const char* name = elf_strptr(elf.get(), table.sh_link, symbol.st_name);
      if (name == nullptr || *name == '\0' || *name == '$') continue;
      const std::uint64_t at = header.e_machine == kMachineArm ? symbol.st_value & ~1ull : symbol.st_value;
      symbols.push_back({at, symbol.st_size, visibleText(name)});
    }
  }
  return ElfSymbols(std::move(symbols));
}

}  // namespace imprimo
