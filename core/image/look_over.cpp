// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/look_over.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"
#include "core/image/sync_word.h"

namespace imprimo {
namespace {

/// A bitstream's sync word stands behind a pad of at most so many bytes.
constexpr std::size_t kSyncWithin = 4096;

std::optional<std::uint32_t> wordAt(const MemoryImage& image, std::uint64_t at) {
  if (!image.covers({at, at + 4})) return std::nullopt;
  return loadLe32(image.bytes({at, at + 4}).data());
}

class Looker {
 public:
  Looker(const std::vector<Piece>& pieces, const LookOverRules& rules) : pieces_(pieces), rules_(rules) {}

  std::vector<Finding> run() {
    if (pieces_.empty()) return {};
    overlaps();
    fits();
    blocks();
    kept();
    for (std::size_t i = 0; i < pieces_.size(); ++i) {
      sync(i);
      code(i);
      file(i);
    }
    vectors();
    same();
    std::stable_sort(found_.begin(), found_.end(),
                     [](const Finding& a, const Finding& b) { return a.level > b.level; });
    return std::move(found_);
  }

 private:
  void add(Finding finding) { found_.push_back(std::move(finding)); }
  void fine(Finding::Kind kind, std::string what) { add({Finding::Fine, kind, std::move(what)}); }

  void overlaps() {
    bool any = false;
    for (std::size_t i = 0; i < pieces_.size(); ++i) {
      for (std::size_t k = 0; k < i; ++k) {
        for (const MemoryImage::Segment& s : pieces_[i].image.segments()) {
          const auto common = pieces_[k].image.segmentsIn(s.range());
          if (common.empty()) continue;
          any = true;
          add({Finding::Blocks,
               Finding::Overlap,
               fmt::format("{} and {} overlap at {}", pieces_[k].name(), pieces_[i].name(),
                           rangeText(common.front().range())),
               "Move one of them, or take it out.",
               common.front().range(),
               {k, i}});
          break;
        }
      }
    }
    if (!any && pieces_.size() > 1) fine(Finding::Overlap, "No two pieces overlap");
  }

  void fits() {
    if (!rules_.size) return;
    bool all = true;
    std::uint64_t bytes = 0;
    for (std::size_t i = 0; i < pieces_.size(); ++i) {
      const AddressRange extent = pieces_[i].image.extent();
      bytes += pieces_[i].image.byteCount();
      if (extent.end <= *rules_.size) continue;
      all = false;
      add({Finding::Blocks,
           Finding::Outside,
           fmt::format("{} takes {}, but {} ends at {}", pieces_[i].name(), rangeText(extent), memory(),
                       hexAddress(*rules_.size - 1)),
           "Move it to a lower address, or choose a larger part.",
           AddressRange{std::max(extent.begin, *rules_.size), extent.end},
           {i}});
    }
    if (all) {
      fine(Finding::Outside, fmt::format("Everything fits {}: {:.1f} % full", memory(),
                                         100.0 * static_cast<double>(bytes) / static_cast<double>(*rules_.size)));
    }
  }

  void blocks() {
    if (!rules_.block) return;
    const std::uint64_t block = *rules_.block;
    bool all = true;
    for (std::size_t i = 0; i < pieces_.size(); ++i) {
      const std::uint64_t begin = pieces_[i].image.extent().begin;
      if (begin % block == 0 || !pieces_[i].source) continue;  // checksums stand where they have to
      all = false;
      const AddressRange head{begin / block * block, begin};
      const auto other = std::find_if(pieces_.begin(), pieces_.end(),
                                      [&](const Piece& p) { return &p != &pieces_[i] && p.image.touches(head); });
      if (other != pieces_.end()) {
        add({Finding::Trouble,
             Finding::Block,
             fmt::format("{} begins at {}, in the same {} block as the end of {}", pieces_[i].name(), hexAddress(begin),
                         sizeText(block), other->name()),
             "Neither can be replaced alone. Align it to a block.",
             head,
             {i, static_cast<std::size_t>(other - pieces_.begin())}});
      } else {
        add({Finding::Note,
             Finding::Block,
             fmt::format("{} begins at {}, not on a {} block", pieces_[i].name(), hexAddress(begin), sizeText(block)),
             "What lies before it in that block is erased with it, and put back. Align it to a block to avoid that.",
             head,
             {i}});
      }
    }
    if (all) fine(Finding::Block, fmt::format("Every piece begins on a {} block", sizeText(block)));
  }

  void kept() {
    bool any = false;
    for (const AddressRange& keep : rules_.keep) {
      for (std::size_t i = 0; i < pieces_.size(); ++i) {
        const auto common = pieces_[i].image.segmentsIn(keep);
        if (common.empty()) continue;
        any = true;
        add({Finding::Blocks,
             Finding::Kept,
             fmt::format("{} would write into {}, which is kept", pieces_[i].name(), rangeText(common.front().range())),
             "Move it, or take the range out of what the sheet keeps.",
             common.front().range(),
             {i}});
      }
    }
    if (!any && !rules_.keep.empty()) fine(Finding::Kept, "Kept ranges untouched");
  }

  bool mayBeBitstream(const Piece& piece) const {
    return piece.source && !piece.placement.pattern && piece.format == ImageFormat::Raw;
  }

  void sync(std::size_t i) {
    const Piece& piece = pieces_[i];
    if (!mayBeBitstream(piece) || rules_.use == MemoryUse::CoreCode) return;
    const AddressRange extent = piece.image.extent();
    const bool known = !rules_.sync.empty();
    const Bytes& word = known ? rules_.sync : piece.source->sync;
    if (word.empty()) return;
    // What a card says holds for the file's own order, what the part says for the order in the memory.
    const Bytes head = known ? headOf(piece) : piece.headAsInFile(kSyncWithin);
    const auto found = findSync(head, word);
    if (found && !found->reversed) {
      return fine(Finding::Sync,
                  fmt::format("Sync word of {} comes {}", piece.name(),
                              found->at == 0 ? "first" : fmt::format("after {}", countText(found->at, "byte"))));
    }
    if (found) {
      return add({Finding::Trouble,
                  Finding::SyncReversed,
                  fmt::format("The sync word of {} is stored with the bits of each byte reversed", piece.name()),
                  piece.placement.reversed ? "Leave its bits as they are." : "Reverse its bits.",
                  AddressRange{extent.begin + found->at, extent.begin + found->at + word.size()},
                  {i}});
    }
    const bool first = std::none_of(pieces_.begin(), pieces_.end(), [&](const Piece& p) {
      return mayBeBitstream(p) && p.image.extent().begin < extent.begin;
    });
    const bool surely = first || !piece.source->sync.empty();
    add({surely ? Finding::Trouble : Finding::Note,
         Finding::Sync,
         fmt::format("{} has no sync word {} within its first {}", piece.name(), digitsOf(word), sizeText(head.size())),
         surely ? "An FPGA would not start from it. Is it the right file, and is its header taken off?"
                : "As data it is fine; as a bitstream an FPGA would not start from it.",
         AddressRange{extent.begin, extent.begin + head.size()},
         {i}});
  }

  void code(std::size_t i) {
    const Piece& piece = pieces_[i];
    if (!piece.source || piece.placement.pattern) return;
    const std::string& machine = piece.source->file.machine;
    const bool vectors = looksLikeVectors(piece.headAsInFile(8), rules_.ram.value_or(kUsualRam));
    if (rules_.use == MemoryUse::Configuration && (!machine.empty() || vectors)) {
      add({Finding::Trouble,
           Finding::Code,
           fmt::format("{} has code for {}, not for a configuration flash", piece.name(),
                       machine.empty() ? "a core" : fmt::format("a core ({})", machine)),
           "Keep it if a core loads it from here; otherwise take it out.",
           piece.image.extent(),
           {i}});
    }
    if (rules_.use == MemoryUse::CoreCode &&
        (!piece.source->sync.empty() || (!rules_.sync.empty() && hasSync(piece)))) {
      add({Finding::Trouble,
           Finding::Code,
           fmt::format("{} is a bitstream, not code for a core", piece.name()),
           "Place it in the FPGA's configuration flash.",
           piece.image.extent(),
           {i}});
    }
    if (const auto entry = piece.source->file.entry; entry && !machine.empty() && !loads(piece, *entry)) {
      add({Finding::Trouble,
           Finding::Entry,
           fmt::format("{} says that it begins at {}, which it does not load", piece.name(), hexAddress(*entry)),
           "Check its linker script; code that is copied to RAM at start is fine.",
           std::nullopt,
           {i}});
    }
  }

  bool hasSync(const Piece& piece) const { return findSync(headOf(piece), rules_.sync).has_value(); }
  static Bytes headOf(const Piece& piece) {
    const AddressRange e = piece.image.extent();
    return piece.image.bytes({e.begin, e.begin + std::min<std::uint64_t>(e.size(), kSyncWithin)});
  }
  /// Physical addresses are what was loaded, and an entry is a virtual one; where they are the same it has to be there.
  static bool loads(const Piece& piece, std::uint64_t address) {
    return piece.image.at((address & ~std::uint64_t{1}) + piece.moved).has_value();
  }
  static bool sameBytes(const Piece& a, const Piece& b) {
    const auto one = a.image.segments(), two = b.image.segments();
    return std::equal(one.begin(), one.end(), two.begin(), two.end(), [&](const auto& s, const auto& t) {
      return s.begin - a.image.extent().begin == t.begin - b.image.extent().begin &&
             std::equal(s.bytes.begin(), s.bytes.end(), t.bytes.begin(), t.bytes.end());
    });
  }

  /// The vector table of an ARMv7-M core at the image's lowest address (DDI 0403E B1.5.3).
  void vectors() {
    if (rules_.use != MemoryUse::CoreCode) return;
    std::optional<std::uint64_t> lowest;
    for (const Piece& p : pieces_) lowest = std::min(lowest.value_or(UINT64_MAX), p.image.extent().begin);
    std::optional<std::uint32_t> stack, reset;
    for (const Piece& p : pieces_) {
      if (!stack) stack = wordAt(p.image, *lowest);
      if (!reset) reset = wordAt(p.image, *lowest + 4);
    }
    if (!stack || !reset) return;
    const AddressRange table{*lowest, *lowest + 8}, ram = rules_.ram.value_or(kUsualRam);
    const bool inImage = std::any_of(pieces_.begin(), pieces_.end(),
                                     [&](const Piece& p) { return p.image.at(*reset & ~1u).has_value(); });
    if (!inImage) {
      add({Finding::Trouble, Finding::Reset,
           fmt::format("The reset vector at {} points to {}, outside the image", hexAddress(*lowest + 4),
                       hexAddress(*reset)),
           "The core would not start. Is the image at the address that it was linked for?", table});
    } else if ((*reset & 1) == 0) {
      add({Finding::Trouble, Finding::Reset,
           fmt::format("The reset vector {} at {} has no Thumb bit", hexAddress(*reset), hexAddress(*lowest + 4)),
           "A core without another instruction set would fault at once.", table});
    } else {
      fine(Finding::Reset, "Reset vector inside the image");
    }
    // The first push goes below it, so the end of the RAM is a fine place.
    if (*stack < ram.begin || *stack > ram.end || *stack == ram.begin || *stack % 4 != 0) {
      add({Finding::Trouble, Finding::Stack,
           fmt::format("The stack pointer at {} is {}, not in RAM ({})", hexAddress(*lowest), hexAddress(*stack),
                       rangeText(ram)),
           "The core would fault at its first push. Say where its RAM is, or check the file.", table});
    } else {
      fine(Finding::Stack, "Stack pointer in RAM");
    }
  }

  void file(std::size_t i) {
    const Piece& piece = pieces_[i];
    if (!piece.source) return;
    for (const std::string& remark : piece.source->file.remarks) {
      add({Finding::Note, Finding::File, fmt::format("{}: {}", piece.name(), remark), "", std::nullopt, {i}});
    }
    if (rules_.saved && !piece.placement.pattern && piece.source->changed > *rules_.saved) {
      add({Finding::Note,
           Finding::Newer,
           fmt::format("{} is newer than the saved image", piece.name()),
           "Save the image again.",
           std::nullopt,
           {i}});
    }
  }

  void same() {
    for (std::size_t i = 0; i < pieces_.size(); ++i) {
      for (std::size_t k = 0; k < i; ++k) {
        const Piece &a = pieces_[k], &b = pieces_[i];
        if (!a.source || !b.source || a.placement.pattern || b.placement.pattern) continue;
        if (!sameBytes(a, b)) continue;
        add({Finding::Note,
             Finding::Same,
             fmt::format("{} and {} have the same bytes", a.name(), b.name()),
             "Is one of them meant to be another file?",
             b.image.extent(),
             {k, i}});
      }
    }
  }

  std::string memory() const { return rules_.memory.empty() ? "the part" : rules_.memory; }

  const std::vector<Piece>& pieces_;
  const LookOverRules& rules_;
  std::vector<Finding> found_;
};

}  // namespace

const char* nameOf(Finding::Level level) {
  switch (level) {
    case Finding::Fine:
      return "fine";
    case Finding::Note:
      return "note";
    case Finding::Trouble:
      return "trouble";
    case Finding::Blocks:
      return "blocks";
  }
  return "";
}

const char* nameOf(Finding::Kind kind) {
  static constexpr const char* kNames[] = {"overlap", "outside", "block", "kept", "sync",  "sync", "code",
                                           "entry",   "reset",   "stack", "file", "newer", "same", "sum"};
  static_assert(std::size(kNames) == Finding::Sum + 1);
  return kNames[kind];
}

std::vector<Finding> lookOver(const std::vector<Piece>& pieces, const LookOverRules& rules) {
  return Looker(pieces, rules).run();
}

bool looksLikeVectors(ByteSpan head, const AddressRange& ram) {
  if (head.size() < 8) return false;
  const std::uint32_t stack = loadLe32(head.data()), reset = loadLe32(head.data() + 4);
  return stack > ram.begin && stack <= ram.end && stack % 4 == 0 && (reset & 1) == 1 && reset < ram.begin;
}

}  // namespace imprimo
