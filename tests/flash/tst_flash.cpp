// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/flash/part_card.h"
#include "core/flash/sfdp.h"
#include "core/flash/spi_nor.h"
#include "core/flash/spi_nor_identity.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::flash;
using namespace imprimo::memory;
using namespace imprimo::test;

namespace {

/// A table put together by hand from the standard: one header at 8, the table at 0x10, DWORDs low byte first.
Bytes sfdp(const std::vector<std::uint32_t>& dwords, std::uint8_t minor = 6) {
  Bytes bytes{'S',  'F', 'D', 'P', minor, 1, 0, 0xFF, 0, minor, 1, static_cast<std::uint8_t>(dwords.size()),
              0x10, 0,   0,   0xFF};
  for (const std::uint32_t d : dwords) {
    for (int shift = 0; shift < 32; shift += 8) bytes.push_back(static_cast<std::uint8_t>(d >> shift));
  }
  return bytes;
}

std::optional<Sfdp> parseAll(const Bytes& space, std::uint8_t configuration = 0) {
  return readSfdp({[&](std::uint32_t at, std::size_t count) {
                     Bytes bytes(count, 0xFF);
                     for (std::size_t i = 0; i < count && at + i < space.size(); ++i) bytes[i] = space[at + i];
                     return bytes;
                   },
                   [=](std::uint8_t, unsigned, std::uint32_t, unsigned) { return configuration; }});
}

std::optional<Geometry> parse(const Bytes& space) {
  const auto all = parseAll(space);
  return all ? std::optional(all->geometry) : std::nullopt;
}

/// 16 Mbit; erase 4K in 48 ms, 64K in 160 ms, at most 8 times that; pages of 256 in 0.64 ms, at most 4 times that.
const std::vector<std::uint32_t> kTable{0xFFF120E5, 0x00FFFFFF, 0, 0, 0, 0, 0, 0xD810200C, 0x00000000,
                                        // type 1: count 2, unit 16 ms; type 2: count 9, unit 16 ms; multiplier 3
                                        (0x22u << 4) | (0x29u << 11) | 3,
                                        // page 2^8, program count 9 of 64 us, multiplier 1
                                        (0x29u << 8) | (8u << 4) | 1, 0, 0, 0, 0, 0};

struct Watcher : Progress {
  void advanced(const AddressRange& range) override { done.push_back(range); }
  bool stopRequested() const override { return done.size() >= stopAfter; }
  std::vector<AddressRange> done;
  std::size_t stopAfter = SIZE_MAX;
};

std::vector<PageWrite> pages(std::mt19937& random, std::uint64_t from, std::size_t count) {
  std::vector<PageWrite> list;
  for (std::size_t i = 0; i < count; ++i) list.push_back({from + 256 * i, randomBytes(random, 256)});
  return list;
}

}  // namespace

class SfdpTest : public QObject {
  Q_OBJECT
 private slots:
  void readsTheBasicTable() {
    const Geometry g = parse(sfdp(kTable)).value();
    QCOMPARE(g.size, 2u << 20);
    QCOMPARE(g.page, 256u);
    QCOMPARE(g.erase.size(), 2u);
    QCOMPARE(g.erase[0].size, 4096u);
    const NorCommands commands = parseAll(sfdp(kTable))->commands;
    QCOMPARE(commands.erase[0].opcode, 0x20);
    QCOMPARE(g.erase[0].typical, 0.048);
    QCOMPARE(g.erase[0].longest, 0.384);
    QCOMPARE(commands.erase[1].opcode, 0xD8);
    QCOMPARE(g.erase[1].typical, 0.16);
    QCOMPARE(g.pageTypical, 0.00064);
    QCOMPARE(g.pageLongest, 0.00256);
    QVERIFY(!g.timesAssumed);
  }

  void theFirstEditionHasNoPagesAndNoTimes() {
    Geometry g = parse(sfdp({kTable.begin(), kTable.begin() + 9}, 0)).value();
    QCOMPARE(g.page, 64u);
    QVERIFY(g.timesAssumed);
    QVERIFY(g.erase[0].longest >= 0.4);
    std::vector<std::uint32_t> bytewise(kTable.begin(), kTable.begin() + 9);
    bytewise[0] &= ~4u;
    QCOMPARE(parse(sfdp(bytewise, 0))->page, 1u);
  }

  void densityMayBeAnExponent() {
    auto table = kTable;
    table[1] = 0x80000000u | 32;  // 4 Gbit
    table[15] = 1u << 24;
    const Geometry g = parse(sfdp(table)).value();
    QCOMPARE(g.size, 512ull << 20);
    QCOMPARE(parseAll(sfdp(table))->commands.fourByte, FourByteEntry::Command);
    table[15] = 1u << 25;
    QCOMPARE(parseAll(sfdp(table))->commands.fourByte, FourByteEntry::WriteEnableThenCommand);
    table[15] = 0;
    QCOMPARE(parseAll(sfdp(table))->commands.fourByte, FourByteEntry::Unknown);
    table[0] = (table[0] & ~(3u << 17)) | 2u << 17;
    QCOMPARE(parseAll(sfdp(table))->commands.fourByte, FourByteEntry::Always);
  }

  void noSignatureIsNoTable() {
    QVERIFY(!parse(Bytes(256, 0xFF)));
    QVERIFY(!parse(Bytes(256, 0x00)));
    QVERIFY(!parse({}));
  }

  void contradictionsAreRefused() {
    auto table = kTable;
    table[1] = 7;  // one byte
    VERIFY_CONTAINS(errorOf([&] { parse(sfdp(table)); }), "an erase block of 4 KiB cannot be in a part of 1 byte");
    table = kTable;
    table[7] = 0;
    table[0] |= 3;
    VERIFY_CONTAINS(errorOf([&] { parse(sfdp(table)); }), "names no erase command");
    VERIFY_CONTAINS(errorOf([&] { parse(sfdp({1, 2, 3})); }), "too short");
  }

  void randomTablesNeverDoWorseThanAnError() {
    std::mt19937 random(51);
    for (int round = 0; round < 3000; ++round) {
      Bytes space = sfdp(kTable);
      for (int i = 0; i < 4; ++i) space[4 + below(random, space.size() - 4)] = static_cast<std::uint8_t>(random());
      try {
        if (const auto g = parse(space)) QVERIFY(g->size % g->blockSize() == 0);
      } catch (const Error&) {
      }
    }
  }
};
IMPRIMO_TEST(SfdpTest);

class PartCardTest : public QObject {
  Q_OBJECT
  const std::string card_ =
      R"({"imprimo_part": 1, "name": "Quill Q16", "id": "0x7E4015", "bank": 2, "size": "2M", "page": 256,
 "program": {"typical": 0.0007, "longest": 0.003},
 "erase": [{"size": "64K", "opcode": "0xD8", "typical": 0.15, "longest": 2},
           {"size": "4K", "opcode": "0x20", "typical": 0.05, "longest": 0.4}]})";

 private slots:
  void readsAndWrites() {
    const PartCard card = parsePartCard(card_, "f");
    QCOMPARE(card.id.value(), 0x7E4015u);
    QCOMPARE(card.id.bank, 2u);
    QCOMPARE(card.geometry.erase[0].size, 4096u);  // by size
    const PartCard again = parsePartCard(partCardText(card), "f");
    QVERIFY(again.geometry == card.geometry && again.commands == card.commands && again.id == card.id &&
            again.name == card.name);
  }
  void wrongValuesAreNamed() {
    const auto error = [&](const char* from, const char* to) {
      return errorOf([&] { parsePartCard(QString::fromStdString(card_).replace(from, to).toStdString(), "f"); });
    };
    COMPARE_TEXT(error("\"0x7E4015\"", "\"x\""), "f:1: id: should be a number: \"0x400000\", \"4194304\" or \"4M\"");
    COMPARE_TEXT(error("\"0x20\"", "\"0x120\""), "f:4: erase[1].opcode: a command is one byte");
    COMPARE_TEXT(error("0.0007", "0"), "f:2: program.typical: should be a time in seconds, more than 0");
    VERIFY_CONTAINS(error("\"page\": 256", "\"page\": 300"), "a page of 300 bytes cannot be");
    VERIFY_CONTAINS(error("\"imprimo_part\": 1", "\"imprimo_part\": 2"), "version 1");
  }
};
IMPRIMO_TEST(PartCardTest);

class SpiNorTest : public QObject {
  Q_OBJECT
 private slots:
  void identifiesByTable() {
    World world;
    const FlashIdentity& identity = *flashOf(world.bench().at("boot-flash").identify());
    COMPARE_TEXT(identity.id.text(), "0x7e4014");
    QCOMPARE(identity.idReadsEqual, 8);
    COMPARE_TEXT(identity.source, "sfdp");
    QCOMPARE(identity.geometry.size, 1u << 20);
    QCOMPARE(identity.geometry.erase.size(), 3u);
    QCOMPARE(identity.geometry.erase[0].typical, 0.048);
    QCOMPARE(identity.geometry.page, 256u);
  }

  void continuationCodesAreCounted() {
    WorldOptions options;
    options.flash = R"("size": "1M", "bank": 4)";
    World world(options);
    QCOMPARE(world.bench().at("boot-flash").identify().bank, 4u);
  }

  void noTableAndNoCardIsRefused() {
    WorldOptions options;
    options.flash = R"("size": "1M", "sfdp": "none")";
    World world(options);
    COMPARE_TEXT(errorOf([&] { world.bench().at("boot-flash").identify(); }),
                 "boot-flash (ID 0x7e4014, bank 1) has no parameter table (SFDP) and the sheet has no part card");
    QCOMPARE(kindOf([&] { world.bench().at("boot-flash").identify(); }), std::optional{ErrorKind::UnknownFlash});
  }

  void theFirstEditionWorksWithAssumedTimes() {
    WorldOptions options;
    options.flash = R"("size": "1M", "sfdp": "first-edition")";
    World world(options);
    std::mt19937 random(52);
    const auto list = pages(random, 0x2000, 3);
    Memory& memory = world.bench().at("boot-flash").memory();
    QVERIFY(memory.geometry().timesAssumed);
    std::vector<PageWrite> small;
    for (const PageWrite& page : list) {
      for (std::size_t i = 0; i < 256; i += 64)
        small.push_back({page.address + i, Bytes(page.bytes.begin() + static_cast<long>(i),
                                                 page.bytes.begin() + static_cast<long>(i) + 64)});
    }
    NoProgress nobody;
    memory.program(small, nobody);
    QCOMPARE(world.cells(0x2100, 256), list[1].bytes);
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void erasesAndProgramsAndReads() {
    World world;
    Memory& memory = world.bench().at("boot-flash").memory();
    std::mt19937 random(53);
    world.fill(0x3000, randomBytes(random, 0x1000));
    world.flash().clearJournal();
    Watcher watcher;
    const EraseBlock block{{0x3000, 0x4000}, 0};
    memory.erase({&block, 1}, watcher);
    const PageWrite page{0x3010, randomBytes(random, 0x20)};
    memory.program({&page, 1}, watcher);
    Bytes back(0x100);
    memory.read(0x3000, back, watcher);
    COMPARE_TEXT(world.flash().journal(), "erase 4K 0x003000\nprogram 32 0x003010\nread 256 0x003000\n");
    QVERIFY(std::equal(page.bytes.begin(), page.bytes.end(), back.begin() + 0x10));
    QCOMPARE(watcher.done.size(), 3u);
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void slowAndUnevenPagesAreWaitedFor() {
    for (const char* fault : {R"({"kind": "slow-page", "every": 7})", R"({"kind": "jitter", "mask": 60})"}) {
      for (const std::uint32_t clock : {100'000u, 10'000'000u, 50'000'000u}) {
        WorldOptions options;
        options.clock = clock;
        options.flash = std::string(R"("size": "1M", "faults": [)") + fault + "]";
        World world(options);
        Memory& memory = world.bench().at("boot-flash").memory();
        std::mt19937 random(54);
        const auto list = pages(random, 0, clock == 100'000 ? 30 : 200);
        NoProgress nobody;
        memory.program(list, nobody);
        for (const PageWrite& page : list) QCOMPARE(world.cells(page.address, 256), page.bytes);
        COMPARE_TEXT(world.sim().violations(), "");
      }
    }
  }

  void largePartsAreReachedByFourByteAddresses() {
    WorldOptions options;
    options.flash = R"("size": "32M")";
    World world(options);
    std::mt19937 random(55);
    const auto list = pages(random, 0x1800000, 2);
    NoProgress nobody;
    world.bench().at("boot-flash").memory().program(list, nobody);
    QCOMPARE(world.cells(0x1800000, 256), list[0].bytes);
    QCOMPARE(world.cells(0x0800000, 1)[0], 0xFF);
    world.reconnect();
    QCOMPARE(world.flash().commands().at(0xE9), 1u);  // left as it was found
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void stoppingIsBetweenBatchesAndSaysWhere() {
    World world;
    Memory& memory = world.bench().at("boot-flash").memory();
    std::mt19937 random(56);
    const auto list = pages(random, 0, 600);
    Watcher watcher;
    watcher.stopAfter = 5;
    try {
      memory.program(list, watcher);
      QFAIL("should have stopped");
    } catch (const Error& e) {
      QCOMPARE(e.kind(), ErrorKind::Stopped);
      QCOMPARE(e.at(), std::optional{watcher.done.back().end});
    }
    // At most 50 ms of work was under way: at 0.6 ms a page, less than 85 of them.
    QVERIFY(watcher.done.size() < 86);
    for (std::size_t i = 0; i < watcher.done.size(); ++i) QCOMPARE(world.cells(list[i].address, 256), list[i].bytes);
    QCOMPARE(world.cells(watcher.done.back().end, 256), Bytes(256, 0xFF));
  }

  void aPartThatStaysBusyIsAnError() {
    WorldOptions options;
    options.flash = R"("size": "1M", "faults": [{"kind": "never-ready"}])";
    World world(options);
    Memory& memory = world.bench().at("boot-flash").memory();
    NoProgress nobody;
    const EraseBlock block{{0x3000, 0x4000}, 0};
    VERIFY_CONTAINS(errorOf([&] {
                      memory.erase({&block, 1}, nobody);
                    }),
                    "the block 0x003000 – 0x003FFF is still being erased");
  }
};
IMPRIMO_TEST(SpiNorTest);
#include "tst_flash.moc"
