// SPDX-License-Identifier: GPL-3.0-or-later
//
// The image's document, without its widgets: undo, sharing of what did not change, checksums.
#include <QTemporaryDir>

#include "app/images/image_document.h"
#include "core/base/atomic_file.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

namespace {

struct Paper {
  QTemporaryDir folder;
  Workbench bench;
  ImageDocument image{bench};
  std::vector<std::string> told;

  Paper() {
    QObject::connect(&image, &ImageDocument::message, &image,
                     [this](const QString& text, bool) { told.push_back(text.toStdString()); });
  }
  QString put(const char* name, const Bytes& bytes) {
    writeFileAtomically(folder.filePath(name).toStdString(), ByteSpan(bytes));
    return folder.filePath(name);
  }
  /// All that is placed, made anew from the state alone.
  MemoryImage fromScratch() const {
    LayoutRules rules;
    if (image.state().block > 0) rules.block = image.state().block;
    MemoryImage whole;
    std::vector<Piece> pieces;
    for (const Placement& p : image.state().placements) {
      try {
        pieces.push_back(readPiece(p, {}, rules));
        rules.before = pieces.back().image.extent().end;
      } catch (const Error&) {
        // Shown as a problem; the others are there.
      }
    }
    try {
      writeSums(pieces, image.state().sums);
    } catch (const Error&) {
    }
    for (const Piece& piece : pieces) whole.write(piece.image);
    return whole;
  }
  MemoryImage shown() const {
    MemoryImage whole;
    for (const Piece& piece : image.pieces()) whole.write(piece.image);
    return whole;
  }
};

}  // namespace

class ImageDocumentTest : public QObject {
  Q_OBJECT
 private slots:
  /// Whatever is done, what is shown is what the state says; undone step by step it was what it was, and redone it is.
  void everyStepCanBeUndoneAndDoneAgain() {
    std::mt19937 random(77);
    for (int round = 0; round < 12; ++round) {
      Paper p;
      const QString a = p.put("a.bin", randomBytes(random, 64)), b = p.put("b.bin", randomBytes(random, 120));
      std::vector<std::pair<ImageState, MemoryImage>> past{{p.image.state(), p.shown()}};
      for (int step = 0; step < 25; ++step) {
        const std::size_t count = p.image.files().size();
        const std::size_t index = count == 0 ? 0 : below(random, count);
        ImageState next = p.image.state();
        switch (count == 0 ? 0 : below(random, 8)) {
          case 0:
            p.image.addFile(below(random, 2) == 0 ? a : b);
            break;
          case 1:
            p.image.moveTo(index, below(random, 1 << 16));
            break;
          case 2:
            p.image.remove(index);
            break;
          case 3:
            next.placements[index].reversed = !next.placements[index].reversed;
            p.image.change("bits", next);
            break;
          case 4:
            next.placements[index].after = !next.placements[index].after;
            p.image.change("after", next);
            break;
          case 5:
            next.block = 1ull << below(random, 14);
            next.placements[index].align = kEraseBlock;
            p.image.change("align", next);
            break;
          case 6:
            next.sums.assign(below(random, 2), parseSum("crc32:0..0xFF@0x100"));
            p.image.change("sum", next);
            break;
          default:
            next.placements[index].swap = below(random, 2) == 0 ? 1 : 4;
            p.image.change("swap", next);
        }
        QVERIFY(p.shown() == p.fromScratch());
        if (!(p.image.state() == past.back().first)) past.emplace_back(p.image.state(), p.shown());
      }
      for (std::size_t i = past.size() - 1; i-- > 0;) {
        p.image.history().undo();
        QVERIFY(p.image.state() == past[i].first);
        QVERIFY(p.shown() == past[i].second);
      }
      QVERIFY(!p.image.history().canUndo());
      for (std::size_t i = 1; i < past.size(); ++i) {
        p.image.history().redo();
        QVERIFY(p.image.state() == past[i].first && p.shown() == past[i].second);
      }
    }
  }

  void theSameFileTwiceIsTwoPieces() {
    Paper p;
    const QString a = p.put("a.bin", Bytes(32, 7));
    p.image.addFile(a);
    p.image.addFile(a);
    p.image.moveTo(1, 0);  // now both are the same in every way
    QCOMPARE(p.image.pieces().size(), 2u);
    QCOMPARE(p.image.pieces()[0].image.byteCount(), 32u);
    QCOMPARE(p.image.pieces()[1].image.byteCount(), 32u);
    ImageState next = p.image.state();
    next.fill = 0;
    p.image.change("fill", next);
    next.size = 1 << 20;
    p.image.change("size", next);
    QCOMPARE(p.image.pieces()[0].image.byteCount() + p.image.pieces()[1].image.byteCount(), 64u);
    QVERIFY(!p.image.canSave());
  }

  void aFileThatCannotBeReadLeavesTheOthers() {
    Paper p;
    p.image.addFile(p.put("a.bin", {1, 2, 3}));
    p.image.addFile(p.folder.filePath("none.bin"));
    QCOMPARE(p.image.files().size(), 1u);
    VERIFY_CONTAINS(p.told.back(), "No such file");
    ImageState next = p.image.state();
    next.placements.push_back(next.placements[0]);
    next.placements[1].file = p.folder.filePath("none.bin").toStdString();
    p.image.change("by hand", next);
    QCOMPARE(p.image.pieces().size(), 1u);
    QVERIFY(p.image.files()[1].problem.contains("No such file"));
    QVERIFY(!p.image.canSave());
    QCOMPARE(p.image.fileOf(0), std::optional<std::size_t>{0});
  }

  void aChecksumThatGoesAwayLeavesTheFileAsItWas() {
    Paper p;
    p.image.addFile(p.put("a.bin", Bytes(0x40, 0x11)));
    ImageState next = p.image.state();
    next.sums = {parseSum("crc32:0..0x3B@0x3C")};
    p.image.change("sum", next);
    QVERIFY(p.image.pieces()[0].image.at(0x3F) != std::optional<std::uint8_t>{0x11});
    next.sums.clear();
    p.image.change("no sum", next);
    QCOMPARE(p.image.pieces()[0].image.at(0x3F), std::optional<std::uint8_t>{0x11});
  }

  void ownAddressesOnlyGoUp() {
    Paper p;
    const std::string hex = ":0100100001EE\n:00000001FF\n";
    p.image.addFile(p.put("a.hex", Bytes(hex.begin(), hex.end())));
    QVERIFY(!p.image.state().placements[0].at);
    p.image.moveTo(0, 0x30);
    QCOMPARE(p.image.state().placements[0].at, std::optional<std::uint64_t>{0x20});
    p.image.moveTo(0, 0x4);
    QVERIFY(!p.image.state().placements[0].at);
    QCOMPARE(p.image.pieces()[0].image.extent().begin, 0x10u);
  }

  void whatCannotBeSavedIsSaidAndNothingIsLeft() {
    Paper p;
    p.image.addFile(p.put("a.bin", {1, 2, 3}));
    QVERIFY(!p.image.save("/proc/nowhere/image.bin"));
    VERIFY_CONTAINS(p.told.back(), "cannot write /proc/nowhere/image.bin");
    QVERIFY(p.image.lastSaved().isEmpty());
    QVERIFY(p.image.save(p.folder.filePath("out.bin")));
    VERIFY_CONTAINS(p.told.back(), "Saved out.bin: raw binary, 3 bytes");
  }
};
IMPRIMO_TEST(ImageDocumentTest);
#include "tst_image_document.moc"
