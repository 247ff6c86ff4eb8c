// SPDX-License-Identifier: GPL-3.0-or-later
//
// Records as other people's tools and editors leave them: read as what they are, or an error; never their text as
// bytes.
#include <QTemporaryDir>

#include "core/base/atomic_file.h"
#include "core/image/image_file.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

const std::string kHex = ":0400100001020304E2\n:00000001FF\n";
const std::string kMotorola = "S107001001020304DE\nS9030000FC\n";

ImageFile read(const std::string& text, const std::string& name = "f", std::optional<ImageFormat> told = {}) {
  return readImage(ByteSpan(reinterpret_cast<const std::uint8_t*>(text.data()), text.size()), name, told);
}
std::string errorFor(const std::string& text, const std::string& name = "f") {
  return errorOf([&] { read(text, name); });
}
std::string remarks(const ImageFile& file) {
  std::string text;
  for (const std::string& remark : file.remarks) text += remark + "\n";
  return text;
}

}  // namespace

class OtherToolsTest : public QObject {
  Q_OBJECT
 private slots:
  void whatIsAroundRecordsIsPassedOver() {
    const std::string nuls(130, '\0');
    struct Case {
      std::string before, between, after, remark;
    };
    const Case cases[] = {
        {"\xEF\xBB\xBF", "", "", "begins with a byte order mark, which was passed over\n"},
        {"\n\r\n", "", "", ""},
        {"  \n\t", "", "", "1 line with blanks in front\n"},
        {"", "", "\x1A", "0x1A or NUL bytes at the end (line 3) were passed over\n"},
        {"", "", nuls, "0x1A or NUL bytes at the end (line 3) were passed over\n"},
        {"; made by a tool\n# twice\n", "// and here\n", "", "3 comment lines passed over\n"},
        {"\xEF\xBB\xBF; a\n", "", "\r\n\x1A\x1A", ""},
    };
    for (const Case& c : cases) {
      for (const std::string& plain : {kHex, kMotorola}) {
        const std::size_t line = plain.find('\n') + 1;
        const std::string text = c.before + plain.substr(0, line) + c.between + plain.substr(line) + c.after;
        const ImageFile file = read(text);
        QCOMPARE(file.format, &plain == &kHex || plain == kHex ? ImageFormat::IntelHex : ImageFormat::Motorola);
        QCOMPARE(file.image.bytes({0x10, 0x14}), (Bytes{1, 2, 3, 4}));
        QCOMPARE(file.image.byteCount(), 4u);
        if (!c.remark.empty()) COMPARE_TEXT(remarks(file), c.remark);
      }
    }
    // The end record with the padding on its own line.
    QVERIFY(read(kHex.substr(0, kHex.size() - 1) + "\x1A").image.byteCount() == 4);
    const ImageFile small = read("s107001001020304DE\ns9030000FC\n");
    QCOMPARE(small.format, ImageFormat::Motorola);
    COMPARE_TEXT(remarks(small), "2 records with a small s\n");
  }

  void theSameFromAFileInPieces() {
    QTemporaryDir folder;
    const std::string path = folder.filePath("a.hex").toStdString();
    std::string text = "\xEF\xBB\xBF\n; ";
    text += std::string(3000, 'x') + "\n" + kHex + std::string(20'000, '\0');
    writeFileAtomically(path, text);
    const ImageFile file = readImageFile(path);
    QCOMPARE(file.format, ImageFormat::IntelHex);
    QCOMPARE(file.image.byteCount(), 4u);
  }

  void whatFollowsThePaddingIsAnError() {
    COMPARE_TEXT(errorFor(kHex.substr(0, kHex.find('\n') + 1) + "\x1A\n:00000001FF\n"),
                 "f: line 3: there is more after the 0x1A or NUL bytes at the end of line 2");
    COMPARE_TEXT(errorFor(kHex + std::string(3, '\0') + kHex), "f: line 3: there is more after the end record");
  }

  void whatIsNearlyARecordIsAnErrorThatSaysWhat() {
    std::string semicolon = kHex, nul = kHex, letter = kMotorola;
    semicolon[0] = ';';
    nul[5] = '\0';
    letter[5] = 'O';
    COMPARE_TEXT(errorFor(semicolon),
                 "f: line 1 begins with ';', and is a record of Intel HEX otherwise, which begins with ':'");
    COMPARE_TEXT(errorFor(nul), "f: line 1 begins like Intel HEX, and has a NUL in column 6 where a digit should be");
    COMPARE_TEXT(errorFor(letter), "f: line 1 begins like S-records, and has 'O' in column 6 where a digit should be");
    COMPARE_TEXT(errorFor("." + kHex.substr(1)),
                 "f: line 1 begins with '.', and is a record of Intel HEX otherwise, which begins with ':'");
    COMPARE_TEXT(errorFor("made by a tool\n" + kHex), "f: line 1 is no record, and line 2 is one of Intel HEX");
    COMPARE_TEXT(errorFor("title\n\n" + kMotorola), "f: line 1 is no record, and line 3 is one of S-records");
    COMPARE_TEXT(errorFor("\x7F"
                          "EL\x01\x01\x01"),
                 "f: begins like ELF (7F 45 4C), and its fourth byte is 0x01, where 0x46 should be");
    COMPARE_TEXT(errorFor("\x7F"
                          "EL"),
                 "f: begins like ELF and ends after three bytes");
    // A line further down that lost its colon is no comment.
    std::string later = ":020000040000FA\n" + kHex;
    later[16] = ';';
    COMPARE_TEXT(errorFor(later), "f: line 2: a record starts with ':'");
    // Said to be raw, it is, with a remark.
    const ImageFile told = read(semicolon, "f", ImageFormat::Raw);
    QCOMPARE(told.image.byteCount(), semicolon.size());
    VERIFY_CONTAINS(remarks(told), "read as raw binary, as it was told to be: line 1 begins with ';'");
  }

  void aNameThatPromisesMoreIsAnError() {
    for (const char* name :
         {"a.hex", "a.ihex", "a.MCS", "a.s19", "a.s28", "a.s37", "a.srec", "a.mot", "a.elf", "a.axf", "a.jed"}) {
      VERIFY_CONTAINS(errorFor(std::string("\x01\x02\x03", 3), name), "its name says ");
      QCOMPARE(read(kHex, name).format, ImageFormat::IntelHex);
      QCOMPARE(read("\x01\x02", name, ImageFormat::Raw).image.byteCount(), 2u);
    }
    COMPARE_TEXT(errorFor(std::string("\x01\x02\x03", 3), "b.s19"),
                 "b.s19: its name says S-records, and it begins with 01 02 03");
    QCOMPARE(read(std::string("\x01\x02\x03", 3), "a.bin").format, ImageFormat::Raw);
    QCOMPARE(read("plain words\nand more\n", "a.txt").format, ImageFormat::Raw);
  }

  void binaryThatBeginsWithAMarkStaysBinary() {
    std::mt19937 random(5);
    for (int round = 0; round < 3000; ++round) {
      Bytes bytes = randomBytes(random, 300);
      bytes[0] = round % 2 == 0 ? ':' : 'S';
      if (round % 2 != 0) bytes[1] = static_cast<std::uint8_t>('0' + round % 10);
      for (std::size_t i = 2; i < 10; ++i) bytes[i] |= 0x80;
      QCOMPARE(readImage(bytes, "a.bin").format, ImageFormat::Raw);
    }
  }

  void anyBinaryFileIsRead() {
    std::mt19937 random(8);
    for (int round = 0; round < 20'000; ++round) {
      Bytes bytes = randomBytes(random, 1 + below(random, 200));
      // Many that look like lines which end in padding.
      for (std::uint8_t& b : bytes) {
        if (random() % 3 == 0) b = "\0\n\r\x1A :;S"[random() % 8];
      }
      try {
        readImage(bytes, "a.bin");
      } catch (const Error& e) {
        // Only what nearly is a record is refused, with its name, and nothing is where raw binary is asked for.
        VERIFY_CONTAINS(std::string(e.what()), "a.bin: ");
      }
      QCOMPARE(readImage(bytes, "a.bin", ImageFormat::Raw).image.byteCount(), bytes.size());
    }
    QCOMPARE(readImage(Bytes{0, 0, 0, '\n', 1, 2, 3}, "a.bin").image.byteCount(), 7u);
    QCOMPARE(readImage(Bytes{'a', 'b', 0, '\n', 'c', '\n'}, "a.bin").image.byteCount(), 6u);
  }

  /// Whatever is put in front of or changed in a file of records: its text is never the image.
  void recordsAreNeverTakenForRaw() {
    std::mt19937 random(6);
    for (int round = 0; round < 4000; ++round) {
      std::string text = round % 2 == 0 ? kHex : kMotorola;
      const std::size_t at = below(random, text.size());
      text[at] = static_cast<char>(random() % 256);
      const std::string name = round % 2 == 0 ? "a.hex" : "a.s19";
      try {
        QVERIFY(read(text, name).format != ImageFormat::Raw);
      } catch (const Error& e) {
        QCOMPARE(e.kind(), ErrorKind::BadFile);
      }
    }
  }

  void whatIsMostlyTextIsKnown() {
    const auto is = [](const std::string& text) {
      return isMostlyText(ByteSpan(reinterpret_cast<const std::uint8_t*>(text.data()), text.size()));
    };
    QVERIFY(is("an ordinary sentence,\r\nand another one.\n"));
    QVERIFY(is("some ninety five letters or so, of which all but a few at the end are plain ASCII" +
               std::string(5, '\xC3')));
    QVERIFY(!is("some eighty letters, of which too many are not plain ASCII" + std::string(20, '\xC3')));
    QVERIFY(!is(std::string(4096, 'x')));
    QVERIFY(!is("short"));
    std::mt19937 random(7);
    const Bytes bytes = randomBytes(random, 500);
    QVERIFY(!isMostlyText(bytes));
  }
};
IMPRIMO_TEST(OtherToolsTest);
#include "tst_other_tools.moc"
