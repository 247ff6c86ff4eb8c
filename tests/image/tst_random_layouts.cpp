// SPDX-License-Identifier: GPL-3.0-or-later
//
// Random placements against a model that does every step on single bytes.
#include <QTemporaryDir>
#include <map>

#include "core/base/atomic_file.h"
#include "core/base/number.h"
#include "core/image/image_writer.h"
#include "core/image/intel_hex.h"
#include "core/image/pieces.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

/// An image, a byte at a time.
using Cells = std::map<std::uint64_t, std::uint8_t>;

Cells cellsOf(const MemoryImage& image) {
  Cells cells;
  for (const MemoryImage::Segment& s : image.segments()) {
    for (std::size_t i = 0; i < s.bytes.size(); ++i) cells[s.begin + i] = s.bytes[i];
  }
  return cells;
}

std::uint64_t up(std::uint64_t value, std::uint64_t to) {
  while (value % to != 0) ++value;
  return value;
}

std::uint8_t turned(std::uint8_t byte) {
  std::uint8_t out = 0;
  for (int bit = 0; bit < 8; ++bit) out = static_cast<std::uint8_t>(out | ((byte >> bit & 1) << (7 - bit)));
  return out;
}

/// What place() should make of `own`; nothing where it should refuse.
std::optional<Cells> model(const Cells& own, bool hasAddresses, const Placement& p, const LayoutRules& rules) {
  Cells cells;
  for (const auto& [at, byte] : own) {
    if (!p.cut || p.cut->contains(at)) cells[at] = p.reversed ? turned(byte) : byte;
  }
  if (cells.empty()) return std::nullopt;
  if (p.swap > 1) {
    Cells swapped;
    for (const auto& [at, byte] : cells) {
      const std::uint64_t word = at / p.swap * p.swap;
      for (unsigned i = 0; i < p.swap; ++i) {
        if (!cells.contains(word + i)) return std::nullopt;  // a word that is not whole
      }
      swapped[word + (p.swap - 1 - at % p.swap)] = byte;
    }
    cells = std::move(swapped);
  }
  const std::uint64_t first = cells.begin()->first;
  const bool follows = p.after || (!hasAddresses && !p.at && p.align);
  if (!hasAddresses && !p.at && !follows) return std::nullopt;
  std::uint64_t to = follows ? rules.before + p.at.value_or(0) : hasAddresses ? first + p.at.value_or(0) : *p.at;
  if (p.align) {
    if (*p.align == kEraseBlock && !rules.block) return std::nullopt;
    to = up(to, *p.align == kEraseBlock ? *rules.block : *p.align);
  }
  Cells placed;
  for (const auto& [at, byte] : cells) placed[at - first + to] = byte;
  if (p.pad) {
    if (*p.pad == kEraseBlock && !rules.block) return std::nullopt;
    const std::uint64_t end = placed.rbegin()->first + 1;
    for (std::uint64_t at = end; at < up(end, *p.pad == kEraseBlock ? *rules.block : *p.pad); ++at)
      placed[at] = rules.fill;
  }
  return placed;
}

}  // namespace

class RandomLayoutsTest : public QObject {
  Q_OBJECT
  QTemporaryDir folder_;

 private slots:
  void placingIsTheSameAsByteByByte() {
    std::mt19937 random(2026);
    int refused = 0, done = 0;
    for (int round = 0; round < 3000; ++round) {
      SourceFile source;
      source.file.hasAddresses = round % 3 == 0;
      const std::size_t unit = below(random, 3) == 0 ? 1 : 4;
      for (std::size_t i = 0; i < (source.file.hasAddresses ? 1 + below(random, 4) : 1); ++i) {
        source.file.image.write(source.file.hasAddresses ? below(random, 60) * unit : 0,
                                randomBytes(random, (1 + below(random, 20)) * unit));
      }
      Placement p;
      p.file = "f";
      p.reversed = below(random, 2) == 0;
      if (below(random, 3) == 0) p.swap = below(random, 2) == 0 ? 2 : 4;
      if (below(random, 3) != 0) p.at = below(random, 300);
      if (below(random, 4) == 0) p.after = true;
      if (below(random, 4) == 0) p.align = below(random, 3) == 0 ? kEraseBlock : 1 + below(random, 40);
      if (below(random, 4) == 0) p.pad = below(random, 3) == 0 ? kEraseBlock : 1 + below(random, 40);
      if (below(random, 4) == 0) {
        const std::uint64_t from = below(random, 30) * unit;
        p.cut = AddressRange{from, below(random, 2) == 0 ? UINT64_MAX : from + unit * (1 + below(random, 30))};
      }
      LayoutRules rules;
      if (below(random, 3) != 0) rules.block = 1ull << below(random, 7);
      rules.before = below(random, 500);
      rules.fill = static_cast<std::uint8_t>(random());
      const auto expected = model(cellsOf(source.file.image), source.file.hasAddresses, p, rules);
      if (!expected) {
        ++refused;
        QCOMPARE(kindOf([&] { place(std::make_shared<const SourceFile>(source), p, rules); }),
                 std::optional{ErrorKind::Usage});
        continue;
      }
      ++done;
      const Bytes before = source.file.image.bytes(source.file.image.extent());
      const Piece shared = place(std::make_shared<const SourceFile>(source), p, rules);
      QVERIFY(cellsOf(shared.image) == *expected);
      QVERIFY(shared.source->file.image.bytes(shared.source->file.image.extent()) ==
              before);  // the file stays as it is
      QVERIFY(place(std::move(source), p, rules).image == shared.image);
    }
    QVERIFY(refused > 200 && done > 1000);
  }

  /// Whatever is written out comes back, in every form, with filling and without.
  void whatIsWrittenComesBack() {
    std::mt19937 random(11);
    for (int round = 0; round < 150; ++round) {
      MemoryImage image;
      for (std::size_t i = 0; i < 1 + below(random, 6); ++i)
        image.write(below(random, 0xF000), randomBytes(random, 1 + below(random, 500)));
      OutputFormat format;
      format.format = round % 2 == 0 ? ImageFormat::IntelHex : ImageFormat::Motorola;
      format.addressBits =
          round % 2 == 0 ? std::array{16, 20, 32}[below(random, 3)] : std::array{16, 24, 32}[below(random, 3)];
      format.recordLength = 1 + below(random, 250);
      OutputRange range;
      if (below(random, 3) == 0) {
        range.from = image.extent().begin - below(random, static_cast<std::size_t>(image.extent().begin) + 1);
        range.size = image.extent().end - *range.from + below(random, 100);
        range.fill = static_cast<std::uint8_t>(random());
      }
      const std::string path = folder_.filePath("out").toStdString();
      const std::uint64_t written = saveImage(image, format, range, path);
      QCOMPARE(std::filesystem::file_size(path), written);
      MemoryImage expected = image;
      if (range.size) {
        expected = MemoryImage();
        expected.write(*range.from, image.bytes({*range.from, *range.from + *range.size}, range.fill));
      }
      QVERIFY(readImageFile(path).image == expected);
      const Bytes raw = imageBytes(image, {}, range);
      QVERIFY(raw == image.bytes(range.size ? AddressRange{*range.from, *range.from + *range.size} : image.extent(),
                                 range.fill));
    }
  }

  /// The image's own bookkeeping, against single bytes.
  void imagesAreTheSameAsSingleBytes() {
    std::mt19937 random(5);
    for (int round = 0; round < 200; ++round) {
      MemoryImage image;
      Cells cells;
      for (int step = 0; step < 30; ++step) {
        const std::uint64_t at = below(random, 200);
        const Bytes bytes = randomBytes(random, 1 + below(random, 30));
        switch (below(random, 5)) {
          case 0:
            image.erase({at, at + bytes.size()});
            for (std::size_t i = 0; i < bytes.size(); ++i) cells.erase(at + i);
            continue;
          case 1: {
            // Only what lies behind everything is taken.
            const bool behind = cells.empty() || at > cells.rbegin()->first;
            QCOMPARE(image.extend(at, bytes), behind);
            if (!behind) continue;
            break;
          }
          case 2:
            image.write(at, Bytes(bytes));
            break;
          case 3: {
            MemoryImage other;
            other.write(at, ByteSpan(bytes));
            image.write(std::move(other));
            break;
          }
          default:
            image.write(at, ByteSpan(bytes));
        }
        for (std::size_t i = 0; i < bytes.size(); ++i) cells[at + i] = bytes[i];
      }
      QVERIFY(cellsOf(image) == cells);
      QCOMPARE(image.byteCount(), cells.size());
      const auto segments = image.segments();
      for (std::size_t i = 1; i < segments.size(); ++i) QVERIFY(segments[i - 1].range().end < segments[i].begin);
      image.moveUp(1000);
      image.moveDown(400);
      Cells moved;
      for (const auto& [at, byte] : cells) moved[at + 600] = byte;
      QVERIFY(cellsOf(image) == moved);
    }
  }
};
IMPRIMO_TEST(RandomLayoutsTest);
#include "tst_random_layouts.moc"
