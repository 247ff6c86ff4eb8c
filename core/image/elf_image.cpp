// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/elf_image.h"

#include <fmt/format.h>
#include <gelf.h>
#include <libelf.h>

#include <algorithm>
#include <memory>

#include "core/base/error.h"
#include "core/base/number.h"

namespace imprimo {
namespace {

[[noreturn]] void fail(const std::string& name, const std::string& what, const std::string& remedy) {
  throw Error(ErrorKind::BadFile, fmt::format("{}: {}", name, what), remedy);
}

struct End {
  void operator()(Elf* elf) const { elf_end(elf); }
};

}  // namespace

bool looksLikeElf(ByteSpan content) {
  constexpr std::uint8_t kMagic[] = {0x7F, 'E', 'L', 'F'};
  return content.size() >= 4 && std::equal(std::begin(kMagic), std::end(kMagic), content.begin());
}

ElfFile readElf(ByteSpan content, const std::string& name) {
  constexpr const char* kCopyAgain = "The file was probably cut short: copy it again.";
  if (elf_version(EV_CURRENT) == EV_NONE) fail(name, "cannot be read: the ELF library is too old", "");
  // The library only reads what it is given this way; its interface just does not say so.
  const std::unique_ptr<Elf, End> elf(
      elf_memory(const_cast<char*>(reinterpret_cast<const char*>(content.data())), content.size()));
  GElf_Ehdr header{};
  if (!elf || elf_kind(elf.get()) != ELF_K_ELF || gelf_getehdr(elf.get(), &header) == nullptr) {
    fail(name, "its ELF header is cut short or damaged", kCopyAgain);
  }
  ElfFile file;
  file.entry = header.e_entry;
  file.machine = header.e_machine;
  file.bigEndian = header.e_ident[EI_DATA] == ELFDATA2MSB;
  file.wide = header.e_ident[EI_CLASS] == ELFCLASS64;
  std::size_t count = 0;
  if (elf_getphdrnum(elf.get(), &count) != 0) fail(name, "its program headers are outside the file", kCopyAgain);
  for (std::size_t i = 0; i < count; ++i) {
    GElf_Phdr segment{};
    if (gelf_getphdr(elf.get(), static_cast<int>(i), &segment) == nullptr) {
      fail(name, fmt::format("program header {} is outside the file", i), kCopyAgain);
    }
    if (segment.p_type != PT_LOAD || segment.p_filesz == 0) continue;
    if (segment.p_offset > content.size() || segment.p_filesz > content.size() - segment.p_offset) {
      fail(name,
           fmt::format("segment {} ({} at {}) is outside the file", i, sizeText(segment.p_filesz),
                       hexAddress(segment.p_paddr)),
           kCopyAgain);
    }
    if (segment.p_filesz > UINT64_MAX - segment.p_paddr) {
      fail(name, fmt::format("segment {} runs past the end of all addresses", i), "Its linker script is wrong.");
    }
    const ByteSpan bytes = content.subspan(segment.p_offset, segment.p_filesz);
    for (const MemoryImage::Segment& s : file.image.segmentsIn({segment.p_paddr, segment.p_paddr + bytes.size()})) {
      if (std::equal(s.bytes.begin(), s.bytes.end(),
                     bytes.begin() + static_cast<std::ptrdiff_t>(s.begin - segment.p_paddr)))
        continue;
      fail(name, fmt::format("two segments put different bytes at {}", rangeText(s.range())),
           "Its linker script is wrong.");
    }
    file.image.write(segment.p_paddr, bytes);
  }
  if (file.image.empty()) {
    fail(name, "it has nothing to load (no program headers with contents)",
         header.e_type == ET_REL ? "It is an object file: link it first." : "Check how it was linked.");
  }
  return file;
}

std::string ElfFile::machineName() const {
  switch (machine) {
    case EM_ARM:
      return "Arm";
    case EM_AARCH64:
      return "AArch64";
    case EM_RISCV:
      return "RISC-V";
    case EM_386:
      return "x86";
    case EM_X86_64:
      return "x86-64";
    case EM_PPC:
      return "PowerPC";
    case EM_MIPS:
      return "MIPS";
    default:
      return fmt::format("machine {}", machine);
  }
}

}  // namespace imprimo
