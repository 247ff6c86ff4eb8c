// SPDX-License-Identifier: GPL-3.0-or-later
//
// Files made by other people's assemblers, linkers and converters, and ours read by them.
#include <QProcess>
#include <QTemporaryDir>

#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "core/image/image_file.h"
#include "core/image/image_writer.h"
#include "core/image/intel_hex.h"
#include "core/image/s_record.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class BinutilsTest : public QObject {
  Q_OBJECT
  QTemporaryDir folder_;
  QString path(const char* name) const { return folder_.filePath(name); }
  void put(const char* name, const std::string& text) {
    writeFileAtomically(path(name).toStdString(), std::string_view(text));
  }
  void run(const QString& program, const QStringList& words) {
    QProcess process;
    process.start(program, words);
    if (!process.waitForFinished(20'000) || process.exitCode() != 0)
      throw std::runtime_error((program + ": " + process.readAllStandardError()).toStdString());
  }

 private slots:
  void elfOfThreeArchitectures_data() {
    QTest::addColumn<QString>("prefix");
    QTest::addColumn<QStringList>("asWords");
    QTest::addColumn<QStringList>("ldWords");
    QTest::addColumn<QString>("says");
    QTest::newRow("Arm") << "arm-none-eabi-" << QStringList{"-mcpu=cortex-m3"} << QStringList{}
                         << "32-bit Arm, low byte first";
    QTest::newRow("Arm, high byte first") << "arm-none-eabi-" << QStringList{"-EB", "-march=armv6"}
                                          << QStringList{"-EB"} << "32-bit Arm, high byte first";
    QTest::newRow("RISC-V") << "riscv64-unknown-elf-" << QStringList{"-march=rv64imac"} << QStringList{}
                            << "64-bit RISC-V, low byte first";
  }

  /// Code in one place, data that is loaded in one and lives in another, and what is only zeroed.
  void elfOfThreeArchitectures() {
    QFETCH(QString, prefix);
    QFETCH(QStringList, asWords);
    QFETCH(QStringList, ldWords);
    QFETCH(QString, says);
    put("a.s",
        ".text\n.globl _start\n_start:\n.space 64, 0x11\n.ascii \"river gauge\"\n"
        ".data\n.ascii \"levels\"\n.byte 1, 2, 3\n.bss\n.space 4096\n");
    put("a.ld",
        "MEMORY { rom (rx) : ORIGIN = 0x8000, LENGTH = 64K\n ram (rwx) : ORIGIN = 0x20000000, LENGTH = 64K }\n"
        "SECTIONS {\n .text : { *(.text*) } > rom\n .data : ALIGN(16) { *(.data*) } > ram AT > rom\n .bss : { *(.bss*) "
        "} > ram\n"
        " /DISCARD/ : { *(*) } }\n");
    run(prefix + "as", asWords + QStringList{path("a.s"), "-o", path("a.o")});
    run(prefix + "ld",
        ldWords + QStringList{"-T", path("a.ld"), "--no-warn-rwx-segments", path("a.o"), "-o", path("a.elf")});
    run(prefix + "objcopy", {"-O", "binary", "--gap-fill", "0xFF", path("a.elf"), path("a.bin")});
    run(prefix + "objcopy", {"-O", "ihex", path("a.elf"), path("a.hex")});
    run(prefix + "objcopy", {"-O", "srec", path("a.elf"), path("a.srec")});
    const ImageFile elf = readImageFile(path("a.elf").toStdString());
    QCOMPARE(elf.format, ImageFormat::Elf);
    COMPARE_TEXT(elf.note, says.toStdString());
    QCOMPARE(elf.image.extent().begin, 0x8000u);
    QCOMPARE(elf.entry, std::optional<std::uint64_t>{0x8000});
    // Linkers pad between segments; what sections hold is what counts.
    const Bytes raw = readFile(path("a.bin").toStdString());
    QCOMPARE(elf.image.bytes({0x8000, 0x8000 + raw.size()}), raw);
    QVERIFY(raw.size() > 64 + 11 + 9);
    for (const char* file : {"a.hex", "a.srec"}) {
      const ImageFile records = readImageFile(path(file).toStdString());
      QCOMPARE(records.image.bytes({0x8000, 0x8000 + raw.size()}), raw);
      QCOMPARE(records.entry, elf.entry);
    }
  }

  /// All widths and record lengths of ours, read back by other people's code.
  void oursInEveryFormIsReadByObjcopy() {
    std::mt19937 random(16);
    struct Form {
      OutputFormat format;
      std::uint64_t at;
    };
    using F = ImageFormat;
    for (const Form& form : {Form{{F::IntelHex, 16, 32, {}}, 0x1234},
                             {{F::IntelHex, 20, 16, {}}, 0xFFF0},
                             {{F::IntelHex, 32, 255, {}}, 0x3FFF1},
                             {{F::IntelHex, 32, 7, 0x20041u}, 0x12345678},
                             {{F::Motorola, 16, 1, {}}, 0x100},
                             {{F::Motorola, 24, 64, {}}, 0xFFFF0},
                             {{F::Motorola, 32, 250, 0x1234u}, 0xFFF00000}}) {
      MemoryImage image;
      const Bytes bytes = randomBytes(random, 3000);
      image.write(form.at, ByteSpan(bytes));
      const Bytes text = imageBytes(image, form.format);
      QCOMPARE(text, imageBytes(image, form.format));  // the same each time
      writeFileAtomically(path("ours").toStdString(), text);
      const char* kind = form.format.format == F::IntelHex ? "ihex" : "srec";
      run("objcopy", {"-I", kind, "-O", "binary", path("ours"), path("back")});
      QVERIFY(readFile(path("back").toStdString()) == bytes);
      const ImageFile own = readImageFile(path("ours").toStdString());
      QVERIFY(own.image == image);
      if (form.format.entry) QCOMPARE(own.entry, std::optional<std::uint64_t>{*form.format.entry});
    }
  }

  void formsThatDoNotReachAreRefused() {
    MemoryImage image;
    image.write(0x10000, Bytes{1});
    using F = ImageFormat;
    for (const OutputFormat& format : {OutputFormat{F::IntelHex, 16},
                                       {F::IntelHex, 24},
                                       {F::Motorola, 16},
                                       {F::Motorola, 20},
                                       {F::IntelHex, 32, 0},
                                       {F::IntelHex, 32, 256},
                                       {F::Motorola, 32, 251},
                                       {F::Elf}}) {
      QCOMPARE(kindOf([&] { imageBytes(image, format); }), std::optional{ErrorKind::Usage});
    }
    image.write(0x100000, Bytes{1});
    QCOMPARE(kindOf([&] { imageBytes(image, {F::IntelHex, 20}); }), std::optional{ErrorKind::Usage});
  }

  /// Read in pieces of every kind, a text is the same as read whole.
  void readInPiecesItIsTheSame() {
    std::mt19937 random(9);
    for (int round = 0; round < 60; ++round) {
      MemoryImage image;
      for (int i = 0; i < 5; ++i) image.write(below(random, 0xF000), randomBytes(random, 1 + below(random, 300)));
      QString text = QString::fromStdString(round % 2 == 0 ? writeIntelHex(image) : writeSRecords(image));
      const char* ends[] = {"\n", "\r\n", "\r", " \t\n", "\n\r\n"};
      text.replace("\n", ends[round % 5]);
      std::string all = text.toStdString();
      if (round % 3 == 0) all.pop_back();
      std::size_t given = 0;
      RecordLines lines(
          [&](std::span<char> into) {
            const std::size_t count = std::min({into.size(), all.size() - given, 1 + below(random, 100)});
            std::copy_n(all.begin() + static_cast<std::ptrdiff_t>(given), count, into.begin());
            given += count;
            return count;
          },
          "f");
      const RecordFile file = round % 2 == 0 ? readIntelHex(lines) : readSRecords(lines);
      QVERIFY(file.image == image);
    }
  }

  void theSameBytesAgainAreTold() {
    put("twice.hex", ":0400000001020304F2\n:020001000203F8\n:00000001FF\n");
    const ImageFile file = readImageFile(path("twice.hex").toStdString());
    COMPARE_TEXT(file.remarks.at(0), "line 2: 0x000001 – 0x000002 was given before, with the same bytes");
  }

  void whatItCouldBeTooIsTold() {
    put("note.txt", ":-) not a record\n");
    const ImageFile taken = readImageFile(path("note.txt").toStdString());
    QCOMPARE(taken.format, ImageFormat::Raw);
    COMPARE_TEXT(taken.remarks.at(0), "begins like Intel HEX, but its first line is no record: taken as raw binary");
    COMPARE_TEXT(errorOf([&] { readImageFile(path("note.txt").toStdString(), ImageFormat::IntelHex); }),
                 path("note.txt").toStdString() + ": line 1: odd number of digits");
    put("a.hex", ":00000001FF\n");
    const ImageFile told = readImageFile(path("a.hex").toStdString(), ImageFormat::Raw);
    QCOMPARE(told.image.byteCount(), 12u);
    COMPARE_TEXT(told.remarks.at(0), "read as raw binary, as it was told to be; it looks like Intel HEX");
  }

  void whatIsNoFileIsSaid() {
    put("empty", "");
    VERIFY_CONTAINS(errorOf([&] { readImageFile(path("empty").toStdString()); }), "empty is empty");
    VERIFY_CONTAINS(errorOf([&] { readImageFile(folder_.path().toStdString()); }), "Is a directory");
    VERIFY_CONTAINS(errorOf([&] { readImageFile(path("none").toStdString()); }), "No such file");
    put("long.hex", ":00000000" + std::string(400'000, '0'));
    VERIFY_CONTAINS(errorOf([&] { readImageFile(path("long.hex").toStdString()); }),
                    "line 1: this line is longer than any record");
  }
};
IMPRIMO_TEST(BinutilsTest);
#include "tst_binutils.moc"
