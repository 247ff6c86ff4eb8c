// SPDX-License-Identifier: GPL-3.0-or-later
//
// What is done to files before they are an image: cutting, swapping, placing, patterns, checksums.
#include <QTemporaryDir>
#include <numeric>

#include "core/base/atomic_file.h"
#include "core/image/pieces.h"
#include "core/image/sync_word.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

Bytes bytesOf(const char* text) {
  return Bytes(text, text + std::strlen(text));
}

std::string sum(const char* kind, const char* text = "123456789") {
  return digitsOf(checksumOf(*checksumNamed(kind), bytesOf(text)));
}

}  // namespace

class PlacingTest : public QObject {
  Q_OBJECT
  QTemporaryDir folder_;
  void put(const char* name, const Bytes& bytes) { writeFileAtomically(folder_.filePath(name).toStdString(), bytes); }
  Piece piece(const std::string& text, const LayoutRules& rules = {}) {
    return readPiece(parsePiece(text), folder_.path().toStdString(), rules);
  }
  std::string textOf(const Piece& p) {
    const Bytes b = p.image.bytes(p.image.extent());
    return {b.begin(), b.end()};
  }

 private slots:
  void optionsAreReadFromTheEnd() {
    const Placement p = parsePiece("a,b.bin@64K,reversed,swap16,cut=4..,align=block,pad=0x100,format=bin");
    COMPARE_TEXT(p.file, "a,b.bin");
    QCOMPARE(p.at, std::optional<std::uint64_t>{0x10000});
    QVERIFY(p.reversed);
    QCOMPARE(p.swap, 2u);
    QVERIFY(p.cut == (AddressRange{4, UINT64_MAX}));
    QCOMPARE(p.align, std::optional<Boundary>{kEraseBlock});
    QCOMPARE(p.pad, std::optional<Boundary>{0x100});
    QCOMPARE(p.format, std::optional{ImageFormat::Raw});
    COMPARE_TEXT(parsePiece("x.bit,card=my card.json").wrapper, "my card.json");
    COMPARE_TEXT(parsePiece("odd,name").file, "odd,name");
    for (const char* bad : {"a,align=0", "a,pad=x", "a,cut=9..3", "a,format=tape", "pattern:what"}) {
      QCOMPARE(kindOf([&] { parsePiece(bad); }), std::optional{ErrorKind::Usage});
    }
  }

  void stepsAreDoneInTheirOrder() {
    put("a.bin", bytesOf("HEADabcdefg"));
    COMPARE_TEXT(textOf(piece("a.bin@0x10,cut=4..")), "abcdefg");
    QCOMPARE(piece("a.bin@0x10,cut=4..").image.extent().begin, 0x10u);
    COMPARE_TEXT(textOf(piece("a.bin@0,cut=4+4,swap16")), "badc");
    COMPARE_TEXT(textOf(piece("a.bin@0,cut=4+4,swap32")), "dcba");
    QCOMPARE(piece("a.bin@0,cut=4+1,reversed").image.at(0), std::optional<std::uint8_t>{reverseBits('a')});
    QCOMPARE(piece("a.bin@0,pad=16").image.extent().end, 16u);
    QCOMPARE(piece("a.bin@0,pad=16").image.at(15), std::optional<std::uint8_t>{0xFF});
    VERIFY_CONTAINS(errorOf([&] { piece("a.bin@0,swap16"); }),
                    "a.bin: 0x000000 – 0x00000A is not a whole number of 2-byte words");
    VERIFY_CONTAINS(errorOf([&] { piece("a.bin@0,cut=100.."); }), "a.bin: it has nothing from 0x000064 on");
    VERIFY_CONTAINS(errorOf([&] { piece("a.bin"); }), "has no addresses of its own");
    VERIFY_CONTAINS(errorOf([&] { piece("a.bin@0xFFFFFFFFFFFFFFFF"); }), "past the end of all addresses");
    // Bits and words are turned back where the file is to be seen as it is.
    const Piece turned = piece("a.bin@0,cut=4+4,swap32,reversed");
    QCOMPARE(turned.headAsInFile(100), bytesOf("abcd"));
  }

  void piecesGoBehindOneAnotherAndOntoBlocks() {
    put("one.bin", Bytes(100, 1));
    put("two.bin", Bytes(50, 2));
    put("three.bin", Bytes(9, 3));
    const auto all = [&](std::vector<const char*> texts, std::optional<std::uint64_t> block) {
      std::vector<Placement> placements;
      for (const char* text : texts) placements.push_back(parsePiece(text));
      QString starts;
      for (const Piece& p : readPieces(placements, folder_.path().toStdString(), {block}))
        starts += QString::fromStdString(rangeOf(p));
      return starts;
    };
    // Several bitstreams for one chain of parts: one stream.
    QCOMPARE(all({"one.bin@0", "two.bin,after", "three.bin,after"}, {}), QString("0+100 100+50 150+9 "));
    // First stage, second stage, file system: each on a block.
    QCOMPARE(all({"one.bin@0", "two.bin,align=block", "three.bin,align=block"}, 64), QString("0+100 128+50 192+9 "));
    QCOMPARE(all({"one.bin@3,align=64"}, {}), QString("64+100 "));
    QCOMPARE(all({"one.bin@0", "two.bin@6,after"}, {}), QString("0+100 106+50 "));
    VERIFY_CONTAINS(errorOf([&] { piece("one.bin,align=block"); }), "which erase blocks the part has is not known");
  }

  void patternsAreTheSameEachTime() {
    COMPARE_TEXT(textOf(piece("pattern:text:ab+5@0")), "ababa");
    QCOMPARE(patternBytes(*parsePattern("counting+258"))[257], std::uint8_t{1});
    QCOMPARE(patternBytes(*parsePattern("0xA5+3")), (Bytes{0xA5, 0xA5, 0xA5}));
    const Bytes random = patternBytes(*parsePattern("random:7+64K"));
    QVERIFY(random == patternBytes(*parsePattern("random:7+64K")));
    QVERIFY(random != patternBytes(*parsePattern("random:8+64K")));
    std::array<int, 256> counts{};
    for (const std::uint8_t b : random) ++counts[b];
    for (const int count : counts) QVERIFY(count > 150 && count < 370);  // 256 each, give or take
    for (const char* text : {"0x00+1", "counting+0x10", "random:3+0x1000", "text:river+gauge+0x20"}) {
      COMPARE_TEXT(patternText(*parsePattern(patternText(*parsePattern(text)))), patternText(*parsePattern(text)));
    }
    for (const char* bad : {"counting", "counting+0", "256+4", "random:x+4", "text:+4", "counting+2000M"})
      QVERIFY(!parsePattern(bad));
  }

  /// Check values over "123456789" as catalogues of CRCs list them.
  void checksumsHaveTheirWellKnownValues() {
    COMPARE_TEXT(sum("crc16"), "29B1");
    COMPARE_TEXT(sum("crc16-zero"), "31C3");
    COMPARE_TEXT(sum("crc16-reflected"), "BB3D");
    COMPARE_TEXT(sum("crc32"), "CBF43926");
    COMPARE_TEXT(sum("crc32-plain"), "FC891918");
    COMPARE_TEXT(sum("crc32c"), "E3069283");
    COMPARE_TEXT(sum("crc:32,0x04C11DB7,0xFFFFFFFF,0xFFFFFFFF,reflected"), "CBF43926");
    COMPARE_TEXT(sum("crc:16,0x8005,0xFFFF,0,reflected"), "4B37");
    COMPARE_TEXT(sum("crc:8,0x07,0,0"), "F4");
    COMPARE_TEXT(sum("sum8"), "DD");
    COMPARE_TEXT(sum("sum16"), "01DD");
    COMPARE_TEXT(sum("length"), "00000009");
    COMPARE_TEXT(sum("sha256", "abc"), "BA7816BF8F01CFEA414140DE5DAE2223B00361A396177A9CB410FF61F20015AD");
    for (const char* bad :
         {"crc", "crc:7,1,0,0", "crc:33,1,0,0", "crc:16,0x10000,0,0", "crc:16,1,0", "crc:16,1,0,0,x", "md5"}) {
      QVERIFY2(!checksumNamed(bad), bad);
    }
  }

  void sumsAreWrittenOverFilesAndBesideThem() {
    put("a.bin", bytesOf("123456789----"));
    std::vector<Piece> pieces{piece("a.bin@0x10")};
    writeSums(pieces,
              {parseSum("crc32:0x10+9@0x19"), parseSum("crc16:0x10+9@0x40,low-first"), parseSum("sum8:0..0xF@0x50")});
    QCOMPARE(pieces.size(), 3u);
    QCOMPARE(pieces[0].image.bytes({0x19, 0x1D}), (Bytes{0xCB, 0xF4, 0x39, 0x26}));
    QCOMPARE(pieces[1].image.bytes({0x40, 0x42}), (Bytes{0xB1, 0x29}));
    QCOMPARE(pieces[2].image.at(0x50), std::optional<std::uint8_t>{0xF0});  // sixteen empty bytes
    // One that lies half over a file: no byte is there twice.
    std::vector<Piece> half{piece("a.bin@0x10")};
    writeSums(half, {parseSum("crc32:0x10+9@0x1B")});
    QCOMPARE(combine(half).bytes({0x1B, 0x1F}), (Bytes{0xCB, 0xF4, 0x39, 0x26}));
    for (const char* bad : {"crc32:0..3", "crc32@4", "md5:0..3@4", "crc32:3..0@4", "crc32:0..3@"}) {
      QCOMPARE(kindOf([&] { parseSum(bad); }), std::optional{ErrorKind::Usage});
    }
  }

  void theSyncWordIsFoundEitherWay() {
    const Bytes word{0x9A, 0x51, 0x6C, 0xE1};
    Bytes stream(32, 0xFF);
    stream.insert(stream.end(), word.begin(), word.end());
    stream.resize(100);
    auto found = findSync(stream, word);
    QVERIFY(found && found->at == 32 && !found->reversed);
    for (auto& b : stream) b = reverseBits(b);
    found = findSync(stream, word);
    QVERIFY(found && found->at == 32 && found->reversed);
    QVERIFY(!findSync(Bytes(100, 0), word));
    QCOMPARE(leadingPad(stream).count, 32u);
    QCOMPARE(leadingPad(Bytes{1, 2}).count, 0u);
    QCOMPARE(parseByteDigits("9A 51 6ce1"), std::optional<Bytes>{word});
    QVERIFY(!parseByteDigits("9A 5") && !parseByteDigits("") && !parseByteDigits("9A,51"));
  }

 private:
  static std::string rangeOf(const Piece& p) {
    return std::to_string(p.image.extent().begin) + "+" + std::to_string(p.image.extent().size()) + " ";
  }
};
IMPRIMO_TEST(PlacingTest);
#include "tst_placing.moc"
