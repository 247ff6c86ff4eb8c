// SPDX-License-Identifier: GPL-3.0-or-later
//
// Flash algorithms and core cards: what is one, what is none, and what is said of it.
#include <fmt/format.h>

#include <QProcess>
#include <QTemporaryDir>

#include "core/base/input_file.h"
#include "core/debug/algorithm_run.h"
#include "core/debug/core_card.h"
#include "core/debug/resident_code.h"
#include "tests/support/check.h"
#include "tests/support/core_world.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::debug;
using namespace imprimo::test;

namespace {

/// The algorithm's file with a word of its device description changed; `offset` counts from the device's name.
Bytes withWord(int offset, std::uint32_t value) {
  Bytes elf = algorithmAt(0);
  const std::string name = "Beck K0 256 KiB";
  const auto found = std::search(elf.begin(), elf.end(), name.begin(), name.end());
  for (int i = 0; i < 4; ++i) found[offset + i] = static_cast<std::uint8_t>(value >> (8 * i));
  return elf;
}

/// The same with every place where a name stands in its tables changed.
Bytes withoutName(const std::string& name) {
  Bytes elf = algorithmAt(0);
  for (auto at = elf.begin();;) {
    at = std::search(at, elf.end(), name.begin(), name.end());
    if (at == elf.end()) return elf;
    *at++ = 'X';
  }
}

constexpr int kSize = 134, kPage = 138, kFirstSector = 158;  // of the description, behind the version

}  // namespace

class FlashAlgorithmTest : public QObject {
  Q_OBJECT
 private slots:
  /// The bytes in the program are those of their sources.
  void residentCodeIsItsSource_data() {
    QTest::addColumn<QString>("source");
    QTest::addColumn<QList<int>>("code");
    const auto row = [](const char* name, const auto& code) {
      QTest::newRow(name) << QString(name) << QList<int>(std::begin(code), std::end(code));
    };
    row("resident.s", kResidentCode);
    row("checksum.s", kChecksumCode);
  }

  void residentCodeIsItsSource() {
    QFETCH(const QString, source);
    QFETCH(const QList<int>, code);
    QTemporaryDir folder;
    const QString object = folder.filePath("resident.o"), flat = folder.filePath("resident.bin");
    QProcess process;
    process.start("arm-none-eabi-as", {"-o", object, QString(IMPRIMO_SOURCE) + "/target/" + source});
    QVERIFY(process.waitForFinished() && process.exitCode() == 0);
    process.start("arm-none-eabi-objcopy", {"-O", "binary", object, flat});
    QVERIFY(process.waitForFinished() && process.exitCode() == 0);
    const Bytes built = readFile(flat.toStdString());
    QCOMPARE(built.size(), static_cast<std::size_t>(2 * code.size()));
    for (qsizetype i = 0; i < code.size(); ++i) QCOMPARE(loadLe16(&built[2 * i]), code[i]);
  }

  void theDemosIsReadAsItIs() {
    const FlashAlgorithm a = parseFlashAlgorithm(algorithmAt(0x08000000), "a.flm");
    QCOMPARE(a.device, std::string("Beck K0 256 KiB"));
    QCOMPARE(a.address, 0x08000000u);
    QCOMPARE(a.size, 0x40000u);
    QCOMPARE(a.page, 256u);
    QCOMPARE(a.empty, 0xFF);
    QCOMPARE(a.eraseMs, 100u);
    QCOMPARE(a.sectors.size(), 1u);
    QCOMPARE(a.sectors[0].size, 0x1000u);
    QVERIFY(a.eraseChip && !a.blankCheck && !a.verify);
    QCOMPARE(a.code[a.uninit + 2], 0x80);  // movs r0, #0x80
    QVERIFY(a.staticBase > 0 && a.staticBase < a.code.size());
  }

  void whatIsNoneIsToldByWhatItLacks_data() {
    QTest::addColumn<QByteArray>("file");
    QTest::addColumn<QString>("says");
    const auto bytes = [](const Bytes& b) {
      return QByteArray(reinterpret_cast<const char*>(b.data()), static_cast<qsizetype>(b.size()));
    };
    QTest::newRow("empty") << QByteArray() << "is no ELF file";
    QTest::newRow("text") << QByteArray("hello, this is no program at all, it is a text") << "is no ELF file";
    Bytes riscv = algorithmAt(0);
    riscv[18] = 243;
    QTest::newRow("another processor") << bytes(riscv) << "is for another processor";
    for (const char* function : {"Init", "EraseSector", "ProgramPage"})
      QTest::newRow(function) << bytes(withoutName(function)) << QString("has no function %1").arg(function);
    QTest::newRow("FlashDevice") << bytes(withoutName("FlashDevice")) << "has no FlashDevice";
    QTest::newRow("DevDscr") << bytes(withoutName("DevDscr")) << "has no FlashDevice";
    QTest::newRow("no size") << bytes(withWord(kSize, 0)) << "of no size";
    QTest::newRow("no page") << bytes(withWord(kPage, 0)) << "of no size";
    QTest::newRow("sectors") << bytes(withWord(kFirstSector, 0x3000)) << "do not fill";
    QTest::newRow("no sectors") << bytes(withWord(kFirstSector, 0xFFFFFFFF)) << "no sectors";
  }

  void whatIsNoneIsToldByWhatItLacks() {
    QFETCH(const QByteArray, file);
    QFETCH(const QString, says);
    const Bytes bytes(file.begin(), file.end());
    try {
      parseFlashAlgorithm(bytes, "a.flm");
      QFAIL("taken");
    } catch (const Error& e) {
      QCOMPARE(e.kind(), ErrorKind::BadFile);
      QVERIFY2(QString(e.what()).contains(says), e.what());
      QVERIFY(QString(e.what()).startsWith("a.flm: "));
    }
  }

  /// Whatever is cut off or turned around, it is an algorithm or an error, never anything else.
  void brokenFilesAreErrors() {
    std::mt19937 random(19);
    const Bytes whole = algorithmAt(0);
    std::size_t refused = 0;
    for (int i = 0; i < 3000; ++i) {
      Bytes file = whole;
      if (i % 3 == 0) {
        file.resize(random() % file.size());
      } else {
        for (unsigned n = 1 + random() % 8; n > 0; --n)
          file[random() % file.size()] = static_cast<std::uint8_t>(random());
      }
      try {
        const FlashAlgorithm a = parseFlashAlgorithm(file, "a.flm");
        QVERIFY(a.init < a.code.size() && a.programPage < a.code.size() && !a.sectors.empty());
      } catch (const Error& e) {
        QCOMPARE(e.kind(), ErrorKind::BadFile);
        ++refused;
      }
    }
    QVERIFY(refused > 1000);
  }

  void aSmallRamIsToldBeforeTheProbeIsTouched() {
    CoreWorldOptions o;
    o.ram = "0x200";
    CoreWorld w(o);
    const auto packets = w.sim().packets();
    const CoreCard card = readCoreCard(w.path("card.json").toStdString());
    const std::string text = errorOf([&] { card.algorithmOf(card.region("program")); });
    QVERIFY2(text.find("of RAM, and") != std::string::npos, text.c_str());
    QCOMPARE(w.sim().packets(), packets);
  }

  void aFlashThatIsErasedToZerosIsRefused() {
    CoreWorldOptions o;
    o.algorithm = withWord(146, 0);
    CoreWorld w(o);
    const CoreCard card = readCoreCard(w.path("card.json").toStdString());
    const std::string text = errorOf([&] { card.algorithmOf(card.region("program")); });
    QVERIFY2(text.find("holds 0x00 where it is erased") != std::string::npos, text.c_str());
  }

  void anAlgorithmForAnotherAddressIsRefused() {
    CoreWorldOptions o;
    o.algorithm = algorithmAt(0x08000000);
    CoreWorld w(o);
    const CoreCard card = readCoreCard(w.path("card.json").toStdString());
    const std::string text = errorOf([&] { card.algorithmOf(card.region("program")); });
    QVERIFY2(text.find("it is for the flash 0x8000000") != std::string::npos, text.c_str());
  }

  void cardsAreReadStrictly_data() {
    QTest::addColumn<QString>("card");
    QTest::addColumn<QString>("says");
    const QString head = R"({"core_card": 1, "name": "X", )";
    QTest::newRow("version") << R"({"core_card": 2, "name": "X", "regions": []})"
                             << "version 1";
    QTest::newRow("key") << head + R"("regoins": []})"
                         << "regoins";
    QTest::newRow("kind") << head + R"("regions": [{"name": "a", "kind": "rom", "from": "0", "size": "1K"}]})"
                          << "kind";
    QTest::newRow("end") << head + R"("regions": [{"name": "a", "kind": "ram", "from": "0xFFFFF000", "size": "8K"}]})"
                         << "0x100000000";
    QTest::newRow("twice")
        << head +
               R"("regions": [{"name": "a", "kind": "ram", "from": "0", "size": "1K"}, {"name": "a", "kind": "ram", "from": "1K", "size": "1K"}]})"
        << "two regions";
    QTest::newRow("over")
        << head +
               R"("regions": [{"name": "a", "kind": "ram", "from": "0", "size": "2K"}, {"name": "b", "kind": "ram", "from": "1K", "size": "2K"}]})"
        << "lies over";
    QTest::newRow("mask")
        << head + R"("identity": [{"at": "0x40000000", "mask": "0xFF", "value": "0x100"}], "regions": []})"
        << "never matches";
    QTest::newRow("no algorithm") << head + R"("regions": [{"name": "a", "kind": "flash", "from": "0", "size": "1K"}]})"
                                  << "algorithm";
  }

  void cardsAreReadStrictly() {
    QFETCH(const QString, card);
    QFETCH(const QString, says);
    const std::string text = errorOf([&] { parseCoreCard(card.toStdString(), "card.json"); });
    QVERIFY2(QString::fromStdString(text).contains(says), text.c_str());
    QVERIFY(text.starts_with("card.json:"));
  }
};
IMPRIMO_TEST(FlashAlgorithmTest);
#include "tst_flash_algorithm.moc"
