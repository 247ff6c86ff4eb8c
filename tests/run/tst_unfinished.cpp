// SPDX-License-Identifier: GPL-3.0-or-later
//
// A run that did not end is finished by the next one: what shares a block with planned bytes comes back.
#include "core/run/earlier_run.h"
#include "core/store/folder_notes.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::store;
using namespace imprimo::test;

namespace {

WorldOptions keeping() {
  WorldOptions o;
  o.flash = quickFlash("256K");
  o.sheet = R"(, "keep": [{"memory": "boot-flash", "from": "0x3800", "to": "0x38FF"}])";
  return o;
}

/// A kept range in a block that also gets planned bytes.
struct Scene {
  Scene() : world(keeping()), old(bytesOf(1, 0x8000)), planned(bytesOf(2, 0x2800)) { world.fill(0, old); }
  Wanted wanted() { return world.wanted(Task::Program, imageAt(0x1000, planned)); }
  /// The link is gone for good from packet n on, as when the process is killed.
  Record lose(std::uint64_t packet) {
    world.bench();
    world.sim().dropLinkAtPacket(packet);
    Record record = world.carryOut(wanted());
    world.sim().restoreLink();
    world.reconnect();
    return record;
  }
  bool whole() {
    Bytes expected = old;
    std::copy(planned.begin(), planned.end(), expected.begin() + 0x1000);
    return world.cells(0, 0x8000) == expected;
  }
  FolderNotes notes() { return FolderNotes(world.path("unfinished").toStdString()); }
  World world;
  Bytes old, planned;
};

std::uint64_t packetsOfACleanRun() {
  Scene clean;
  clean.world.carryOut(clean.wanted());
  return clean.world.sim().packets();
}

/// A packet behind which the kept bytes are gone.
std::uint64_t losingPacket() {
  for (std::uint64_t n = packetsOfACleanRun(); n-- > 20;) {
    Scene s;
    s.lose(n);
    if (s.world.cells(0x3800, 0x100) != Bytes(s.old.begin() + 0x3800, s.old.begin() + 0x3900)) return n;
  }
  return 0;
}

}  // namespace

class UnfinishedTest : public QObject {
  Q_OBJECT
 private slots:
  void whereverItEndsTheNextOrdinaryRunPutsEverythingBack() {
    const std::uint64_t packets = packetsOfACleanRun();
    int gone = 0, cut = 0;
    for (std::uint64_t n = 20; n < packets; n += 2) {
      Scene s;
      const Record first = s.lose(n);
      if (n % 3 == 0) {
        s.world.sim().board().cyclePower();  // and the supply goes in the middle of what was under way
        ++cut;
      }
      gone += s.world.cells(0x3800, 0x100) != Bytes(s.old.begin() + 0x3800, s.old.begin() + 0x3900) ? 1 : 0;
      QCOMPARE(s.notes().open().empty(), !first.changed);
      const Record next = s.world.carryOut(s.wanted());
      QVERIFY2(next.outcome == Outcome::Verified, next.message.c_str());
      QVERIFY2(s.whole(), first.message.c_str());
      QVERIFY(s.notes().open().empty());
    }
    QVERIFY(gone > 3 && cut > 10);
  }

  void theMessageNamesWhatIsMissing() {
    const std::uint64_t n = losingPacket();
    QVERIFY(n > 0);
    Scene s;
    const Record lost = s.lose(n);
    VERIFY_CONTAINS(lost.message,
                    "Not yet put back: the kept bytes in 0x003800 – 0x003FFF; the next run does that first.");
    // Who only looks says so, and changes nothing.
    Wanted look = s.world.wanted(Task::Verify, imageAt(0x1000, s.planned));
    const Record verified = s.world.carryOut(look);
    VERIFY_CONTAINS(verified.steps[1].note,
                    "did not end: it was changing 0x001000 – 0x003FFF, with the kept bytes 0x003800 – 0x0038FF");
    QCOMPARE(s.notes().open().size(), std::size_t{1});
    // A dry run shows it as the first thing.
    const Record dry = s.world.carryOut(s.wanted(), {}, nullptr, true);
    QCOMPARE(dry.plan->steps.at(2).kind, StepKind::Finish);
    QCOMPARE(s.notes().open().size(), std::size_t{1});
    // Its copy is not the one that was made of the half-erased state.
    const Record next = s.world.carryOut(s.wanted());
    QVERIFY(s.whole());
    const CopyStore store(s.world.path("copies").toStdString());
    for (const StoredCopy& copy : store.list()) {
      QCOMPARE(copy.of.unfinished, copy.path.filename() != lost.backup.filename());
    }
  }

  void anotherBoardIsLeftAloneUntilItIsDecided() {
    const std::uint64_t n = losingPacket();
    for (const auto choice : {Wanted::Earlier::Finish, Wanted::Earlier::Forget}) {
      Scene s;
      s.lose(n);
      const Bytes other = bytesOf(9, 0x8000);
      s.world.swapBoard();
      s.world.fill(0, other);
      Wanted wanted = s.wanted();
      const Record refused = s.world.carryOut(wanted);
      QCOMPARE(refused.outcome, Outcome::Refused);
      QVERIFY(refused.unfinishedWork && !refused.changed);
      VERIFY_CONTAINS(refused.message, "whether this is the board that it was on cannot be known");
      QCOMPARE(s.world.cells(0, 0x8000), other);
      wanted.earlier = choice;
      const Record decided = s.world.carryOut(wanted);
      QVERIFY2(decided.outcome == Outcome::Verified, decided.message.c_str());
      const Bytes kept = choice == Wanted::Earlier::Finish ? s.old : other;
      QCOMPARE(s.world.cells(0x3800, 0x100), Bytes(kept.begin() + 0x3800, kept.begin() + 0x3900));
      QVERIFY(s.notes().open().empty());
    }
  }

  /// Another process is at work on another board of this kind: its note is its own.
  void aNoteOfAProcessThatRunsIsLeftAlone() {
    Scene s;
    s.lose(losingPacket());
    FolderNotes notes = s.notes();
    RunNote note = notes.open().at(0);
    QVERIFY(note.process.empty());
    note.process = thisProcess();
    QVERIFY(stillRuns(note.process));
    notes.put(note);
    QVERIFY(earlierRuns(notes, note.of).empty());
    // A number that was given to somebody else since.
    note.process = note.process.substr(0, note.process.find('-')) + "-1";
    QVERIFY(!stillRuns(note.process));
    notes.put(note);
    QCOMPARE(earlierRuns(notes, note.of).size(), std::size_t{1});
    for (const char* nobody : {"", "-", "x-1", "4194305-1", "1"}) QVERIFY(!stillRuns(nobody));
  }

  void aNoteComesBackAsItWas() {
    RunNote note;
    note.begun = "2031-04-05T06:07:08Z";
    note.of = {"boot-flash", "a \"sheet\"", "0x7e4017", 3, 1 << 20, "51a7"};
    note.sheetFile = "/some/where";
    note.blocks = {{0, 0x1000}};
    note.others = {{0x10, 0x20}};
    note.kept = {{0x12, 0x13}};
    note.pattern = true;
    note.copy = "x.json";
    note.witnesses = {{{0x2000, 0x3000}, 0xDEADBEEF}};
    note.protection = {"status 1", 0x1C};
    flash::FoundModes modes;
    modes.address = flash::AddressMode::FourBytes;
    modes.upper = 1;
    modes.asleep.emplace();
    note.modes = flash::modesText(modes);
    const std::string text = noteText(note);
    COMPARE_TEXT(noteText(parseNote(text, "n")), text);
    VERIFY_CONTAINS(errorOf([&] { parseNote(text.substr(0, text.size() / 2), "n"); }), "n:");
  }
};
IMPRIMO_TEST(UnfinishedTest);
#include "tst_unfinished.moc"
