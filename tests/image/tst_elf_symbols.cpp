// SPDX-License-Identifier: GPL-3.0-or-later
//
// Names of addresses from the symbol tables of files that other tools wrote.
#include "core/base/input_file.h"
#include "core/image/elf_symbols.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class ElfSymbolsTest : public QObject {
  Q_OBJECT
 private slots:
  void addressesOfTheDemoHaveNames() {
    const Bytes elf = readFile(std::string(IMPRIMO_DEMO) + "/supervisor/supervisor.elf");
    const ElfSymbols symbols = symbolsOf(elf);
    const auto at = [&](const std::string& name) {
      for (const ElfSymbols::Symbol& s : symbols.all()) {
        if (s.name == name) return s.at;
      }
      return std::uint64_t{1};
    };
    QCOMPARE(at("start") % 2, std::uint64_t{0});  // without the bit that says Thumb
    QVERIFY(at("tick") > at("start") && at("hard_fault") > at("tick"));
    QCOMPARE(symbols.text(at("start")), std::string("start"));
    QCOMPARE(symbols.text(at("tick") + 4), std::string("tick + 0x4"));
    QCOMPARE(symbols.text(at("start") - 1), std::string());
    // Mapping symbols and constants are no places.
    QCOMPARE(at("$t"), std::uint64_t{1});
    QCOMPARE(at("heartbeat"), std::uint64_t{1});
  }

  void sizesEndASymbol() {
    const ElfSymbols symbols({{0x100, 8, "short"}, {0x200, 0, "long"}, {0x80, 0x10, "first"}});
    QCOMPARE(symbols.text(0x107), std::string("short + 0x7"));
    QCOMPARE(symbols.text(0x108), std::string());
    QCOMPARE(symbols.text(0x250), std::string("long + 0x50"));
    QCOMPARE(symbols.text(0x90), std::string());
    QCOMPARE(symbols.text(0), std::string());
  }

  /// Whatever is no ELF, or half of one, has no names.
  void brokenFilesHaveNone() {
    const Bytes elf = readFile(std::string(IMPRIMO_DEMO) + "/supervisor/supervisor.elf");
    for (std::size_t size = 0; size < elf.size(); size += 37) symbolsOf(ByteSpan(elf).first(size));
    QVERIFY(symbolsOf(Bytes{}).empty());
    QVERIFY(symbolsOf(Bytes{0x6E, 0x6F}).empty());
    std::mt19937 random(3);
    for (int i = 0; i < 300; ++i) {
      Bytes broken = elf;
      for (int k = 0; k < 8; ++k) broken[random() % broken.size()] = static_cast<std::uint8_t>(random());
      symbolsOf(broken);
    }
  }
};
IMPRIMO_TEST(ElfSymbolsTest);
#include "tst_elf_symbols.moc"
