// SPDX-License-Identifier: GPL-3.0-or-later
//
// Plans over parts with several block sizes, with protection, and with a block that makes them bootable; and what a
// sheet says of them.
#include <fmt/format.h>

#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "core/base/number.h"
#include "core/flash/busy_estimate.h"
#include "core/flash/card_check.h"
#include "core/plan/block_plan.h"
#include "core/plan/planner.h"
#include "core/run/job.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::test;

namespace {

/// 1 MiB: 4 KiB blocks up to 32 KiB, then a block of 32 KiB, then 64 KiB each.
memory::Geometry mixed() {
  memory::Geometry g;
  g.size = 1 << 20;
  g.erase = {{4096, 0.045, 0.4}, {65536, 0.15, 2}};
  g.regions = {{0, 1}, {32 << 10, 2}, {64 << 10, 2}};
  g.pageTypical = 0.0004;
  g.pageLongest = 0.003;
  memory::checkGeometry(g, "test");
  return g;
}

memory::Protection upperEnd() {
  return {"status", 4, 2, {{0, {}}, {1, {{0xF0000, 0x100000}}}, {4, {{0x80000, 0x100000}}}, {7, {{0, 0x100000}}}}};
}

std::string text(const Plan& p) {
  std::string all;
  for (const Step& step : p.steps) {
    if (step.kind == StepKind::CheckChain || step.kind == StepKind::Identify) continue;
    all += nameOf(step.kind);
    for (const auto& e : step.erases) all += fmt::format(" {}@{:x}", sizeText(e.range.size()), e.range.begin);
    for (const auto& page : step.pages) all += step.pages.size() < 4 ? fmt::format(" p{:x}", page.address) : "";
    if (step.kind == StepKind::Unprotect || step.kind == StepKind::Protect) all += fmt::format(" {}", step.field);
    all += "\n";
  }
  return all;
}

Plan planned(const Wanted& wanted, const memory::Geometry& g, const MemoryImage& contents,
             std::optional<std::uint8_t> protection = {}) {
  Knowledge k;
  k.geometry = g;
  k.contents = &contents;
  if (protection) {
    k.protection = upperEnd();
    k.protectionRegister = static_cast<std::uint8_t>(*protection << 2);
  }
  return makePlan(wanted, k);
}

Wanted program(std::uint64_t at, std::size_t size, std::uint8_t value = 0x11) {
  Wanted w;
  w.memory = "boot-flash";
  w.image.write(at, Bytes(size, value));
  return w;
}

MemoryImage full(std::uint8_t value) {
  MemoryImage image;
  image.write(0, Bytes(1 << 20, value));
  return image;
}

}  // namespace

class ChangePlansTest : public QObject {
  Q_OBJECT
 private slots:
  void blocksOfSeveralSizes() {
    const memory::Geometry g = mixed();
    COMPARE_TEXT(text(planned(program(0, 128 << 10), g, full(0x22))),
                 "save\nerase 4 KiB@0 4 KiB@1000 4 KiB@2000 4 KiB@3000 4 KiB@4000 4 KiB@5000 4 KiB@6000 4 KiB@7000 32 "
                 "KiB@8000 64 "
                 "KiB@10000\nwrite\nconfirm\n");
    // What shares a large block is put back, and the block is the one of that place.
    COMPARE_TEXT(text(planned(program(0x9000, 16), g, full(0x22))), "save\nrenew 32 KiB@8000\nconfirm\n");
    COMPARE_TEXT(text(planned(program(0x1000, 4096), g, full(0x22))), "save\nerase 4 KiB@1000\nwrite\nconfirm\n");
  }

  void largestErasesCoverExactlyWhatTheyShould() {
    for (unsigned seed = 0; seed < 200; ++seed) {
      std::mt19937 random(seed);
      const memory::Geometry g = mixed();
      std::vector<AddressRange> blocks;
      for (std::size_t i = 0; i < g.blockCount(); ++i) {
        if (random() % 3 != 0) blocks.push_back(g.block(i));
      }
      RangeSet wanted(blocks), covered;
      for (const memory::EraseBlock& e : largestErases(blocks, g)) {
        QVERIFY(!covered.overlaps(e.range));
        QCOMPARE(g.erasedBy(e.type, e.range.begin), e.range);
        covered.add(e.range);
      }
      QVERIFY(covered.ranges() == wanted.ranges());
    }
  }

  void protectionIsOpenedAsLittleAsNeeded() {
    const memory::Geometry g = mixed();
    COMPARE_TEXT(text(planned(program(0x90000, 256), g, full(0xFF), 7)),
                 "compare\nunprotect 1\nwrite p90000\nprotect 7\nconfirm\n");
    COMPARE_TEXT(text(planned(program(0xF0000, 256), g, full(0xFF), 7)),
                 "compare\nunprotect 0\nwrite pf0000\nprotect 7\nconfirm\n");
    COMPARE_TEXT(text(planned(program(0x10000, 256), g, full(0xFF), 4)), "compare\nwrite p10000\nconfirm\n");
    Wanted left = program(0x90000, 256);
    left.leaveProtection = true;
    VERIFY_CONTAINS(errorOf([&] { planned(left, g, full(0xFF), 7); }),
                    "bits 4..2 = 7, and 0x090000 – 0x09FFFF is to be changed");
    // A value that no level of the card has: nothing is known to be protected.
    COMPARE_TEXT(text(planned(program(0x90000, 256), g, full(0xFF), 3)), "compare\nwrite p90000\nconfirm\n");
  }

  void theBootBlockGoesFirstAndComesLast() {
    const memory::Geometry g = mixed();
    Wanted w = program(0, 0x3000);
    w.boot = 0x1010;
    MemoryImage contents = full(0x22);
    const Plan p = planned(w, g, contents);
    COMPARE_TEXT(text(p), "save\nerase 4 KiB@1000 4 KiB@0 4 KiB@2000\nwrite\nconfirm\n");
    QCOMPARE(p.find(StepKind::Write)->pages.back().address, 0x1000u);
    // It agrees, and is rewritten all the same while others change.
    contents.write(0x1000, Bytes(0x1000, 0x11));
    COMPARE_TEXT(text(planned(w, g, contents)), "save\nerase 4 KiB@1000 4 KiB@0 4 KiB@2000\nwrite\nconfirm\n");
    // Nothing else changes: nothing is erased for it.
    contents.write(0, Bytes(0x3000, 0x11));
    COMPARE_TEXT(text(planned(w, g, contents)), "confirm\n");
    // Others live in it: blotted out, and renewed at the end.
    Wanted shared = program(0, 0x1800);
    shared.boot = 0x1000;
    COMPARE_TEXT(text(planned(shared, g, full(0x22))),
                 "save\nwrite p1000\nerase 4 KiB@0\nwrite\nrenew 4 KiB@1000\nconfirm\n");
  }

  void onlyTheLowerPartCanBeReached() {
    memory::Geometry g;
    g.size = 32 << 20;
    g.erase = {{4096, 0.045, 0.4}};
    g.reachable = 16 << 20;
    QCOMPARE(kindOf([&] { planned(program((16 << 20) - 1, 2), g, {}); }), std::optional{ErrorKind::Refused});
    QCOMPARE(kindOf([&] { planned(program((32 << 20) - 1, 2), g, {}); }), std::optional{ErrorKind::Usage});
    Wanted all = program(0, 1);
    all.task = Task::Erase;
    all.all = true;
    QCOMPARE(kindOf([&] { planned(all, g, {}); }), std::optional{ErrorKind::Refused});
  }

  void bookmarksInsideAndOutsideThePart() {
    const memory::Geometry g = mixed();
    Wanted w = program(0x1000, 4096);
    w.lookAt = {{0x10, "here", {1, 2}},
                {0xFFFF8, "at the end", {}},
                {0x100000, "of a larger part", {}},
                {UINT64_MAX, "nowhere", {}}};
    const Plan p = planned(w, g, full(0x22));
    QVERIFY(p.find(StepKind::Look)->ranges == (std::vector<AddressRange>{{0x10, 0x12}, {0xFFFF8, 0x100000}}));
    for (const std::uint64_t at : {std::uint64_t{0xFFFFF}, std::uint64_t{0x100000}, UINT64_MAX}) {
      w.lookAt = {{at, "too far", {1, 2}}};
      VERIFY_CONTAINS(errorOf([&] { planned(w, g, full(0x22)); }),
                      "reaches past the end of boot-flash (bookmark \"too far\")");
    }
  }

  void whatASheetSaysBesides() {
    WorldOptions options;
    options.memory = R"(, "boot": "0x1000")";
    options.sheet = R"(, "edits": [{"memory": "boot-flash", "at": "0x2000", "bytes": "12 A5"}],
  "erase": [{"memory": "boot-flash", "from": "0x6000", "to": "0x6FFF", "note": "kept"}],
  "bookmarks": [{"memory": "boot-flash", "at": "0x10", "name": "a", "expect": "text:GO"}])";
    World world(options);
    const Wanted wanted = wantedFor(world.sheet(), "boot-flash", Task::Program);
    QCOMPARE(wanted.boot, std::optional<std::uint64_t>{0x1000});
    QCOMPARE(wanted.image.bytes({0x2000, 0x2002}), (Bytes{0x12, 0xA5}));
    QCOMPARE(wanted.lookAt.at(0).expected, (Bytes{'G', 'O'}));
    QCOMPARE(world.sheet().listedToErase("boot-flash"), (std::vector<AddressRange>{{0x6000, 0x7000}}));
    sheet::Sheet again = sheet::parseSheet(sheet::sheetText(world.sheet()), world.sheet().path);
    QVERIFY(again.edits == world.sheet().edits && again.erase == world.sheet().erase);
    again.edits.push_back({"boot-flash", 0x3000, {1}});
    again.erase.clear();
    const sheet::Sheet changed = sheet::parseSheet(sheet::sheetText(again), world.sheet().path);
    QVERIFY(changed.edits == again.edits && changed.erase.empty());
    for (const auto& [from, to, error] : std::vector<std::tuple<const char*, const char*, const char*>>{
             {"12 A5", "1", "edits[0].bytes: should be bytes in digits"},
             {"text:GO", "text:", "bookmarks[0].expect: should be bytes in digits"},
             {"0x6FFF", "0x5FFF", "erase[0].to: ends before it begins"},
             {"\"boot\": \"0x1000\"", "\"boot\": \"here\"", "memories[0].boot: should be a number"}}) {
      QString broken = QString::fromStdString(world.sheetText());
      QVERIFY(broken.contains(from));
      broken.replace(from, to);
      VERIFY_CONTAINS(errorOf([&] { sheet::parseSheet(broken.toStdString(), world.sheet().path); }), error);
    }
  }

  void anEstimateFollowsWhatThePartShows() {
    flash::BusyEstimate busy(0.045, 0.4);
    QVERIFY(!busy.measured());
    busy.sawNoEnd();
    QCOMPARE(busy.expected(), 0.09);
    busy.saw(0.03);
    QCOMPARE(busy.expected(), 0.03);
    QVERIFY(busy.wait() > 0.03 && busy.wait() < 0.0316);
    busy.saw(0.035);  // slower at once, faster only slowly
    QCOMPARE(busy.expected(), 0.035);
    busy.saw(0.034);
    QVERIFY(busy.expected() > 0.0348);
    for (int i = 0; i < 100; ++i) busy.wasTooShort();
    QVERIFY(busy.wait() <= 1.51 * busy.expected());
    for (int i = 0; i < 1000; ++i) busy.wasEnough();
    QVERIFY(busy.wait() < 1.05 * busy.expected());
  }

  void aCardIsHeldAgainstTheDevice() {
    flash::FlashEvidence part;
    part.id = {1, 0x7E, 0x4014};
    flash::PartCard card = flash::cardFromDevice("Quill", part);
    QVERIFY(card.id == part.id);
    const auto words = [&](std::optional<bool> wraps = {}) {
      std::string all;
      for (const flash::CardCheck& c : flash::checkCard(card, part, wraps))
        all += fmt::format("{} {}; ", c.key,
                           c.verdict == flash::CardCheck::Agrees        ? "yes"
                           : c.verdict == flash::CardCheck::Contradicts ? "no"
                                                                        : "?");
      return all;
    };
    COMPARE_TEXT(words(), "id yes; bank yes; size ?; page ?; erase 4 KiB ?; erase 64 KiB ?; ");
    COMPARE_TEXT(words(true), "id yes; bank yes; size yes; page ?; erase 4 KiB ?; erase 64 KiB ?; ");
    card.id.bank = 2;
    part.table.emplace();
    part.table->geometry = mixed();
    part.table->geometry.page = 128;
    part.table->commands.erase = {{0x20}, {0xD8}};
    card.commands.erase[1].opcode = 0x52;
    COMPARE_TEXT(words(), "id yes; bank no; size yes; page no; erase 4 KiB yes; erase 64 KiB no; ");
    QVERIFY(flash::cardFromDevice("Quill", part).geometry == part.table->geometry);
  }
};
IMPRIMO_TEST(ChangePlansTest);
#include "tst_change_plans.moc"
