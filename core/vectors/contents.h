// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "core/base/range_set.h"
#include "core/image/memory_image.h"
#include "core/svf/reader.h"

namespace imprimo::vectors {

/// What a file of vectors does to memories behind bridges of ours.
struct VectorContents {
  struct Action {
    enum class Kind { Erase, Write, Compare };
    Kind kind = Kind::Erase;
    AddressRange range{};  ///< what follows on is one action, also behind less than a page that was left out as blank
    std::uint64_t bytes = 0;  ///< of it
    std::uint64_t line = 0;   ///< in the file
  };
  struct Memory {
    std::string name;                   ///< as a comment of ours tells, or made from its place
    std::size_t before = 0, after = 0;  ///< parts around the bridge
    bool fourBytes = false;             ///< addresses have four bytes at some time
    std::vector<Action> actions;        ///< in the file's order
    RangeSet erased, written, compared;
    MemoryImage image;     ///< what is written
    MemoryImage expected;  ///< what is compared
    /// What it holds afterwards, as far as the file says: `image`, and blank where it erases and writes nothing. Throws
    /// Usage where that is more than a gigabyte.
    MemoryImage held() const;
    /// The first address that is compared with something else than is written there.
    std::optional<std::uint64_t> contradiction() const;
  };
  std::vector<Memory> memories;  ///< in order of appearance
  std::uint64_t otherScans = 0;  ///< data scans that are no frames of ours
};
const char* nameOf(VectorContents::Action::Kind kind);

/// Reads it, up to the statement at `until`. `told` hears how many bytes of the file are done, and ends it by returning
/// false: throws Stopped. Throws BadFile.
VectorContents contentsOf(svf::Reader& reader, const std::function<bool(std::uint64_t)>& told = {},
                          std::uint64_t until = UINT64_MAX);

}  // namespace imprimo::vectors
