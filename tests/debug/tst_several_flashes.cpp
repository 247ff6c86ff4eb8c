// SPDX-License-Identifier: GPL-3.0-or-later
//
// Several flashes of one core, each with an algorithm of its own: in the chip, its configuration words as bytes, and a
// serial one beside it that is mapped into the address space. And one that begins above its size.
#include <fmt/format.h>

#include "core/base/input_file.h"
#include "core/store/copy_store.h"
#include "core/store/folder_notes.h"
#include "tests/support/check.h"
#include "tests/support/core_world.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;
using plan::Task;
using plan::Wanted;
using run::Outcome;
using run::Record;

namespace {

constexpr std::uint64_t kOutside = 0x60000000, kWords = 0x1FFF0000;

CoreWorldOptions withThree(bool jtag = false) {
  CoreWorldOptions o;
  o.jtag = jtag;
  o.core = R"(, "words_at": "0x1FFF0000", "outside": {"times": {"sector": 0.002, "page": 0.0001}})";
  const std::string card = R"({"core_card": 1, "name": "BECK_K0", "regions": [
 {"name": "program", "kind": "flash", "from": "0x0", "size": "0x40000", "algorithm": "a.flm"},
 {"name": "words", "kind": "flash", "from": "0x1FFF0000", "size": "0x100", "algorithm": "words.flm"},
 {"name": "outside", "kind": "flash", "from": "0x60000000", "size": "0x100000", "algorithm": "outside.flm"},
 {"name": "sram", "kind": "ram", "from": "0x20000000", "size": "0x4000"}]})";
  const std::string demo = std::string(IMPRIMO_DEMO) + "/float/";
  o.files = {{"three.json", Bytes(card.begin(), card.end())},
             {"words.flm", readFile(demo + "beck_k0_words.flm")},
             {"outside.flm", readFile(demo + "beck_k0_outside.flm")}};
  o.described = R"("card": "three.json")";
  for (const char* name : {"words", "outside"})
    o.memories += fmt::format(
        R"(, {{"name": "{0}", "type": "core-flash", "route": {{"via": "core", "core": "core", "region": "{0}"}}}})",
        name);
  return o;
}

Wanted in(CoreWorld& w, const char* memory, std::uint64_t at, const Bytes& bytes) {
  Wanted wanted = w.wanted(Task::Program, imageAt(at, bytes));
  wanted.memory = memory;
  return wanted;
}

bool holds(const Bytes& cells, std::size_t at, const Bytes& bytes) {
  return std::equal(bytes.begin(), bytes.end(), cells.begin() + static_cast<std::ptrdiff_t>(at));
}

}  // namespace

class SeveralFlashesTest : public QObject {
  Q_OBJECT
 private slots:
  void eachIsWrittenByItsOwnAlgorithm_data() {
    QTest::addColumn<bool>("jtag");
    QTest::newRow("SWD") << false;
    QTest::newRow("JTAG") << true;
  }
  void eachIsWrittenByItsOwnAlgorithm() {
    QFETCH(const bool, jtag);
    CoreWorld w(withThree(jtag));
    for (unsigned round = 0; round < 2; ++round) {
      const Bytes a = bytesOf(10 + round, 0x1800), b = bytesOf(20 + round, 0x40), c = bytesOf(30 + round, 0x2345);
      const Record first = w.carryOut(in(w, "program", 0x1000, a));
      QVERIFY2(first.outcome == Outcome::Verified, first.message.c_str());
      const Record second = w.carryOut(in(w, "outside", kOutside + 0x1F00, c));
      QVERIFY2(second.outcome == Outcome::Verified, second.message.c_str());
      const Record third = w.carryOut(in(w, "words", kWords + 0x40, b));
      QVERIFY2(third.outcome == Outcome::Verified, third.message.c_str());
      QVERIFY(holds(w.chip().flash(), 0x1000, a));
      QVERIFY(holds(w.chip().words()->bytes(), 0x40, b));
      QVERIFY(holds(w.chip().outside()->bytes(), 0x1F00, c));
    }
    w.reconnect();
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  /// A block beside the one that changes is put back, and what agrees is found by sums that the core makes of it.
  void onlyWhatDiffersIsWrittenOutside() {
    CoreWorld w(withThree());
    Bytes old = bytesOf(7, 0x8000);
    std::copy(old.begin(), old.end(), w.chip().outside()->bytes().begin());
    Bytes fresh = old;
    fresh[0x3456] ^= 0xFF;
    const Record record = w.carryOut(in(w, "outside", kOutside, fresh));
    QVERIFY2(record.outcome == Outcome::Verified, record.message.c_str());
    QCOMPARE(record.erased.size(), 1u);
    QCOMPARE(record.erased[0].begin, kOutside + 0x3000);
    QCOMPARE(record.erased[0].size(), 0x1000u);
    QVERIFY(holds(w.chip().outside()->bytes(), 0, fresh));
    const Record part = w.carryOut(in(w, "outside", kOutside + 0x5010, bytesOf(8, 0x10)));
    QVERIFY2(part.outcome == Outcome::Verified, part.message.c_str());
    QVERIFY(holds(w.chip().outside()->bytes(), 0x5020, Bytes(old.begin() + 0x5020, old.begin() + 0x6000)));
    w.reconnect();
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  /// The link is lost while it takes commands, so that it is not mapped: the next run finds and finishes it.
  void aLostLinkLeavesItForTheNextRun() {
    int broken = 0;
    for (std::uint64_t packet = 10; packet < 260; packet += 25) {
      CoreWorld w(withThree());
      const Bytes old = bytesOf(7, 0x4000), fresh = bytesOf(9, 0x2800);
      std::copy(old.begin(), old.end(), w.chip().outside()->bytes().begin());
      w.bench().core("core");
      w.sim().dropLinkAtPacket(w.sim().packets() + packet);
      const Wanted wanted = in(w, "outside", kOutside + 0x400, fresh);
      const Record record = w.carryOut(wanted);
      if (record.good()) continue;
      ++broken;
      w.sim().restoreLink();
      w.reconnect();
      Wanted again = wanted;
      again.earlier = Wanted::Earlier::Finish;
      const Record next = w.carryOut(again);
      QVERIFY2(next.outcome == Outcome::Verified,
               (std::to_string(packet) + ": " + next.message + "; first: " + record.message).c_str());
      QVERIFY(holds(w.chip().outside()->bytes(), 0x400, fresh));
      QVERIFY(holds(w.chip().outside()->bytes(), 0, Bytes(old.begin(), old.begin() + 0x400)));
      QVERIFY(holds(w.chip().outside()->bytes(), 0x2C00, Bytes(old.begin() + 0x2C00, old.end())));
    }
    QVERIFY(broken > 3);
  }

  /// Notes and copies have the memory's own addresses, far above its size.
  void aBrokenRunIntoAFlashElsewhereIsFinished() {
    constexpr std::uint64_t kAt = 0x08000000;
    CoreWorldOptions o;
    o.flashAt = kAt;
    CoreWorld w(o);
    const Bytes old = bytesOf(4, 0x4000), fresh = bytesOf(5, 0x1800);
    std::copy(old.begin(), old.end(), w.chip().flash().begin());
    const Wanted wanted = w.wanted(Task::Program, imageAt(kAt + 0x400, fresh));
    w.bench();
    w.chip().hangOperation(w.chip().operations() + 3);  // an erase was done, and some words
    const Record broken = w.carryOut(wanted);
    QVERIFY(!broken.good() && broken.changed);
    store::CopyStore copies(w.path("copies").toStdString());
    QCOMPARE(copies.list().size(), 1u);
    QCOMPARE(copies.contents(copies.list().front()).bytes({kAt, kAt + 0x400}), Bytes(old.begin(), old.begin() + 0x400));
    w.reconnect();
    Wanted again = wanted;
    again.earlier = Wanted::Earlier::Finish;
    const Record next = w.carryOut(again);
    QVERIFY2(next.outcome == Outcome::Verified, next.message.c_str());
    QCOMPARE(next.earlier.size(), 1u);
    QVERIFY(std::equal(old.begin(), old.begin() + 0x400, w.chip().flash().begin()));
    QVERIFY(std::equal(fresh.begin(), fresh.end(), w.chip().flash().begin() + 0x400));
    QVERIFY(std::equal(old.begin() + 0x1C00, old.end(), w.chip().flash().begin() + 0x1C00));
    QVERIFY(store::FolderNotes(w.path("unfinished").toStdString()).open().empty());
  }
};

IMPRIMO_TEST(SeveralFlashesTest);
#include "tst_several_flashes.moc"
