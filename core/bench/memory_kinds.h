// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/bench/finders.h"
#include "core/bench/route.h"
#include "core/image/look_over.h"
#include "core/memory/memory.h"
#include "core/sheet/sheet.h"

namespace imprimo::bench {

/// A memory at the far end of a route that answered.
struct MemorySite {
  const sheet::Sheet& sheet;
  const sheet::MemoryEntry& entry;
  Route& route;
  const Finders& find;
};

/// A memory written down instead of used (core/vectors), by what describes it on paper. What is asked of it waits its
/// longest time and expects its answers.
class MemoryRecorder {
 public:
  virtual ~MemoryRecorder() = default;
  virtual const memory::Geometry& geometry() const = 0;
  /// "Quill Q64, 8 MiB, page 256"
  virtual std::string words() const = 0;
  /// Comments that a reader of the file needs.
  virtual std::vector<std::string> headLines() const = 0;
  /// Expects the memory that is described, at a route that was greeted, which stays for what follows.
  virtual void identify(RouteRecorder& route) = 0;
  virtual void enterModes() = 0;
  virtual void erase(std::span<const memory::EraseBlock> blocks, Progress& progress) = 0;
  virtual void program(std::span<const memory::PageWrite> pages, Progress& progress) = 0;
  /// At most `atOnce` bytes in one exchange, which begin at multiples of it.
  virtual void expectBytes(std::uint64_t address, ByteSpan bytes, std::size_t atOnce, Progress& progress) = 0;
  /// Whether modes have to be put back at the end, for which the route is greeted first.
  virtual bool hasModes() const = 0;
  virtual void leave() = 0;
};

/// What a bench does with one kind of memory.
struct MemoryKind {
  const char* type;  ///< as a sheet has it: one of sheet::memoryTypes()
  MemoryUse use;     ///< what images in it are looked over for
  /// Asks the memory who it is. `memory` is the one that was identified there before, null at first: it stays where the
  /// same part answers. Throws UnknownFlash, Refused.
  void (*identify)(const MemorySite& site, std::unique_ptr<memory::Memory>& memory);
  /// What is known of it without asking: its description in the sheet, or what was last seen. Throws BadFile.
  std::optional<memory::Geometry> (*onPaper)(const sheet::Sheet& sheet, const sheet::MemoryEntry& entry);
  /// Null for a kind that files of vectors do not reach. Throws Usage where the sheet does not describe it.
  std::unique_ptr<MemoryRecorder> (*record)(const sheet::Sheet& sheet, const sheet::MemoryEntry& entry);
};

/// The row of a memory's type.
const MemoryKind& memoryKind(const sheet::MemoryEntry& entry);

/// The geometry that is known of a memory without asking it. Throws BadFile.
std::optional<memory::Geometry> geometryOnPaper(const sheet::Sheet& sheet, const std::string& memory);

}  // namespace imprimo::bench
