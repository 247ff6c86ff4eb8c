// SPDX-License-Identifier: GPL-3.0-or-later
//
// The whole SFDP space: several tables, sector maps, 4-byte commands, and spaces that are not what they should be. Put
// together by hand from JESD216F.
#include "core/flash/part_card.h"
#include "core/flash/sfdp.h"
#include "core/flash/spi_nor_identity.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::flash;
using namespace imprimo::memory;
using namespace imprimo::test;

namespace {

struct Table {
  std::uint16_t id;
  std::vector<std::uint32_t> dwords;
  std::optional<std::uint32_t> pointer{};
};

/// 64 Mbit; 4K by 20, 32K by 52, 64K by D8; every DWORD of revision B.
std::vector<std::uint32_t> basic() {
  return {0xFFF120E5,
          0x03FFFFFF,
          0,
          0,
          0,
          0,
          0,
          0x520F200C,
          0x0000D810,
          (0x22u << 4) | (0x27u << 11) | (0x29u << 18) | 3,
          (0x29u << 8) | (8u << 4) | 1,
          0x80000000u,
          0,
          0x80000000u | 1u << 2,
          0,
          0};
}

Bytes space(const std::vector<Table>& tables) {
  Bytes bytes{'S', 'F', 'D', 'P', 10, 1, static_cast<std::uint8_t>(tables.size() - 1), 0xFF};
  std::uint32_t at = 0x80;
  Bytes body;
  for (const Table& t : tables) {
    const std::uint32_t pointer = t.pointer.value_or(at);
    for (const std::uint32_t d :
         {std::uint32_t(t.id & 0xFF) | 10u << 8 | 1u << 16 | std::uint32_t(t.dwords.size()) << 24,
          pointer | std::uint32_t(t.id & 0xFF00) << 16}) {
      for (int shift = 0; shift < 32; shift += 8) bytes.push_back(static_cast<std::uint8_t>(d >> shift));
    }
    for (const std::uint32_t d : t.dwords) {
      for (int shift = 0; shift < 32; shift += 8) body.push_back(static_cast<std::uint8_t>(d >> shift));
    }
    at += static_cast<std::uint32_t>(4 * t.dwords.size());
  }
  bytes.resize(0x80, 0xFF);
  bytes.insert(bytes.end(), body.begin(), body.end());
  return bytes;
}

struct Asked {
  std::uint8_t command;
  unsigned addressBytes;
  std::uint32_t address;
  unsigned clocks;
};

Sfdp parse(const Bytes& bytes, std::vector<std::uint8_t> answers = {}, std::vector<Asked>* asked = nullptr) {
  std::size_t next = 0;
  return readSfdp({[&](std::uint32_t at, std::size_t count) {
                     Bytes some(count, 0xFF);
                     for (std::size_t i = 0; i < count && at + i < bytes.size(); ++i) some[i] = bytes[at + i];
                     return some;
                   },
                   [&](std::uint8_t c, unsigned n, std::uint32_t at, unsigned clocks) {
                     if (asked != nullptr) asked->push_back({c, n, at, clocks});
                     return next < answers.size() ? answers[next++] : std::uint8_t{0};
                   }})
      .value();
}

constexpr std::uint32_t command(std::uint32_t mask, std::uint32_t bytes, std::uint32_t clocks, std::uint32_t opcode,
                                bool last) {
  return mask << 24 | bytes << 22 | clocks << 16 | opcode << 8 | (last ? 1u : 0u);
}
constexpr std::uint32_t map(std::uint32_t regions, std::uint32_t configuration, bool last) {
  return (regions - 1) << 16 | configuration << 8 | 2u | (last ? 1u : 0u);
}
constexpr std::uint32_t region(std::uint32_t bytes, std::uint32_t types) {
  return (bytes / 256 - 1) << 8 | types;
}

/// Two questions, so four configurations; in number 2 the small blocks are at the bottom, over half a 64K block.
std::vector<std::uint32_t> sectors() {
  return {command(0x08, 1, 8, 0x65, false),
          0x000004,
          command(0x20, 2, 3, 0x65, true),
          0x800003,
          map(1, 0, false),
          region(8 << 20, 4),
          map(3, 2, true),
          region(32 << 10, 1),
          region(32 << 10, 4),
          region((8 << 20) - (64 << 10), 4)};
}

std::string blocks(const Geometry& g, std::size_t count) {
  std::string text;
  for (std::size_t i = 0; i < count; ++i)
    text += QString("%1+%2 ").arg(g.block(i).begin, 0, 16).arg(g.block(i).size(), 0, 16).toStdString();
  return text;
}

}  // namespace

class SfdpSpaceTest : public QObject {
  Q_OBJECT
 private slots:
  void theSectorMapOfTheConfigurationThatThePartIsIn() {
    std::vector<Asked> asked;
    const Sfdp sfdp = parse(space({{0xFF00, basic()}, {0xFF81, sectors()}}), {0x08, 0x00}, &asked);
    QCOMPARE(asked.size(), std::size_t{2});
    QCOMPARE(asked[0].addressBytes, 3u);
    QCOMPARE(asked[0].clocks, 8u);
    QCOMPARE(asked[1].addressBytes, 4u);
    QCOMPARE(asked[1].address, 0x800003u);
    QCOMPARE(asked[1].clocks, 3u);
    const Geometry& g = sfdp.geometry;
    QCOMPARE(g.blockCount(), std::size_t{8 + 1 + 127});
    COMPARE_TEXT(blocks(g, 10),
                 "0+1000 1000+1000 2000+1000 3000+1000 4000+1000 5000+1000 6000+1000 7000+1000 8000+8000 10000+10000 ");
    QCOMPARE(g.blockIndex(0x8000), std::size_t{8});
    QCOMPARE(g.blockIndex(0x7FFFFF), std::size_t{135});
    QCOMPARE(g.blockAt(0xFFFF), (AddressRange{0x8000, 0x10000}));
    QVERIFY(g.erasedBy(0, 0x9000).empty());  // no 4 KiB erase there
    QCOMPARE(g.erasedBy(2, 0x9000), (AddressRange{0x8000, 0x10000}));
    QVERIFY(g.erasedBy(2, 0x1000).empty());
    QCOMPARE(g.roundedToBlocks({0x7FFF, 0x8001}), (AddressRange{0x7000, 0x10000}));
    // The other configuration: all of it in one size.
    QCOMPARE(parse(space({{0xFF00, basic()}, {0xFF81, sectors()}}), {0x00, 0x00}).geometry.blockCount(),
             std::size_t{128});
  }

  void sectorMapsThatCannotBe() {
    const auto error = [](std::vector<std::uint32_t> dwords, std::vector<std::uint8_t> answers = {0x08, 0x00}) {
      return errorOf([&] { parse(space({{0xFF00, basic()}, {0xFF81, std::move(dwords)}}), answers); });
    };
    VERIFY_CONTAINS(error(sectors(), {0x08, 0x20}), "has no map for configuration 3, which the part is in");
    auto gap = sectors();
    gap[9] = region(1 << 20, 4);
    VERIFY_CONTAINS(error(gap), "covers 1.06 MiB, but the part has 8 MiB");
    auto useless = sectors();
    useless[8] = region(32 << 10, 0);
    VERIFY_CONTAINS(error(useless), "no erase command works at 0x008000");
    for (std::size_t n = 1; n < sectors().size(); ++n) {
      const auto all = sectors();
      VERIFY_CONTAINS(error({all.begin(), all.begin() + static_cast<std::ptrdiff_t>(n)}), "the sector map (SFDP)");
    }
  }

  void fourByteCommandsOfTheirOwn() {
    auto large = basic();
    large[1] = 0x0FFFFFFF;  // 256 Mbit
    large[15] = 0x20u << 24;
    const Sfdp own = parse(space({{0xFF00, large}, {0xFF84, {1u | 1u << 6 | 7u << 9, 0x00DC5C21}}}));
    QCOMPARE(own.commands.fourByte, FourByteEntry::OwnCommands);
    QCOMPARE(own.commands.erase[0].opcode4, 0x21);
    QCOMPARE(own.commands.erase[2].opcode4, 0xDC);
    QCOMPARE(own.geometry.reach().end, 32u << 20);
    // One erase type without such a command: the table alone is not enough.
    QCOMPARE(parse(space({{0xFF00, large}, {0xFF84, {1u | 1u << 6 | 1u << 9, 0x21}}})).commands.fourByte,
             FourByteEntry::Unknown);
    for (const auto& [bits, way] :
         std::vector<std::pair<std::uint32_t, FourByteEntry>>{{1, FourByteEntry::Command},
                                                              {2, FourByteEntry::WriteEnableThenCommand},
                                                              {4, FourByteEntry::SegmentRegister},
                                                              {8, FourByteEntry::BankRegister},
                                                              {0x10, FourByteEntry::Unknown},
                                                              {0x41, FourByteEntry::Always}}) {
      large[15] = bits << 24;
      QCOMPARE(parse(space({{0xFF00, large}})).commands.fourByte, way);
    }
  }

  void tablesThatPointOutside() {
    for (const std::uint32_t pointer : {0u, 8u, 0x17u, 0xFFFFC8u, 0xFFFFFFu}) {
      VERIFY_CONTAINS(errorOf([&] {
                        parse(space({{0xFF00, basic(), pointer}, {0xFF84, {0, 0}}}));
                      }),
                      pointer < 0x18 ? "which is among the headers" : "which is outside its space");
    }
    // A maker's own table that points anywhere does no harm.
    QCOMPARE(parse(space({{0xFF00, basic()}, {0x017E, {1, 2}, 0xFFFFFF}})).tables.size(), std::size_t{1});
    QCOMPARE(parse(space({{0xFF00, basic()}, {0x017E, {1, 2}}})).tables.size(), std::size_t{2});
  }

  void theNewestOfSeveralTablesIsUsed() {
    auto newer = basic();
    newer[1] = 0x07FFFFFF;
    Bytes bytes = space({{0xFF00, newer}, {0xFF00, basic()}});
    QCOMPARE(parse(bytes).geometry.size, 16u << 20);
    bytes[8 + 8 + 1] = 11;  // the second one's minor revision
    QCOMPARE(parse(bytes).geometry.size, 8u << 20);
  }

  void impossibleSizes() {
    for (const std::uint32_t density : {0x80000000u | 62, 0x80000000u, 0x80000000u | 2, 0x00000000u}) {
      auto table = basic();
      table[1] = density;
      QCOMPARE(kindOf([&] { parse(space({{0xFF00, table}})); }), std::optional{ErrorKind::UnknownFlash});
    }
  }

  void readyMayBeToldByAnotherRegister() {
    auto table = basic();
    table[13] = 0x80000000u | 2u << 2;
    QVERIFY((parse(space({{0xFF00, table}})).commands.ready == ReadyCheck{0x70, 0x80, 0x80}));
  }

  void everyCutOfASpaceIsAnErrorOrATable() {
    const Bytes whole = space({{0xFF00, basic()}, {0xFF81, sectors()}, {0xFF84, {0, 0}}});
    for (std::size_t n = 0; n < whole.size(); ++n) {
      try {
        readSfdp({[&](std::uint32_t at, std::size_t count) {
                    Bytes some(count, 0xFF);
                    for (std::size_t i = 0; i < count && at + i < n; ++i) some[i] = whole[at + i];
                    return some;
                  },
                  [](std::uint8_t, unsigned, std::uint32_t, unsigned) { return std::uint8_t{8}; }});
      } catch (const Error& e) {
        QCOMPARE(e.kind(), ErrorKind::UnknownFlash);
      }
    }
  }

  void aWrongSignatureIsSaidAndTwoReadsAreCompared() {
    WorldOptions broken;
    broken.flash = R"("size": "1M", "sfdp": "none", "unique_id": "1")";
    World world(broken);
    const std::string none = errorOf([&] { world.bench().at("boot-flash").identify(); });
    VERIFY_CONTAINS(none, "has no parameter table (SFDP) and the sheet has no part card");
    World flaky;
    flaky.bench().at("boot-flash").identify();
    const std::uint64_t before = flaky.flash().bytesRead();
    flaky.bench().at("boot-flash").identify();
    const std::uint64_t each = flaky.flash().bytesRead() - before;
    int found = 0;
    for (std::uint64_t n = 0; n < each; n += 3) {
      flaky.flash().corruptRead(flaky.flash().bytesRead() + 1 + n, 0x10);
      const std::string error = errorOf([&] { flaky.bench().at("boot-flash").identify(); });
      if (error.find("two reads of the parameter table (SFDP) differ at 0x0000") != std::string::npos) ++found;
      flaky.flash().corruptRead(0, 0);
      QCOMPARE(flaky.bench().at("boot-flash").identify().geometry.size, 1u << 20);
    }
    QVERIFY(found > 20);
  }

  void cardsHaveRegionsRegistersAndProtection() {
    const char* text = R"({"imprimo_part": 1, "name": "Q", "id": "0x7E4015", "size": "2M", "page": 256,
      "program": {"typical": 0.0007, "longest": 0.003},
      "erase": [{"size": "64K", "opcode": "0xD8", "typical": 0.1, "longest": 1}, {"size": "4K", "opcode": "0x20", "typical": 0.05, "longest": 0.4}],
      "regions": [{"from": "0", "erase": ["64K"]}, {"from": "1984K", "erase": ["4K", "64K"]}],
      "ready": {"command": "0x70", "mask": "0x80", "value": "0x80"},
      "registers": [{"name": "status", "read": "0x05", "write": "0x01", "enable": "0x50", "bits": [{"bits": "6..2", "name": "BP", "once": true}]}],
      "protection": {"register": "status", "bits": "4..2", "levels": [{"value": 7, "ranges": ["0..0x1FFFFF"]}]},
      "unique_id": {"command": "0x4B", "dummy": 4, "bytes": 16},
      "deep_power_down": {"enter": "0xB9", "leave": "0xAB", "wake": 0.00003}, "table_is_wrong": true})";
    const PartCard card = parsePartCard(text, "card");
    QCOMPARE(card.geometry.blockCount(), std::size_t{31 + 16});
    QCOMPARE(card.geometry.regions[0].types, 2u);  // erase commands are sorted by size
    const PartCard again = parsePartCard(partCardText(card), "again");
    QVERIFY(again.geometry == card.geometry && again.commands == card.commands && again.registers == card.registers &&
            again.protection == card.protection && again.uniqueId == card.uniqueId &&
            again.deepPowerDown == card.deepPowerDown && again.tableIsWrong);
    const auto broken = [&](const char* from, const char* to) {
      QString changed = text;
      changed.replace(from, to);
      return errorOf([&] { parsePartCard(changed.toStdString(), "card"); });
    };
    VERIFY_CONTAINS(broken("\"from\": \"0\"", "\"from\": \"4K\""), "its regions are out of order at 0x001000");
    VERIFY_CONTAINS(broken("[\"64K\"]", "[\"32K\"]"),
                    "card:4: regions[0].erase[0]: \"erase\" has no command for blocks of this size");
    VERIFY_CONTAINS(broken("\"6..2\"", "\"2..6\""), "should be a bit of the byte");
    VERIFY_CONTAINS(broken("\"register\": \"status\"", "\"register\": \"nothing\""),
                    "\"registers\" has no register of this name");
    VERIFY_CONTAINS(broken("\"value\": 7", "\"value\": 8"), "does not fit into these bits");
    VERIFY_CONTAINS(broken("0..0x1FFFFF", "0..0x200000"), "reaches past the part's end");
    VERIFY_CONTAINS(broken("\"4K\", \"opcode\"", "\"64K\", \"opcode\""), "two erase commands for blocks of one size");
  }
};
IMPRIMO_TEST(SfdpSpaceTest);
#include "tst_sfdp_space.moc"
