// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/run/runner.h"

#include <QDir>
#include <QFile>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>

#include "core/base/input_file.h"
#include "core/run/job.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::test;

namespace {

constexpr std::size_t kSize = 1 << 20;

WorldOptions keeping(const std::string& faults = "") {
  WorldOptions options;
  options.flash =
      R"("size": "1M", "times": {"page": [0.0004, 0.003], "4K": [0.002, 0.02], "32K": [0.003, 0.03], "64K": [0.004, 0.04], "chip": [1, 9]})";
  if (!faults.empty()) options.flash += ", \"faults\": [" + faults + "]";
  options.sheet = R"(, "keep": [{"memory": "boot-flash", "from": "0x2800", "to": "0x2FFF"}])";
  return options;
}

MemoryImage image(std::uint64_t at, const Bytes& bytes) {
  MemoryImage i;
  i.write(at, bytes);
  return i;
}

/// Old data from 0 to 0x6000, and an image whose end shares a block with kept bytes.
struct Scene {
  explicit Scene(const std::string& faults = "", unsigned seed = 71) : world(keeping(faults)) {
    std::mt19937 random(seed);
    old = randomBytes(random, 0x6000);
    world.fill(0, old);
    fresh = randomBytes(random, 0x2300);
    wanted = world.wanted(Task::Program, image(0x400, fresh));
  }
  Bytes expected() const {
    Bytes bytes = old;
    std::copy(fresh.begin(), fresh.end(), bytes.begin() + 0x400);
    return bytes;
  }
  World world;
  Bytes old, fresh;
  Wanted wanted;
};

/// A fault of this program in the middle of a run.
struct Faulty : RunObserver {
  void planned(const PlanPtr& plan) override { last = *plan; }
  void stepStarted(std::size_t i) override {
    if (last.steps.at(i).kind == StepKind::Erase) throw std::logic_error("made to fail");
  }
  Plan last;
};

struct Steps : RunObserver {
  void planned(const PlanPtr& plan) override { last = *plan; }
  void stepStarted(std::size_t i) override { started.push_back(last.steps.at(i).kind); }
  void advanced(std::size_t, const AddressRange& range, const Amount&) override {
    ++advances;
    if (stopAt != 0 && advances == stopAt) source.request_stop();
    ranges.push_back(range);
  }
  Plan last;
  std::vector<StepKind> started;
  std::vector<AddressRange> ranges;
  std::size_t advances = 0, stopAt = 0;
  std::stop_source source;
};

}  // namespace

class RunnerTest : public QObject {
  Q_OBJECT
 private slots:
  void aFaultOfTheProgramEndsARunAndIsInItsRecord() {
    Scene s;
    Faulty faulty;
    const Record record = s.world.carryOut(s.wanted, {}, &faulty);
    QCOMPARE(record.error, std::optional{ErrorKind::Internal});
    VERIFY_CONTAINS(record.message, "this is a fault of Imprimo: made to fail");
    QCOMPARE(s.world.carryOut(s.wanted).outcome, Outcome::Verified);
  }

  void programsAndConfirmsAndKeepsTheRest() {
    Scene s;
    Steps steps;
    const Record record = s.world.carryOut(s.wanted, {}, &steps);
    QCOMPARE(record.outcome, Outcome::Verified);
    QCOMPARE(s.world.cells(0, 0x6000), s.expected());
    QCOMPARE(record.erased, (std::vector<AddressRange>{{0, 0x3000}}));
    QVERIFY(steps.started == (std::vector{StepKind::CheckChain, StepKind::Identify, StepKind::Read, StepKind::Save,
                                          StepKind::Renew, StepKind::Erase, StepKind::Write, StepKind::Confirm}));
    QVERIFY(record.changed);
    QVERIFY(record.steps.back().finished);
    COMPARE_TEXT(s.world.sim().violations(), "");
    // Again: nothing is left to do, and nothing is done.
    s.world.flash().clearJournal();
    const Record again = s.world.carryOut(s.wanted);
    QCOMPARE(again.outcome, Outcome::Verified);
    QVERIFY(!again.changed);
    QVERIFY(!QString::fromStdString(s.world.flash().journal()).contains("erase"));
    QVERIFY(!QString::fromStdString(s.world.flash().journal()).contains("program"));
    COMPARE_TEXT(again.message, "boot-flash already holds what is planned: nothing had to be written.");
  }

  void whatIsDestroyedIsSavedFirstAndCanBePlacedAgain() {
    Scene s;
    const Record record = s.world.carryOut(s.wanted);
    const MemoryImage copy = s.world.copy(record.backup);
    QCOMPARE(copy.bytes({0, 0x3000}), Bytes(s.old.begin(), s.old.begin() + 0x3000));
    Wanted back = s.world.wanted(Task::Program, copy);
    back.keep.clear();
    QCOMPARE(s.world.carryOut(back).outcome, Outcome::Verified);
    QCOMPARE(s.world.cells(0, 0x6000), s.old);
  }

  void noCopyNoErase() {
    Scene s;
    QFile(s.world.path("copies")).open(QIODevice::WriteOnly);  // a file where the folder should be
    s.world.flash().clearJournal();
    const Record record = s.world.carryOut(s.wanted);
    QCOMPARE(record.outcome, Outcome::Failed);
    QCOMPARE(record.error, std::optional{ErrorKind::CannotWrite});
    QVERIFY(!record.changed);
    QVERIFY(!QString::fromStdString(s.world.flash().journal()).contains("erase"));
    QCOMPARE(s.world.cells(0, 0x6000), s.old);
  }

  void aDryRunChangesNothingAndStoresNothing() {
    Scene s;
    const Record record = s.world.carryOut(s.wanted, {}, nullptr, true);
    QCOMPARE(record.outcome, Outcome::Planned);
    QVERIFY(record.plan->complete);
    QCOMPARE(s.world.cells(0, 0x6000), s.old);
    QVERIFY(!QDir(s.world.path("copies")).exists());
    QVERIFY(!QDir(s.world.path("records")).exists());
  }

  void recordsSayWhatHappened() {
    Scene s;
    s.world.carryOut(s.wanted);
    const QDir folder(s.world.path("records"));
    const QStringList files = folder.entryList({"*.json"});
    QCOMPARE(files.size(), 1);
    const auto json =
        QJsonDocument::fromJson(QByteArray::fromStdString(readTextFile(folder.filePath(files[0]).toStdString())))
            .object();
    QCOMPARE(json["result"].toString(), "verified");
    QCOMPARE(json["steps"].toArray().size(), 8);
    QCOMPARE(json["erased"].toArray()[0].toObject()["to"].toString(), "0x002FFF");
  }

  /// Random contents, random pieces: afterwards the part holds exactly what was planned, and nothing else changed.
  void randomJobsDoWhatTheySay() {
    for (unsigned seed = 0; seed < 25; ++seed) {
      std::mt19937 random(seed);
      World world(keeping(seed % 3 == 0 ? R"({"kind": "jitter", "mask": 30})" : ""));
      Bytes cells(kSize, 0xFF);
      for (int i = 0; i < 6; ++i) {
        const std::size_t at = below(random, 0x20000);
        const Bytes some = randomBytes(random, below(random, 0x4000));
        std::copy(some.begin(), some.end(), cells.begin() + static_cast<long>(at));
      }
      world.fill(0, cells);
      Wanted wanted = world.wanted(seed % 4 == 3 ? Task::Erase : Task::Program);
      for (int i = 0; i < 4; ++i) {
        const std::size_t at = 0x3000 + below(random, 0x1D000);
        Bytes some = randomBytes(random, 1 + below(random, 0x3000));
        if (random() % 3 == 0) std::fill(some.begin(), some.end(), std::uint8_t{0xFF});
        if (wanted.task == Task::Erase) {
          wanted.ranges.push_back({at, at + some.size()});
          std::fill(some.begin(), some.end(), std::uint8_t{0xFF});
        } else {
          wanted.image.write(at, some);
        }
        std::copy(some.begin(), some.end(), cells.begin() + static_cast<long>(at));
      }
      const Record record = world.carryOut(wanted);
      QVERIFY2(record.good(), qPrintable(QString::fromStdString(record.message)));
      QCOMPARE(world.cells(0, kSize), cells);
      COMPARE_TEXT(world.sim().violations(), "");
    }
  }

  /// The link breaks at packet n, for every n: what is reported is true, kept bytes are there or in the copy that the
  /// message names, and a second run succeeds.
  void theLinkMayBreakAnywhere() {
    std::uint64_t packets = 0;
    {
      Scene clean;
      clean.world.carryOut(clean.wanted);
      packets = clean.world.sim().packets();
    }
    for (std::uint64_t n = 12; n < packets; n += 1 + packets / 150) {
      Scene s;
      s.world.bench();
      s.world.sim().dropLinkAtPacket(n);
      const Record broken = s.world.carryOut(s.wanted);
      QCOMPARE(broken.error, std::optional{ErrorKind::LinkLost});
      QCOMPARE(broken.outcome, broken.changed ? Outcome::Stopped : Outcome::Failed);
      const Bytes now = s.world.cells(0, 0x6000);
      if (!broken.changed) QCOMPARE(now, s.old);
      QVERIFY(std::equal(now.begin() + 0x3000, now.end(), s.old.begin() + 0x3000));  // never outside the planned blocks
      const bool keptThere = std::equal(now.begin() + 0x2800, now.begin() + 0x3000, s.old.begin() + 0x2800);
      if (!keptThere) {
        VERIFY_CONTAINS(broken.message, broken.backup.string());
        QCOMPARE(s.world.copy(broken.backup).bytes({0x2800, 0x3000}),
                 Bytes(s.old.begin() + 0x2800, s.old.begin() + 0x3000));
      }
      for (const AddressRange& r : broken.erased) QVERIFY((AddressRange{0, 0x3000}.contains(r)));
      s.world.sim().restoreLink();
      s.world.reconnect();
      // What an operation destroyed before its link went is put back from its copy first.
      if (!keptThere) {
        Wanted back = s.world.wanted(Task::Program, image(0x2800, s.world.copy(broken.backup).bytes({0x2800, 0x3000})));
        back.keep.clear();
        QCOMPARE(s.world.carryOut(back).outcome, Outcome::Verified);
      }
      const Record second = s.world.carryOut(s.wanted);
      QVERIFY2(second.outcome == Outcome::Verified, qPrintable(QString::fromStdString(second.message)));
      const Bytes after = s.world.cells(0x400, 0x2300);
      QCOMPARE(after, s.fresh);
      QCOMPARE(s.world.cells(0x2800, 0x800), Bytes(s.old.begin() + 0x2800, s.old.begin() + 0x3000));
    }
  }

  void aShortOrRefusedAnswerAnywhereIsALostLink() {
    for (std::uint64_t n = 14; n < 120; n += 7) {
      for (const bool refuse : {false, true}) {
        Scene s;
        s.world.bench();
        refuse ? s.world.sim().refuseAtPacket(n) : s.world.sim().shortenAnswerAtPacket(n);
        const Record record = s.world.carryOut(s.wanted);
        if (record.good()) continue;  // an answer nobody needs all of
        QCOMPARE(record.error, std::optional{ErrorKind::LinkLost});
        if (record.changed) VERIFY_CONTAINS(record.message, "boot-flash now holds:");
      }
    }
  }

  /// A stop after the k-th piece of progress, for every k.
  void stoppingAnywhereLeavesKeptBytesAndTellsTheTruth() {
    std::size_t pieces = 0;
    {
      Scene clean;
      Steps steps;
      clean.world.carryOut(clean.wanted, {}, &steps);
      pieces = steps.advances;
    }
    QVERIFY(pieces > 10);
    for (std::size_t k = 1; k < pieces; ++k) {
      Scene s;
      Steps steps;
      steps.stopAt = k;
      const Record record = s.world.carryOut(s.wanted, steps.source.get_token(), &steps);
      QCOMPARE(s.world.cells(0x2800, 0x800), Bytes(s.old.begin() + 0x2800, s.old.begin() + 0x3000));
      if (record.outcome == Outcome::Verified) continue;  // it was all over by then
      QCOMPARE(record.outcome, Outcome::Stopped);
      QCOMPARE(record.error, std::optional{ErrorKind::Stopped});
      if (!record.changed) QCOMPARE(s.world.cells(0, 0x6000), s.old);
      VERIFY_CONTAINS(record.message, record.changed ? "nothing else was addressed" : "Nothing was touched");
      COMPARE_TEXT(s.world.sim().violations(), "");
      QCOMPARE(s.world.carryOut(s.wanted).outcome, Outcome::Verified);
      QCOMPARE(s.world.cells(0x400, 0x2300), s.fresh);
    }
  }

  void aBlockThatWillNotErase() {
    Scene s(R"({"kind": "stuck-block", "at": "0x1000"})");
    const Record record = s.world.carryOut(s.wanted);
    QCOMPARE(record.error, std::optional{ErrorKind::NotErased});
    VERIFY_CONTAINS(record.message, "block 0x001000 – 0x001FFF did not change when it was erased");
    VERIFY_CONTAINS(record.message, "a guess");
    QVERIFY(record.changed);
    QCOMPARE(s.world.cells(0x1000, 0x1000), Bytes(s.old.begin() + 0x1000, s.old.begin() + 0x2000));
    COMPARE_TEXT(s.world.sim().violations(), "");  // nothing was programmed over it
  }

  void aByteThatWillNotErase() {
    Scene s(R"({"kind": "stuck-low", "at": "0x1234", "mask": 255})");
    const Record record = s.world.carryOut(s.wanted);
    QCOMPARE(record.error, std::optional{ErrorKind::NotErased});
    VERIFY_CONTAINS(record.message, "0x001234 did not erase: 0x001234 should hold");
    QCOMPARE(record.first->address, 0x1234u);
    QCOMPARE(record.first->found, 0x00);
  }

  void aByteThatWillNotProgram() {
    Scene s(R"({"kind": "stuck-high", "at": "0x1234", "mask": 255})");
    const Record record = s.world.carryOut(s.wanted);
    QCOMPARE(record.error, std::optional{ErrorKind::NotProgrammed});
    VERIFY_CONTAINS(record.message, "0x001234 would not program: 0x001234 should hold");
    QCOMPARE(record.differences, 1u);
  }

  void aBlockThatDidNotChangeIsPerhapsProtected() {
    // Blank cells that are silently locked: nothing has to be erased, the programming is ignored.
    Scene s(R"({"kind": "silent-lock", "at": "0x8000", "to": "0x8FFF"})");
    const Record record = s.world.carryOut(s.world.wanted(Task::Program, image(0x8000, Bytes(64, 0x12))));
    VERIFY_CONTAINS(record.message, "block 0x008000 – 0x008FFF did not change");
    VERIFY_CONTAINS(record.message, "It looks as if the part protects it (a guess");
  }

  void verifyAndBlankOnlyLook() {
    Scene s;
    Wanted verify = s.world.wanted(Task::Verify, image(0, s.old));
    QCOMPARE(s.world.carryOut(verify).outcome, Outcome::Match);
    verify.image.write(0x123, Bytes{static_cast<std::uint8_t>(s.old[0x123] ^ 0xFF)});
    const Record differs = s.world.carryOut(verify);
    QCOMPARE(differs.outcome, Outcome::Mismatch);
    QCOMPARE(differs.first->address, 0x123u);
    QCOMPARE(differs.differences, 1u);
    Wanted blank = s.world.wanted(Task::Blank);
    blank.ranges = {{0x6000, kSize}};
    QCOMPARE(s.world.carryOut(blank).outcome, Outcome::Blank);
    s.world.flash().cells().set(0x7777, 0xFE);
    const Record held = s.world.carryOut(blank);
    QCOMPARE(held.outcome, Outcome::NotBlank);
    VERIFY_CONTAINS(held.message, "0x007777 holds 0xFE");
    QVERIFY(!QString::fromStdString(s.world.flash().journal()).contains("erase"));
  }

  void anotherChainStopsEverything() {
    WorldOptions options = keeping();
    options.boardDiffers = true;
    World world(options);
    const Record record = world.carryOut(world.wanted(Task::Program, image(0, {1, 2, 3})));
    QCOMPARE(record.outcome, Outcome::Refused);
    QCOMPARE(record.error, std::optional{ErrorKind::ChainMismatch});
    VERIFY_CONTAINS(record.message, "part 1 should be 0x11001ffd (p1), found 0x99999ffd");
    VERIFY_CONTAINS(record.message, "<- differs");
    QVERIFY(world.flash().commands().empty());
  }

  void restartPulsesTheReset() {
    Scene s;
    Wanted wanted = s.wanted;
    wanted.restart = true;
    QCOMPARE(s.world.carryOut(wanted).outcome, Outcome::Verified);
    QCOMPARE(s.world.sim().board().resets(), 1u);
  }

  void filesThatAreTooLargeAreNamed() {
    Scene s;
    writeFile(s.world.path("big.bin"), Bytes(kSize + 1, 0));
    Placement placement{"boot-flash", s.world.path("big.bin").toStdString(), 0, false};
    const Wanted wanted = wantedFor(s.world.sheet(), "boot-flash", Task::Program, std::vector{placement});
    const Record record = s.world.carryOut(wanted);
    QCOMPARE(record.error, std::optional{ErrorKind::Usage});
    VERIFY_CONTAINS(record.message,
                    "big.bin (1.00 MiB) takes 0x000000 – 0x100000, but boot-flash ends at 0x0FFFFF (1 MiB)");
    QCOMPARE(kindOf([&] { wantedFor(s.world.sheet(), "nothing", Task::Program); }), std::optional{ErrorKind::Usage});
    QCOMPARE(kindOf([&] { wantedFor(s.world.sheet(), "boot-flash", Task::Program); }), std::optional{ErrorKind::Usage});
  }

 private:
  static void writeFile(const QString& path, const Bytes& bytes) {
    QFile file(path);
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write(reinterpret_cast<const char*>(bytes.data()), static_cast<qint64>(bytes.size()));
  }
};
IMPRIMO_TEST(RunnerTest);
#include "tst_runner.moc"
