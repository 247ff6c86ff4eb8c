// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/memory_kinds.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/bench/cores/core_flash_kind.h"
#include "core/bench/cores/core_ram.h"
#include "core/bench/parallel_nor_kind.h"
#include "core/bench/serial_flash_kind.h"

namespace imprimo::bench {

const MemoryKind& memoryKind(const sheet::MemoryEntry& entry) {
  static const MemoryKind kKinds[] = {serialFlashKind(), coreFlashKind(), coreRamKind(), parallelNorKind()};
  for (const MemoryKind& kind : kKinds) {
    if (entry.type == kind.type) return kind;
  }
  throw Error(ErrorKind::Usage, fmt::format("{} is a {}, which this version cannot drive", entry.name, entry.type));
}

std::optional<memory::Geometry> geometryOnPaper(const sheet::Sheet& sheet, const std::string& name) {
  const sheet::MemoryEntry& entry = sheet.memory(name);
  return memoryKind(entry).onPaper(sheet, entry);
}

}  // namespace imprimo::bench
