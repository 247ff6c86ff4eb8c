// SPDX-License-Identifier: GPL-3.0-or-later
//
// S-records, ELF and writing images; against binutils where other people's code can tell.
#include <QProcess>
#include <QTemporaryDir>
#include <cstring>

#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "core/image/elf_image.h"
#include "core/image/image_file.h"
#include "core/image/image_writer.h"
#include "core/image/intel_hex.h"
#include "core/image/s_record.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

MemoryImage randomImage(std::mt19937& random, std::uint64_t limit) {
  MemoryImage image;
  for (std::size_t i = 0; i < 1 + below(random, 6); ++i)
    image.write(random() % limit, randomBytes(random, 1 + below(random, 700)));
  return image;
}

/// A made ELF file: one header, `segments` program headers, contents behind.
struct MadeElf {
  struct Segment {
    std::uint64_t virtualAddress, physicalAddress;
    Bytes bytes;
    std::uint64_t memorySize;
  };
  bool wide = false, big = false;
  std::uint16_t type = 2, machine = 40;
  std::vector<Segment> segments{};

  void put(Bytes& out, std::size_t at, std::uint64_t value, std::size_t size) const {
    if (out.size() < at + size) out.resize(at + size);
    for (std::size_t i = 0; i < size; ++i)
      out[at + (big ? size - 1 - i : i)] = static_cast<std::uint8_t>(value >> (8 * i));
  }
  Bytes bytes() const {
    const std::size_t word = wide ? 8 : 4, header = wide ? 64 : 52, entry = wide ? 56 : 32;
    Bytes out{0x7F, 'E', 'L', 'F', static_cast<std::uint8_t>(wide ? 2 : 1), static_cast<std::uint8_t>(big ? 2 : 1), 1};
    out.resize(header);
    put(out, 16, type, 2);
    put(out, 18, machine, 2);
    put(out, 20, 1, 4);
    put(out, 24, segments.empty() ? 0 : segments[0].virtualAddress, word);
    put(out, 24 + word, segments.empty() ? 0 : header, word);
    put(out, 24 + 3 * word + 4, header, 2);
    put(out, 24 + 3 * word + 6, entry, 2);
    put(out, 24 + 3 * word + 8, segments.size(), 2);
    std::size_t at = header + entry * segments.size();
    for (std::size_t i = 0; i < segments.size(); ++i) {
      const Segment& s = segments[i];
      const std::size_t h = header + entry * i;
      put(out, h, 1, 4);
      const std::size_t p = wide ? h + 8 : h + 4;
      put(out, p, at, word);
      put(out, p + word, s.virtualAddress, word);
      put(out, p + 2 * word, s.physicalAddress, word);
      put(out, p + 3 * word, s.bytes.size(), word);
      put(out, p + 4 * word, s.memorySize, word);
      put(out, p + (wide ? 5 : 6) * word, 0, wide ? 8 : 4);
      at += s.bytes.size();
    }
    out.resize(header + entry * segments.size());
    for (const Segment& s : segments) out.insert(out.end(), s.bytes.begin(), s.bytes.end());
    return out;
  }
};

std::string error(const std::string& text) {
  return errorOf([&] { readSRecords(text, "f"); });
}

}  // namespace

class FormatsTest : public QObject {
  Q_OBJECT
  QTemporaryDir folder_;
  std::string path(const char* name) const { return folder_.filePath(name).toStdString(); }
  /// What objcopy makes of a file.
  Bytes objcopied(const char* from, const char* to, const std::string& file) {
    QProcess process;
    process.start("objcopy", {"-I", from, "-O", to, QString::fromStdString(file), folder_.filePath("out")});
    if (!process.waitForFinished(20'000) || process.exitCode() != 0)
      throw std::runtime_error(process.readAllStandardError().toStdString());
    return readFile(path("out"));
  }

 private slots:
  void sRecordsComeBackAsTheyWent() {
    std::mt19937 random(19);
    for (int round = 0; round < 200; ++round) {
      const MemoryImage image = randomImage(random, round % 3 == 0 ? 0xF000 : round % 3 == 1 ? 0xFFF000 : 0xFFFFF000);
      SRecordOptions options;
      options.recordLength = 1 + below(random, 250);
      options.header = "river gauge";
      const std::string text = writeSRecords(image, options);
      const RecordFile back = readSRecords(text, "f");
      QVERIFY(back.image == image);
      COMPARE_TEXT(back.header, "river gauge");
      QVERIFY(readSRecords(QString::fromStdString(text).replace("\n", "\r\n").toStdString(), "f").image == image);
      COMPARE_TEXT(writeSRecords(back.image, options), text);
    }
  }

  void whatIsWrongIsNamedWithItsLine() {
    COMPARE_TEXT(error("S1050000AABB95\nS9030000FC\n"), "no error");
    COMPARE_TEXT(error("S1050000AABB94\n"), "f: line 1: checksum is 94, should be 95");
    COMPARE_TEXT(error("S1060000AABB94\n"), "f: line 1: the record says 6 bytes and has 5");
    COMPARE_TEXT(error("S1050000AABB9\n"), "f: line 1: odd number of digits");
    COMPARE_TEXT(error("S1050000AABG95\n"), "f: line 1: column 12: not a hexadecimal digit");
    COMPARE_TEXT(error("S4050000AABB95\n"), "f: line 1: unknown record type S4");
    COMPARE_TEXT(error("S1050000AABB95\n"), "f: line 1: the end record (S7, S8 or S9) is missing");
    COMPARE_TEXT(error("S9030000FC\nS1050000AABB95\n"), "f: line 2: there is more after the end record");
    COMPARE_TEXT(error("S1050000AABB95\nS5030002FA\nS9030000FC\n"),
                 "f: line 2: the file says it has 2 data records here and has 1");
    COMPARE_TEXT(error("S1050000AABB95\nS1040001CC2E\nS9030000FC\n"),
                 "f: line 2: 0x000001 was given 0xBB before and is given 0xCC here");
    COMPARE_TEXT(error("S105FFFFAABB97\nS9030000FC\n"),
                 "f: line 1: the record runs past the end of its 16-bit addresses");
  }

  void cutAnywhereItIsAnErrorAndNothingWorse() {
    std::mt19937 random(3);
    const std::string text = writeSRecords(randomImage(random, 0xF000));
    for (std::size_t n = 0; n + 1 < text.size(); n += 3) QVERIFY(error(text.substr(0, n)) != "no error");
  }

  void objcopyReadsOursAndWeReadIts() {
    std::mt19937 random(77);
    for (int round = 0; round < 6; ++round) {
      MemoryImage image = randomImage(random, 0x20000);
      const Bytes raw = imageBytes(image, *outputFormat("bin"), {{}, {}, 0x00});
      for (const char* format : {"hex", "s37"}) {
        const char* theirs = std::strcmp(format, "hex") == 0 ? "ihex" : "srec";
        writeFileAtomically(path("ours"), imageBytes(image, *outputFormat(format)));
        QCOMPARE(objcopied(theirs, "binary", path("ours")), raw);
        writeFileAtomically(path("theirs"), objcopied(theirs, theirs, path("ours")));
        QVERIFY(readImageFile(path("theirs")).image == image);
      }
    }
  }

  void elfIsReadByItsProgramHeaders() {
    for (const bool wide : {false, true}) {
      for (const bool big : {false, true}) {
        MadeElf elf{wide, big};
        elf.segments = {{0x20000000, 0x08000000, {1, 2, 3, 4, 5}, 5},
                        {0x20000100, 0x08001000, {9, 8, 7}, 64},
                        {0x20000200, 0x08002000, {}, 512}};
        const ElfFile file = readElf(elf.bytes(), "f");
        QCOMPARE(file.image.bytes({0x08000000, 0x08000005}), (Bytes{1, 2, 3, 4, 5}));
        QCOMPARE(file.image.byteCount(), 8u);  // nothing for what is only zeroed
        QCOMPARE(file.entry, 0x20000000u);
        QCOMPARE(file.wide, wide);
        QCOMPARE(file.bigEndian, big);
        const ImageFile found = readImage(elf.bytes(), "f");
        QCOMPARE(found.format, ImageFormat::Elf);
        QVERIFY(found.hasAddresses);
      }
    }
  }

  void brokenElfIsRefused() {
    MadeElf elf;
    elf.segments = {{0, 0x1000, Bytes(64, 7), 64}};
    const Bytes whole = elf.bytes();
    for (std::size_t n = 4; n < whole.size(); ++n) {
      QCOMPARE(kindOf([&] { readElf(ByteSpan(whole).first(n), "f"); }), std::optional{ErrorKind::BadFile});
    }
    VERIFY_CONTAINS(errorOf([&] { readElf(ByteSpan(whole).first(whole.size() - 1), "f"); }),
                    "f: segment 0 (64 bytes at 0x001000) is outside the file");
    elf.segments = {{0, 0x1000, {1, 2}, 2}, {0, 0x1001, {3, 4}, 2}};
    COMPARE_TEXT(errorOf([&] { readElf(elf.bytes(), "f"); }),
                 "f: two segments put different bytes at 0x001001 – 0x001001");
    elf.segments.clear();
    elf.type = 1;
    const std::string nothing = errorOf([&] { readElf(elf.bytes(), "f"); });
    COMPARE_TEXT(nothing, "f: it has nothing to load (no program headers with contents)");
  }

  void theContentDecidesTheFormat() {
    QCOMPARE(readImage(Bytes{'S', '9', '0', '3', '0', '0', '0', '0', 'F', 'C', '\n'}, "firmware.bin").format,
             ImageFormat::Motorola);
    const std::string hex = writeIntelHex([] {
      MemoryImage i;
      i.write(16, Bytes{1});
      return i;
    }());
    QCOMPARE(readImage(ByteSpan(reinterpret_cast<const std::uint8_t*>(hex.data()), hex.size()), "firmware.s19").format,
             ImageFormat::IntelHex);
    QCOMPARE(readImage(Bytes{1, 2, 3}, "firmware").format, ImageFormat::Raw);
  }

  void rangesAndFillingOfWhatIsWritten() {
    MemoryImage image;
    image.write(0x10, Bytes{1, 2});
    image.write(0x14, Bytes{3});
    const OutputFormat raw = *outputFormat(".BIN");
    QCOMPARE(imageBytes(image, raw), (Bytes{1, 2, 0xFF, 0xFF, 3}));
    QCOMPARE(imageBytes(image, raw, {0x0E, {}, 0}), (Bytes{0, 0, 1, 2, 0, 0, 3}));
    QCOMPARE(imageBytes(image, raw, {0x10, 8, 0xEE}), (Bytes{1, 2, 0xEE, 0xEE, 3, 0xEE, 0xEE, 0xEE}));
    QCOMPARE(imageBytes(image, raw, {{}, 0x20, 0}).size(), 0x20u);
    QCOMPARE(kindOf([&] { imageBytes(image, raw, {{}, 0x14, 0}); }), std::optional{ErrorKind::Usage});
    QCOMPARE(kindOf([&] { imageBytes(image, raw, {0x11, {}, 0}); }), std::optional{ErrorKind::Usage});
    QCOMPARE(kindOf([&] { imageBytes({}, raw); }), std::optional{ErrorKind::Usage});
    QVERIFY(!outputFormat("elf"));
    MemoryImage far;
    far.write(0, Bytes{1});
    far.write(0xFFFFFFFF, Bytes{2});
    QVERIFY(imageBytes(far, *outputFormat("s37")).size() < 200);  // a gap costs nothing
    // Bits that only a name gave grow; those that were asked for do not.
    QCOMPARE(imageBytes(far, *outputFormat("s28")), imageBytes(far, *outputFormat("s37")));
    OutputFormat asked = *outputFormat("s28");
    asked.widens = false;
    QCOMPARE(kindOf([&] { imageBytes(far, asked); }), std::optional{ErrorKind::Usage});
  }
};
IMPRIMO_TEST(FormatsTest);
#include "tst_formats.moc"
