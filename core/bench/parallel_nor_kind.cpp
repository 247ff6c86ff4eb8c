// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/parallel_nor_kind.h"

#include "core/base/error.h"
#include "core/flash/parallel_nor.h"

namespace imprimo::bench {
namespace {

void identifyParallel(const MemorySite& site, std::unique_ptr<memory::Memory>& memory) {
  auto found = std::make_unique<flash::ParallelNor>(busOf(site.route, site.entry.name), site.entry.name);
  if (memory && memory->identity().samePart(found->identity())) return;
  memory = std::move(found);
}

/// It describes itself, and only when it is asked.
std::optional<memory::Geometry> parallelOnPaper(const sheet::Sheet&, const sheet::MemoryEntry&) {
  return std::nullopt;
}

}  // namespace

MemoryKind parallelNorKind() {
  return {"parallel-nor", MemoryUse::Configuration, identifyParallel, parallelOnPaper, nullptr};
}

}  // namespace imprimo::bench
