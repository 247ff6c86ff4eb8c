// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/planner.h"

#include <fmt/format.h>

#include "core/base/number.h"
#include "core/plan/block_plan.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::test;

namespace {

memory::Geometry geometry() {
  memory::Geometry g;
  g.size = 1 << 20;
  g.page = 256;
  g.erase = {{4096, 0.045, 0.4}, {32768, 0.12, 1.6}, {65536, 0.15, 2}};
  g.pageTypical = 0.0004;
  g.pageLongest = 0.003;
  return g;
}

MemoryImage image(std::uint64_t at, const Bytes& bytes) {
  MemoryImage i;
  i.write(at, bytes);
  return i;
}

Wanted program(MemoryImage what) {
  Wanted w;
  w.memory = "boot-flash";
  w.image = std::move(what);
  return w;
}

Plan planned(const Wanted& wanted, const MemoryImage& contents, bool fresh = false) {
  Knowledge k;
  k.geometry = geometry();
  k.contents = &contents;
  if (fresh) k.fresh.add({0, k.geometry->size});
  k.speed.clockHz = 10'000'000;
  return makePlan(wanted, k);
}

std::string text(const Plan& p) {
  std::string all;
  for (const Step& step : p.steps) {
    all += nameOf(step.kind);
    for (const auto& e : step.erases) all += fmt::format(" {}@{:x}", sizeText(e.range.size()), e.range.begin);
    if (!step.pages.empty()) all += fmt::format(" {} pages", step.pages.size());
    for (const auto& r : step.ranges) all += fmt::format(" {:x}+{:x}", r.begin, r.size());
    all += "\n";
  }
  return all;
}

MemoryImage full(std::uint8_t value) {
  return image(0, Bytes(1 << 20, value));
}

}  // namespace

class PlannerTest : public QObject {
  Q_OBJECT
 private slots:
  void withoutGeometryOnlyQuestionsArePlanned() {
    COMPARE_TEXT(text(makePlan(program(image(0, {1})), {})), "check-chain\nidentify\n");
  }

  void unknownContentsAreReadFirstAndTheWorstIsAssumed() {
    const Plan p = planned(program(image(0x1000, Bytes(0x1001, 1))), {});
    COMPARE_TEXT(text(p),
                 "check-chain\nidentify\nread 1000+2000\nsave 1000+2000\nerase 4 KiB@1000 4 KiB@2000\nwrite 17 "
                 "pages\nconfirm 1000+2000\n");
    QVERIFY(!p.complete);
    COMPARE_TEXT(p.find(StepKind::Erase)->title, "Erase up to 2 blocks");
  }

  void whatAgreesIsLeftAlone() {
    const MemoryImage same = image(0x1000, Bytes(0x2000, 1));
    COMPARE_TEXT(text(planned(program(same), full(1), true)), "check-chain\nidentify\n");
    // Agreement that was seen before this run is looked at once more.
    COMPARE_TEXT(text(planned(program(same), full(1))), "check-chain\nidentify\nconfirm 1000+2000\n");
    Wanted quick = program(same);
    quick.noVerify = true;
    COMPARE_TEXT(text(planned(quick, full(1))), "check-chain\nidentify\n");
  }

  void clearingBitsNeedsNoErase() {
    const Plan p = planned(program(image(0x1000, Bytes(0x300, 0x0F))), full(0xFF), true);
    COMPARE_TEXT(text(p), "check-chain\nidentify\ncompare 1000+1000\nwrite 3 pages\nconfirm 1000+1000\n");
    // Only what changes is sent: the rest is padding that programs nothing.
    MemoryImage contents = full(0xFF);
    contents.write(0x1000, Bytes(0x300, 0x0F));
    contents.write(0x1105, Bytes{0x3F});
    const Plan one = planned(program(image(0x1000, Bytes(0x300, 0x0F))), contents, true);
    QCOMPARE(one.find(StepKind::Write)->pages, (std::vector<memory::PageWrite>{{0x1105, {0x0F}}}));
  }

  void theLargestErasesThatFitAreTaken() {
    const Plan p = planned(program(image(0x6000, Bytes(0x1C000, 1))), full(2), true);
    COMPARE_TEXT(text(p).substr(text(p).find("erase")),
                 "erase 4 KiB@6000 4 KiB@7000 32 KiB@8000 64 KiB@10000 4 KiB@20000 4 KiB@21000\nwrite 448 "
                 "pages\nconfirm 6000+1c000\n");
  }

  void neighboursInAnErasedBlockArePutBack() {
    MemoryImage contents = full(0xFF);
    contents.write(0x1000, Bytes(0x40, 0x00));
    contents.write(0x1F00, Bytes(0x10, 0x77));
    const Plan p = planned(program(image(0x1000, Bytes(0x20, 0xAA))), contents, true);
    COMPARE_TEXT(text(p), "check-chain\nidentify\nsave 1000+1000\nrenew 4 KiB@1000 2 pages\nconfirm 1000+1000\n");
    VERIFY_CONTAINS(p.find(StepKind::Renew)->why,
                    "block 0x001000 differs at 0x001000, and holds other data that is put back");
    QCOMPARE(p.target.bytes({0x1F00, 0x1F10}), Bytes(0x10, 0x77));
    QCOMPARE(p.target.bytes({0x1020, 0x1040}), Bytes(0x20, 0x00));
  }

  void erasingLeavesExactlyTheRangeBlank() {
    Wanted w = program({});
    w.task = Task::Erase;
    w.ranges = {{0x1800, 0x3000}};
    const Plan p = planned(w, full(0x11), true);
    COMPARE_TEXT(
        text(p),
        "check-chain\nidentify\nsave 1000+2000\nrenew 4 KiB@1000 8 pages\nerase 4 KiB@2000\nconfirm 1000+2000\n");
    w.wholeBlocks = true;
    COMPARE_TEXT(text(planned(w, full(0x11), true)),
                 "check-chain\nidentify\nsave 1000+2000\nerase 4 KiB@1000 4 KiB@2000\nconfirm 1000+2000\n");
    COMPARE_TEXT(text(planned(w, full(0xFF), true)), "check-chain\nidentify\n");
  }

  void erasingAllLeavesOutWhatIsKept() {
    Wanted w = program({});
    w.task = Task::Erase;
    w.all = true;
    w.keep = {{0xFF800, 0x100000}};
    const Plan p = planned(w, full(0x11), true);
    QCOMPARE(p.find(StepKind::Renew)->erases, (std::vector<memory::EraseBlock>{{{0xFF000, 0x100000}, 0}}));
    QCOMPARE(p.target.bytes({0xFF800, 0x100000}), Bytes(0x800, 0x11));
    QCOMPARE(p.target.bytes({0xFF000, 0xFF800}), Bytes(0x800, 0xFF));
  }

  void withoutErasingTheFirstBitThatWouldRiseIsNamed() {
    Wanted w = program(image(0x1000, {0x01, 0x80}));
    w.noErase = true;
    MemoryImage contents = full(0xFF);
    contents.write(0x1001, Bytes{0x7F});
    COMPARE_TEXT(errorOf([&] { planned(w, contents, true); }),
                 "0x001001 holds 0x7F and should become 0x80, which takes an erase");
    QCOMPARE(kindOf([&] { planned(w, contents, true); }), std::optional{ErrorKind::Refused});
  }

  void whatCannotBeIsRefused() {
    COMPARE_TEXT(errorOf([] {
                   planned(program(image(0xFFFFF, {1, 2})), {});
                 }),
                 "0x0FFFFF – 0x100000 reaches past the end of boot-flash, which is at 0x0FFFFF (1 MiB)");
    Wanted w = program(image(0x1000, Bytes(16, 1)));
    w.keep = {{0x1008, 0x2000}};
    COMPARE_TEXT(errorOf([&] { planned(w, {}); }),
                 "planned data at 0x001008 – 0x00100F lies in the kept range 0x001008 – 0x001FFF of boot-flash");
    w.task = Task::Verify;
    QVERIFY(!kindOf([&] { planned(w, {}); }));
  }

  void erasesNeverOverlapAndCoverExactlyTheBlocks() {
    std::mt19937 random(61);
    for (int round = 0; round < 300; ++round) {
      RangeSet set;
      std::vector<AddressRange> blocks;
      for (std::uint64_t b = 0; b < 256; ++b) {
        if (random() % 8 == 0) b += below(random, 20);
        if (b < 256) blocks.push_back({b * 4096, (b + 1) * 4096});
      }
      std::uint64_t sum = 0, end = 0;
      for (const auto& e : largestErases(blocks, geometry())) {
        QVERIFY(e.range.begin >= end && e.range.begin % e.range.size() == 0);
        end = e.range.end;
        sum += e.range.size();
        set.add(e.range);
      }
      QCOMPARE(sum, blocks.size() * 4096);
      for (const auto& b : blocks) QVERIFY(set.contains(b));
    }
  }

  void estimatesAddUp() {
    const Plan p = planned(program(image(0, Bytes(65536, 1))), full(2), true);
    // 256 pages of 0.4 ms and 2.27 ms on the wires each ... one 64 KiB erase, one read-back.
    const double wires = 256 * (3 * 40 + 8 * 268) / 10e6;
    QVERIFY(std::abs(p.find(StepKind::Write)->seconds - (256 * 0.0004 + wires)) < 1e-9);
    QCOMPARE(p.find(StepKind::Erase)->seconds, 0.15);
    QCOMPARE(p.bytesToWrite(), 65536u);
    QCOMPARE(p.blocksToErase(4096), 16u);
  }
};
IMPRIMO_TEST(PlannerTest);
#include "tst_planner.moc"
