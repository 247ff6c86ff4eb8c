// SPDX-License-Identifier: GPL-3.0-or-later
#include <QProcess>
#include <QTemporaryDir>
#include <map>

#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "core/image/intel_hex.h"
#include "core/image/pieces.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class MemoryImageTest : public QObject {
  Q_OBJECT
 private slots:
  void isAMapFromAddressToByte() {
    std::mt19937 random(11);
    for (int round = 0; round < 150; ++round) {
      MemoryImage image;
      std::map<std::uint64_t, std::uint8_t> reference;
      for (int i = 0; i < 25; ++i) {
        const std::uint64_t at = below(random, 120);
        const Bytes bytes = randomBytes(random, below(random, 25));
        if (random() % 4 == 0) {
          image.erase({at, at + bytes.size()});
          for (std::size_t k = 0; k < bytes.size(); ++k) reference.erase(at + k);
        } else {
          image.write(at, bytes);
          for (std::size_t k = 0; k < bytes.size(); ++k) reference[at + k] = bytes[k];
        }
        QCOMPARE(image.byteCount(), reference.size());
      }
      for (std::uint64_t a = 0; a < 160; ++a) {
        const auto expected = reference.find(a);
        QCOMPARE(image.at(a).has_value(), expected != reference.end());
        if (expected != reference.end()) QCOMPARE(*image.at(a), expected->second);
        QCOMPARE(image.touches({a, a + 1}), expected != reference.end());
      }
      const auto segments = image.segments();
      for (std::size_t i = 1; i < segments.size(); ++i) QVERIFY(segments[i - 1].range().end < segments[i].begin);
      const Bytes all = image.bytes({0, 160}, 0x55);
      for (std::uint64_t a = 0; a < 160; ++a) QCOMPARE(all[a], image.at(a).value_or(0x55));
    }
  }

  /// Copies have their bytes in common; none may see what is done to another.
  void copiesKnowNothingOfEachOther() {
    std::mt19937 random(12);
    for (int round = 0; round < 100; ++round) {
      std::vector<MemoryImage> images(4);
      std::vector<std::map<std::uint64_t, std::uint8_t>> references(4);
      for (int i = 0; i < 60; ++i) {
        const std::size_t n = below(random, 4);
        MemoryImage& image = images[n];
        auto& reference = references[n];
        const std::uint64_t at = below(random, 120);
        const Bytes bytes = randomBytes(random, below(random, 25));
        const std::size_t other = below(random, 4);
        switch (random() % 6) {
          case 0:
            image = images[other];
            reference = references[other];
            break;
          case 1:
            if (other == n) break;
            image.write(images[other]);
            for (const auto& [address, byte] : references[other]) reference[address] = byte;
            break;
          case 2:
            image.changeBytes([](std::uint64_t, std::span<std::uint8_t> those) {
              for (std::uint8_t& byte : those) byte = reverseBits(byte);
            });
            for (auto& [address, byte] : reference) byte = reverseBits(byte);
            break;
          case 3:
            image.erase({at, at + bytes.size()});
            for (std::size_t k = 0; k < bytes.size(); ++k) reference.erase(at + k);
            break;
          default:
            image.write(at, bytes);
            for (std::size_t k = 0; k < bytes.size(); ++k) reference[at + k] = bytes[k];
        }
        for (std::size_t k = 0; k < images.size(); ++k) {
          MemoryImage expected;
          for (const auto& [address, byte] : references[k]) expected.write(address, ByteSpan(&byte, 1));
          QVERIFY(images[k] == expected);
        }
      }
    }
  }

  /// A piece at an address of its own holds the bytes of its file, not others that are the same.
  void aPlacedFileIsHeldOnce() {
    auto source = std::make_shared<SourceFile>();
    source->file.image.write(0, Bytes(4096, 0x5A));
    Placement placement;
    placement.file = "gauge.bin";
    placement.at = 0x100000;
    const Piece piece = place(std::shared_ptr<const SourceFile>(source), placement, LayoutRules{});
    const auto held = piece.image.segments();
    QCOMPARE(held.size(), 1u);
    QCOMPARE(held.front().begin, 0x100000u);
    QVERIFY(held.front().bytes.data() == source->file.image.segments().front().bytes.data());
    const MemoryImage whole = combine({piece});
    QVERIFY(whole.segments().front().bytes.data() == held.front().bytes.data());
  }
};
IMPRIMO_TEST(MemoryImageTest);

class IntelHexTest : public QObject {
  Q_OBJECT
  static MemoryImage read(const std::string& text) { return readIntelHex(text, "f"); }
  static std::string error(const std::string& text) {
    return errorOf([&] { read(text); });
  }

 private slots:
  void readsDataAtItsAddress() {
    const MemoryImage image = read(":0300300002337A1E\r\n:00000001FF\r\n");
    QCOMPARE(image.bytes({0x30, 0x33}), (Bytes{0x02, 0x33, 0x7A}));
    QCOMPARE(image.byteCount(), 3u);
  }

  void upperAndSegmentAddressesAddUp() {
    QCOMPARE(read(":020000040040BA\n:0100000055AA\n:00000001FF").extent(), (AddressRange{0x400000, 0x400001}));
    QCOMPARE(read(":020000021000EC\n:0100050011E9\n:00000001FF\n").extent(), (AddressRange{0x10005, 0x10006}));
    // Within a segment, offsets wrap at 64 KiB.
    const MemoryImage wrapped = read(":020000021000EC\n:02FFFF00AABB9B\n:00000001FF\n");
    QCOMPARE(wrapped.at(0x1FFFF), std::optional<std::uint8_t>{0xAA});
    QCOMPARE(wrapped.at(0x10000), std::optional<std::uint8_t>{0xBB});
  }

  void startRecordsAreAccepted() {
    QCOMPARE(read(":0400000508000101ED\n:0400000300003800C1\n:00000001FF\n").byteCount(), 0u);
  }

  void badChecksumNamesLine() {
    COMPARE_TEXT(error(":0300300002337A1E\n:0100000001FF\n"), "f: line 2: checksum is FF, should be FE");
  }

  void everythingElseThatIsWrongNamesLineToo() {
    COMPARE_TEXT(error(":0300300002337A1E\n"), "f: line 1: the end record (:00000001FF) is missing");
    COMPARE_TEXT(error("hello\n"), "f: line 1: a record starts with ':'");
    COMPARE_TEXT(error("\n:01"), "f: line 2: a record has at least five bytes");
    COMPARE_TEXT(error(":0\n"), "f: line 1: odd number of digits");
    COMPARE_TEXT(error(":03003000023G7A1E\n"), "f: line 1: column 13: not a hexadecimal digit");
    COMPARE_TEXT(error(":0400300002337A1D\n"), "f: line 1: the record says 4 data bytes and has 3");
    COMPARE_TEXT(error(":00000001FF\n:00000001FF\n"), "f: line 2: there is more after the end record");
    COMPARE_TEXT(error(":00000009F7\n"), "f: line 1: unknown record type 09");
    COMPARE_TEXT(error(":0100000011EE\n:0100000022DD\n:00000001FF\n"),
                 "f: line 2: 0x000000 was given 0x11 before and is given 0x22 here");
  }

  void writingAndReadingGivesTheSame() {
    std::mt19937 random(12);
    for (int round = 0; round < 60; ++round) {
      MemoryImage image;
      for (int i = 0; i < 4; ++i) image.write(random() % 0x300000, randomBytes(random, 1 + below(random, 300)));
      QVERIFY(read(writeIntelHex(image)) == image);
    }
  }

  void aFileCutAnywhereIsAnErrorOrLacksOnlyItsLineEnd() {
    MemoryImage image;
    image.write(0xFFF0, Bytes(40, 0x5A));
    const std::string text = writeIntelHex(image);
    for (std::size_t n = 0; n < text.size() - 1; ++n)
      QVERIFY2(error(text.substr(0, n)) != "no error", qPrintable(QString::number(n)));
    QVERIFY(read(text.substr(0, text.size() - 1)) == image);
  }

  void readsWhatBinutilsWrites() {
    QTemporaryDir folder;
    std::mt19937 random(13);
    const Bytes bytes = randomBytes(random, 70'000);
    const QString raw = folder.filePath("a.bin"), hex = folder.filePath("a.hex"), back = folder.filePath("b.bin");
    writeFileAtomically(raw.toStdString(), bytes);
    QCOMPARE(QProcess::execute("objcopy", {"-I", "binary", "-O", "ihex", "--change-addresses", "0x3FC000", raw, hex}),
             0);
    MemoryImage expected;
    expected.write(0x3FC000, bytes);
    const ImageFile file = readImageFile(hex.toStdString());
    QVERIFY(file.hasAddresses);
    QVERIFY(file.image == expected);
    // And the other way round.
    writeFileAtomically(hex.toStdString(), writeIntelHex(expected));
    QCOMPARE(QProcess::execute("objcopy", {"-I", "ihex", "-O", "binary", hex, back}), 0);
    QCOMPARE(readFile(back.toStdString()), bytes);
  }
};
IMPRIMO_TEST(IntelHexTest);

class PlacementTest : public QObject {
  Q_OBJECT
  QTemporaryDir folder_;
  void write(const char* name, const Bytes& bytes) { writeFileAtomically(folder_.filePath(name).toStdString(), bytes); }
  Piece piece(const std::string& text) { return readPiece(parsePiece(text), folder_.path().toStdString()); }

 private slots:
  void aPieceIsSplitAtTheLastAtThatANumberFollows() {
    const Placement p = parsePiece("a@b@0x400000,reversed");
    COMPARE_TEXT(p.file, "a@b");
    QCOMPARE(p.at, std::optional<std::uint64_t>{0x400000});
    QVERIFY(p.reversed);
    COMPARE_TEXT(parsePiece("a@b").file, "a@b");
    QVERIFY(!parsePiece("a@b").at);
    COMPARE_TEXT(parsePiece("x.bin@64K").file, "x.bin");
  }

  void theContentDecidesTheFormat() {
    write("looks.hex", {0x00, 0x01});
    QCOMPARE(piece("looks.hex@0,format=bin").format, ImageFormat::Raw);
    QCOMPARE(kindOf([&] { piece("looks.hex@0"); }), std::optional{ErrorKind::BadFile});
    writeFileAtomically(folder_.filePath("looks.bin").toStdString(), std::string_view(":0100000055AA\n:00000001FF\n"));
    QCOMPARE(piece("looks.bin").format, ImageFormat::IntelHex);
    COMPARE_TEXT(errorOf([&] {
                   readImage(Bytes{0x7F, 'E', 'L', 'F', 2}, "a.elf");
                 }),
                 "a.elf: its ELF header is cut short or damaged");
    const std::string srec = "S1137AF00A0A0D0000000000000000000000000061\n";
    COMPARE_TEXT(errorOf([&] { readImage(Bytes(srec.begin(), srec.end()), "a"); }),
                 "a: line 1: the end record (S7, S8 or S9) is missing");
    COMPARE_TEXT(errorOf([&] { readImage({}, "a.bin"); }), "a.bin is empty");
  }

  void rawNeedsAnAddressAndCanBeReversed() {
    write("raw.bin", {0x01, 0x80, 0xA7});
    COMPARE_TEXT(errorOf([&] { piece("raw.bin"); }), "raw.bin is raw binary and has no addresses of its own");
    QCOMPARE(piece("raw.bin@0x10,reversed").image.bytes({0x10, 0x13}), (Bytes{0x80, 0x01, 0xE5}));
  }

  void anAddressMovesAFileWithAddresses() {
    writeFileAtomically(folder_.filePath("a.hex").toStdString(), std::string_view(":0100050055A5\n:00000001FF\n"));
    QCOMPARE(piece("a.hex@0x100").image.extent(), (AddressRange{0x105, 0x106}));
  }

  void overlapNamesBothFilesAndTheRange() {
    write("one.bin", Bytes(0x20, 1));
    write("two.bin", Bytes(0x20, 2));
    COMPARE_TEXT(errorOf([&] {
                   combine({piece("one.bin@0x100"), piece("two.bin@0x110")});
                 }),
                 "one.bin and two.bin overlap at 0x000110 – 0x00011F");
    QCOMPARE(combine({piece("one.bin@0x100"), piece("two.bin@0x120")}).byteCount(), 0x40u);
  }

  void whatDoesNotFitIsNamed() {
    write("big.bin", Bytes(2048, 0));
    COMPARE_TEXT(errorOf([&] {
                   checkFits({piece("big.bin@0x400")}, "boot-flash", {0, 2048});
                 }),
                 "big.bin (2 KiB) takes 0x000400 – 0x000BFF, but boot-flash ends at 0x0007FF (2 KiB)");
    COMPARE_TEXT(errorOf([&] { piece("big.bin@0xFFFFFFFFFFFFFFFF"); }),
                 "big.bin: at 0xFFFFFFFFFFFFFFFF it would run past the end of all addresses");
  }
};
IMPRIMO_TEST(PlacementTest);
#include "tst_images.moc"
