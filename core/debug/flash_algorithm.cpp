// SPDX-License-Identifier: GPL-3.0-or-later
//
// The device description (section DevDscr, symbol FlashDevice), little-endian:
//   0 version (2), 2 name (128), 130 kind (2), 132 address, 136 size, 140 page, 144 reserved, 148 empty value (1),
//   152 program time, 156 erase time, 160 sectors: size and offset of each kind, ended by 0xFFFFFFFF twice
#include "core/debug/flash_algorithm.h"

#include <fmt/format.h>
#include <gelf.h>
#include <libelf.h>

#include <algorithm>
#include <cstring>
#include <map>
#include <memory>

#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/number.h"

namespace imprimo::debug {
namespace {

/// Kinds of flash: 1 is on the chip, 2 to 4 on an external bus, 5 serial.
constexpr std::uint16_t kFirstOutside = 2;
constexpr std::size_t kDescriptionHead = 160;
constexpr std::uint32_t kLargest = 1u << 20;  // of code and data: work RAM is smaller
constexpr FileKind kAlgorithmFile{"a flash algorithm", 16 * kMiB};

struct End {
  void operator()(Elf* elf) const { elf_end(elf); }
};

class AlgorithmReader {
 public:
  AlgorithmReader(ByteSpan content, const std::string& name) : content_(content), name_(name) {
    if (elf_version(EV_CURRENT) == EV_NONE) fail("cannot be read: the ELF library is too old");
    elf_.reset(elf_memory(const_cast<char*>(reinterpret_cast<const char*>(content.data())), content.size()));
    if (!elf_ || elf_kind(elf_.get()) != ELF_K_ELF || gelf_getehdr(elf_.get(), &header_) == nullptr)
      fail("is no ELF file");
    if (header_.e_machine != EM_ARM || header_.e_ident[EI_CLASS] != ELFCLASS32 ||
        header_.e_ident[EI_DATA] != ELFDATA2LSB)
      fail("is for another processor: an algorithm is a little-endian ELF for 32-bit Arm");
  }

  FlashAlgorithm read() {
    FlashAlgorithm algorithm;
    algorithm.file = name_;
    sections(algorithm);
    symbols();
    description(algorithm);
    algorithm.init = function("Init", algorithm);
    algorithm.uninit = function("UnInit", algorithm);
    algorithm.eraseSector = function("EraseSector", algorithm);
    algorithm.programPage = function("ProgramPage", algorithm);
    algorithm.eraseChip = optionalFunction("EraseChip", algorithm);
    algorithm.blankCheck = optionalFunction("BlankCheck", algorithm);
    algorithm.verify = optionalFunction("Verify", algorithm);
    return algorithm;
  }

 private:
  [[noreturn]] void fail(const std::string& what) const {
    throw Error(ErrorKind::BadFile, fmt::format("{}: {}", name_, what),
                "A flash algorithm is an ELF with FlashDevice, Init, UnInit, EraseSector and ProgramPage.");
  }

  /// Code and data, as they lie from the lowest address on; the description is not loaded.
  void sections(FlashAlgorithm& algorithm) {
    std::size_t names = 0;
    if (elf_getshdrstrndx(elf_.get(), &names) != 0) fail("has no section names");
    struct Loaded {
      std::uint64_t address, size;
      ByteSpan bytes;
      bool writable;
    };
    std::vector<Loaded> loaded;
    for (Elf_Scn* section = nullptr; (section = elf_nextscn(elf_.get(), section)) != nullptr;) {
      GElf_Shdr s{};
      if (gelf_getshdr(section, &s) == nullptr) fail("has a section header outside the file");
      const char* called = elf_strptr(elf_.get(), names, s.sh_name);
      if (s.sh_type == SHT_SYMTAB) symbols_ = section;
      if ((s.sh_flags & SHF_ALLOC) == 0 || s.sh_size == 0) continue;
      const bool empty = s.sh_type == SHT_NOBITS;
      if (!empty && (s.sh_offset > content_.size() || s.sh_size > content_.size() - s.sh_offset))
        fail("has a section outside the file");
      const ByteSpan bytes = empty ? ByteSpan{} : content_.subspan(s.sh_offset, s.sh_size);
      if (called != nullptr && std::strcmp(called, "DevDscr") == 0) {
        description_ = bytes;
        descriptionAt_ = s.sh_addr;
        continue;
      }
      if (s.sh_addr > UINT32_MAX - kLargest || s.sh_size > kLargest) fail("has a section that no RAM has room for");
      loaded.push_back({s.sh_addr, s.sh_size, bytes, (s.sh_flags & SHF_WRITE) != 0});
    }
    if (loaded.empty()) fail("has nothing to load");
    std::uint64_t lowest = UINT64_MAX, end = 0, data = UINT64_MAX;
    for (const Loaded& l : loaded) {
      lowest = std::min(lowest, l.address);
      end = std::max(end, l.address + l.size);
      if (l.writable) data = std::min(data, l.address);
    }
    if (end - lowest > kLargest) fail("has sections too far apart for any RAM");
    lowest_ = lowest;
    algorithm.code.assign((end - lowest + 3) / 4 * 4, 0);
    for (const Loaded& l : loaded)
      std::copy(l.bytes.begin(), l.bytes.end(),
                algorithm.code.begin() + static_cast<std::ptrdiff_t>(l.address - lowest));
    algorithm.staticBase = static_cast<std::uint32_t>((data == UINT64_MAX ? end : data) - lowest);
  }

  void symbols() {
    if (symbols_ == nullptr) fail("has no symbols");
    GElf_Shdr table{};
    Elf_Data* data = elf_getdata(symbols_, nullptr);
    if (gelf_getshdr(symbols_, &table) == nullptr || data == nullptr || table.sh_entsize == 0)
      fail("has a symbol table outside the file");
    for (std::size_t i = 0; i < table.sh_size / table.sh_entsize; ++i) {
      GElf_Sym symbol{};
      if (gelf_getsym(data, static_cast<int>(i), &symbol) == nullptr) break;
      const char* called = elf_strptr(elf_.get(), table.sh_link, symbol.st_name);
      if (called != nullptr && symbol.st_shndx != SHN_UNDEF) known_.emplace(called, symbol.st_value);
    }
  }

  void description(FlashAlgorithm& algorithm) {
    const auto symbol = known_.find("FlashDevice");
    if (description_.empty() || symbol == known_.end()) fail("has no FlashDevice");
    if (symbol->second < descriptionAt_ || symbol->second - descriptionAt_ > description_.size())
      fail("has its FlashDevice elsewhere than in DevDscr");
    const ByteSpan d = description_.subspan(symbol->second - descriptionAt_);
    if (d.size() < kDescriptionHead + 16) fail("has a FlashDevice that is cut short");
    const auto* text = reinterpret_cast<const char*>(d.data() + 2);
    algorithm.device = visibleText(std::string(text, strnlen(text, 128)));
    algorithm.address = loadLe32(&d[132]);
    algorithm.size = loadLe32(&d[136]);
    algorithm.page = loadLe32(&d[140]);
    algorithm.empty = d[148];
    algorithm.outside = loadLe16(&d[130]) >= kFirstOutside;
    algorithm.programMs = loadLe32(&d[152]);
    algorithm.eraseMs = loadLe32(&d[156]);
    for (std::size_t at = kDescriptionHead; at + 8 <= d.size(); at += 8) {
      const std::uint32_t size = loadLe32(&d[at]), offset = loadLe32(&d[at + 4]);
      if (size == UINT32_MAX) break;
      algorithm.sectors.push_back({size, offset});
    }
    check(algorithm);
  }

  void check(const FlashAlgorithm& a) const {
    if (a.size == 0 || a.page == 0 || a.address > UINT32_MAX - (a.size - 1))
      fail("describes a flash of no size, or past the last address");
    if (a.sectors.empty() || a.sectors.front().offset != 0) fail("describes no sectors");
    for (std::size_t i = 0; i < a.sectors.size(); ++i) {
      const std::uint32_t next = i + 1 < a.sectors.size() ? a.sectors[i + 1].offset : a.size;
      if (a.sectors[i].size == 0 || next <= a.sectors[i].offset ||
          (next - a.sectors[i].offset) % a.sectors[i].size != 0)
        fail(fmt::format("describes sectors that do not fill its {}", sizeText(a.size)));
    }
  }

  std::optional<std::uint32_t> optionalFunction(const char* called, const FlashAlgorithm& algorithm) const {
    const auto found = known_.find(called);
    if (found == known_.end()) return std::nullopt;
    const std::uint64_t at = found->second & ~1ull;
    if (at < lowest_ || at - lowest_ >= algorithm.code.size()) fail(fmt::format("has its {} outside its code", called));
    return static_cast<std::uint32_t>(at - lowest_);
  }

  std::uint32_t function(const char* called, const FlashAlgorithm& algorithm) const {
    if (const auto at = optionalFunction(called, algorithm)) return *at;
    fail(fmt::format("has no function {}", called));
  }

  ByteSpan content_;
  const std::string& name_;
  std::unique_ptr<Elf, End> elf_;
  GElf_Ehdr header_{};
  Elf_Scn* symbols_ = nullptr;
  ByteSpan description_;
  std::uint64_t descriptionAt_ = 0, lowest_ = 0;
  std::map<std::string, std::uint64_t> known_;
};

}  // namespace

FlashAlgorithm parseFlashAlgorithm(ByteSpan elf, const std::string& name) {
  return AlgorithmReader(elf, name).read();
}

FlashAlgorithm readFlashAlgorithm(const std::filesystem::path& path) {
  return parseFlashAlgorithm(readFile(path, kAlgorithmFile), path.string());
}

}  // namespace imprimo::debug
