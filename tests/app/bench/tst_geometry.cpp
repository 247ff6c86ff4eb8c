// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/byte_layout.h"
#include "app/bench/position_bar.h"
#include "app/bench/sector_grid.h"
#include "app/look/address_text.h"
#include "app/model/block_looks.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

class SectorGridTest : public QObject {
  Q_OBJECT
 private slots:
  void whatIsPaintedIsWhatIsHit() {
    for (const std::size_t blocks : {1u, 16u, 500u, 2048u, 65536u}) {
      for (const QSize size : {QSize(520, 260), QSize(610, 301), QSize(1300, 500)}) {
        const SectorGrid grid = SectorGrid::fit(QRect({80, 12}, size), blocks);
        QVERIFY(static_cast<std::size_t>(grid.tiles) * grid.blocksPerTile >= blocks);
        for (int i = 0; i < grid.tiles; ++i) {
          QCOMPARE(grid.at(grid.rectOf(i).center()), std::optional{i});
          QVERIFY(grid.area.contains(grid.rectOf(i)));
          if (i > 0) QVERIFY(!grid.rectOf(i).intersects(grid.rectOf(i - 1)));
        }
        QVERIFY(!grid.at({0, 0}));
        QCOMPARE(grid.endBlock(grid.tiles - 1), blocks);
        for (std::size_t b = 0; b < blocks; b += 37) {
          const int tile = grid.tileOf(b);
          QVERIFY(grid.firstBlock(tile) <= b && b < grid.endBlock(tile));
        }
      }
    }
  }
  void noRoomIsNoTile() {
    QCOMPARE(SectorGrid::fit(QRect(0, 0, 10, 10), 100).tiles, 0);
    QVERIFY(!SectorGrid::fit(QRect(0, 0, 10, 10), 100).at({5, 5}));
  }
};
IMPRIMO_TEST(SectorGridTest);

class ByteLayoutTest : public QObject {
  Q_OBJECT
 private slots:
  void whatIsPaintedIsWhatIsHit() {
    for (const QSize size : {QSize(680, 260), QSize(1330, 500), QSize(420, 120)}) {
      const ByteLayout layout = ByteLayout::fit(size.width(), size.height(), 7, 17);
      for (const Lane lane : {Lane::Planned, Lane::Device}) {
        for (int row = 0; row < layout.rows; ++row) {
          for (int column = 0; column < layout.perRow; ++column) {
            for (const QRect rect : {layout.hexRect(lane, row, column), layout.textRect(lane, row, column)}) {
              const auto hit = layout.at(rect.center());
              QVERIFY(hit && hit->lane == lane && hit->row == row && hit->column == column);
            }
            QVERIFY(!layout.hexRect(lane, row, column).intersects(layout.gutter()));
          }
        }
      }
      QVERIFY(!layout.at({layout.width / 2, 100}));
      QVERIFY(!layout.at({layout.hexRect(Lane::Device, 0, 0).center().x(), 5}));
    }
  }
};
IMPRIMO_TEST(ByteLayoutTest);

class BlockLooksTest : public QObject {
  Q_OBJECT
  static memory::Geometry geometry() {
    memory::Geometry g;
    g.size = 16 * 4096;
    g.erase = {{4096, 0.045, 0.4}};
    return g;
  }
  static MemoryImage image(std::uint64_t at, const Bytes& bytes) {
    MemoryImage i;
    i.write(at, bytes);
    return i;
  }

 private slots:
  void eachBlockHasTheLookOfWhatIsKnown() {
    BlockLooks looks;
    looks.reset(geometry(), {{15 * 4096, 16 * 4096}});
    MemoryImage planned = image(0, Bytes(4 * 4096 + 10, 0x11));
    planned.write(6 * 4096, Bytes(4096, 0xFF));
    looks.setPlanned(planned);
    MemoryImage contents = image(0, Bytes(4096, 0x11));  // agrees
    contents.write(4096, Bytes(4096, 0x22));             // differs
    contents.write(4 * 4096, Bytes(100, 0x11));          // agrees as far as planned
    contents.write(6 * 4096, Bytes(4096, 0x33));         // only to be erased
    contents.write(8 * 4096, Bytes(4096, 0xFF));
    contents.write(9 * 4096, Bytes(4096, 0x44));
    looks.update({{0, geometry().size}}, contents);
    const std::vector<BlockLook> expected{
        BlockLook::Agrees, BlockLook::Differs, BlockLook::PlannedUnread, BlockLook::PlannedUnread,
        BlockLook::Agrees, BlockLook::Unread,  BlockLook::WillErase,     BlockLook::Unread,
        BlockLook::Blank,  BlockLook::Data,    BlockLook::Unread,        BlockLook::Unread,
        BlockLook::Unread, BlockLook::Unread,  BlockLook::Unread,        BlockLook::Kept};
    QVERIFY(looks.looks() == expected);
    QCOMPARE(looks.differingBytes(), 2 * 4096u);
    QCOMPARE(looks.differingBlocks(), 2u);
    QCOMPARE(looks.nextDifference(0), std::optional<std::uint64_t>{4096});
    QCOMPARE(looks.nextDifference(4096), std::optional<std::uint64_t>{4097});
    QCOMPARE(looks.nextDifference(2 * 4096 - 1), std::optional<std::uint64_t>{6 * 4096});
    QCOMPARE(looks.nextDifference(7 * 4096), std::optional<std::uint64_t>{4096});  // goes round
  }

  void updatesInAnyOrderComeToTheSameAsAllAtOnce() {
    std::mt19937 random(81);
    BlockLooks piecewise, whole;
    piecewise.reset(geometry(), {});
    MemoryImage planned = image(0x800, randomBytes(random, 0x9000));
    Bytes cells = planned.bytes({0, geometry().size});
    for (int i = 0; i < 40; ++i) cells[below(random, cells.size())] ^= 1;
    piecewise.setPlanned(image(0, Bytes(0x2000, 1)));
    for (int i = 0; i < 300; ++i) {
      const std::size_t at = below(random, cells.size());
      const std::size_t end = std::min(cells.size(), at + below(random, 0x1800));
      piecewise.update({{at, end}},
                       image(at, Bytes(cells.begin() + static_cast<long>(at), cells.begin() + static_cast<long>(end))));
      if (i == 150) piecewise.setPlanned(planned);
    }
    piecewise.update({{0, cells.size()}}, image(0, cells));
    whole.reset(geometry(), {});
    whole.setPlanned(planned);
    whole.update({{0, cells.size()}}, image(0, cells));
    QVERIFY(piecewise.looks() == whole.looks());
    QCOMPARE(piecewise.differingBytes(), whole.differingBytes());
    QCOMPARE(piecewise.differingBlocks(), whole.differingBlocks());
  }

  void addressesAndNeedlesAreRead() {
    QCOMPARE(parseAddress("0x1F"), std::optional<std::uint64_t>{31});
    QCOMPARE(parseAddress(" 6A0F "), std::optional<std::uint64_t>{0x6A0F});
    QCOMPARE(parseAddress("4M"), std::optional<std::uint64_t>{4 << 20});
    QVERIFY(!parseAddress("here"));
    QCOMPARE(parseNeedle("A5 4d"), (Bytes{0xA5, 0x4D}));
    QCOMPARE(parseNeedle("\"A5\""), (Bytes{'A', '5'}));
    QCOMPARE(parseNeedle("station"), (Bytes{'s', 't', 'a', 't', 'i', 'o', 'n'}));
  }
};
IMPRIMO_TEST(BlockLooksTest);
#include "tst_geometry.moc"
