// SPDX-License-Identifier: GPL-3.0-or-later
//
// What a run proves beside its own bytes: bookmarks, second reads, the order that keeps a half image from booting, and
// whether the bench itself can be trusted.
#include <QFile>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>

#include "core/probe/dap/dap_probe.h"
#include "core/run/job.h"
#include "core/run/runner.h"
#include "tests/support/check.h"
#include "tests/support/loop_transport.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::test;

namespace {

WorldOptions quick(const std::string& flash = {}, const std::string& sheet = {}) {
  WorldOptions o;
  o.flash =
      R"("size": "256K", "times": {"page": [0.0004, 0.003], "4K": [0.002, 0.02], "32K": [0.003, 0.03], "64K": [0.004, 0.04], "chip": [1, 9]})" +
      flash;
  o.sheet = sheet;
  return o;
}

}  // namespace

class ProofsTest : public QObject {
  Q_OBJECT
 private slots:
  void bookmarksAreLookedAtAfterARunAndKeptInTheRecord() {
    World world(quick({}, R"(, "bookmarks": [
      {"memory": "boot-flash", "at": "0x8000", "name": "fallback header", "expect": "text:GAUGE"},
      {"memory": "boot-flash", "at": "0x100", "name": "entry"},
      {"memory": "boot-flash", "at": "0x3FFFC", "name": "end", "expect": "FF FF FF FF"}])"));
    world.fill(0x8000, {'G', 'A', 'U', 'G', 'E'});
    Placement placement;
    placement.file = world.path("a.bin").toStdString();
    QFile file(world.path("a.bin"));
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write(QByteArray(600, 'x'));
    file.close();
    placement.at = 0;
    placement.memory = "boot-flash";
    Wanted wanted = wantedFor(world.sheet(), "boot-flash", Task::Program, std::vector{placement});
    const Record good = world.carryOut(wanted);
    QVERIFY2(good.outcome == Outcome::Verified, good.message.c_str());
    QCOMPARE(good.looked.size(), 3u);
    QCOMPARE(good.looked[1].found, Bytes(16, 'x'));
    COMPARE_TEXT(good.steps.back().note, "2 bookmarks as expected, 1 only read");

    world.fill(0x8000, {'g'});
    const Record bad = world.carryOut(wanted);
    QCOMPARE(bad.outcome, Outcome::Mismatch);
    VERIFY_CONTAINS(
        bad.message,
        "The bookmark \"fallback header\" at 0x008000 should hold 47 41 55 47 45 and holds 67 41 55 47 45.");
    const auto json = QJsonDocument::fromJson(QByteArray::fromStdString(bad.text())).object();
    const QJsonObject mark = json["bookmarks"].toArray()[0].toObject();
    QCOMPARE(mark["as_expected"].toBool(), false);
    QCOMPARE(mark["found"].toString(), "6741554745");
    wanted.lookAt.push_back({0x40000, "too far", Bytes{1}});
    VERIFY_CONTAINS(world.carryOut(wanted).message, "too far");
  }

  void aSecondReadIsCompared() {
    World world(quick());
    std::mt19937 random(1);
    world.fill(0, randomBytes(random, 0x10000));
    Wanted wanted = world.wanted(Task::Read);
    wanted.ranges = {{0, 0x10000}};
    wanted.twice = true;
    const Record good = world.carryOut(wanted);
    COMPARE_TEXT(good.message, "Read 64 KiB of boot-flash, twice, and both reads are the same.");
    world.flash().corruptRead(world.flash().bytesRead() + 0x9000, 0x04);
    const Record bad = world.carryOut(wanted);
    QCOMPARE(bad.outcome, Outcome::Mismatch);
    QCOMPARE(bad.differences, 1u);
    VERIFY_CONTAINS(bad.message, "Two reads of boot-flash differ at 0x00");
  }

  void readingGoesOnBehindALostLink() {
    World world(quick());
    std::mt19937 random(2);
    const Bytes cells = randomBytes(random, 0x40000);
    world.fill(0, cells);
    Wanted wanted = world.wanted(Task::Read);
    wanted.all = true;
    int opened = 0;
    world.bench().setReopen([&] {
      ++opened;
      world.sim().restoreLink();
      if (opened == 1) world.sim().dropLinkAtPacket(world.sim().packets() + 200);
      probe::ProbeOptions settings;
      settings.clockHz = 10'000'000;
      return std::make_unique<probe::DapProbe>(std::make_unique<LoopTransport>(world.sim()), settings);
    });
    world.bench().at("boot-flash").identify();
    world.sim().dropLinkAtPacket(world.sim().packets() + 300);
    const Record record = world.carryOut(wanted);
    QVERIFY2(record.outcome == Outcome::Read, record.message.c_str());
    QCOMPARE(opened, 2);
    QCOMPARE(record.bytes, 0x40000u);
    QCOMPARE(world.bench().at("boot-flash").contents().bytes({0, 0x40000}), cells);
    VERIFY_CONTAINS(record.steps[2].note, "reading went on from there");
  }

  void readingGivesUpWhereNobodyCanReopen() {
    World world(quick());
    Wanted wanted = world.wanted(Task::Read);
    wanted.all = true;
    world.bench().at("boot-flash").identify();
    world.sim().dropLinkAtPacket(world.sim().packets() + 300);
    QCOMPARE(world.carryOut(wanted).error, std::optional{ErrorKind::LinkLost});
  }

  /// At whatever point the run is stopped, the boot block is whole only when all of the image is there.
  void aHalfWrittenImageNeverLooksWhole() {
    for (const bool shared : {false, true}) {
      for (const bool bootAgrees : {false, true}) {
        std::mt19937 random(7);
        const Bytes old = randomBytes(random, 0x8000);
        Bytes fresh = randomBytes(random, 0x6000 - (shared ? 0x200 : 0));
        if (bootAgrees)
          std::copy(old.begin() + 0x2000, old.begin() + 0x2000 + (shared ? 0x800 : 0x1000), fresh.begin() + 0x2000);
        // The boot block is the one at 0x2000; where it is shared the image leaves out its end.
        const auto setUp = [&](World& world) {
          world.fill(0, old);
          Wanted wanted = world.wanted(Task::Program);
          if (shared) {
            wanted.image.write(0, ByteSpan(fresh).first(0x2800));
            wanted.image.write(0x3000, ByteSpan(fresh).subspan(0x3000));
          } else {
            wanted.image.write(0, fresh);
          }
          wanted.boot = 0x2000;
          return wanted;
        };
        for (std::size_t n = 1;; ++n) {
          World world(quick());
          const Wanted wanted = setUp(world);
          StopAt stop(n);
          const Record record = world.carryOut(wanted, stop.source.get_token(), &stop);
          const Bytes now = world.cells(0, 0x8000);
          const bool bootWhole = std::equal(fresh.begin() + 0x2000, fresh.begin() + 0x2100, now.begin() + 0x2000);
          bool allThere = true;
          for (const MemoryImage::Segment& s : wanted.image.segments())
            allThere = allThere &&
                       std::equal(s.bytes.begin(), s.bytes.end(), now.begin() + static_cast<std::ptrdiff_t>(s.begin));
          if (record.changed && bootWhole) QVERIFY2(allThere, record.message.c_str());
          if (record.outcome == Outcome::Verified) {
            QVERIFY(allThere);
            if (shared)
              QCOMPARE(Bytes(now.begin() + 0x2800, now.begin() + 0x3000),
                       Bytes(old.begin() + 0x2800, old.begin() + 0x3000));
            break;
          }
        }
      }
    }
  }

  void aSoundBenchIsCalledSound() {
    World world(quick());
    std::mt19937 random(3);
    const Bytes cells = randomBytes(random, 0x3E000);
    world.fill(0, cells);
    const Record blank = world.carryOut(world.wanted(Task::Trial));
    QVERIFY2(blank.outcome == Outcome::Sound, blank.message.c_str());
    VERIFY_CONTAINS(blank.message, "boot-flash passed the test on this bench: 5 patterns, 100 reads: all as written");
    QVERIFY(blank.backup.empty());
    Wanted named = world.wanted(Task::Trial);
    named.ranges = {{0x5000, 0x6000}};
    named.trialReads = 3;
    const Record record = world.carryOut(named);
    QCOMPARE(record.outcome, Outcome::Sound);
    QCOMPARE(world.copy(record.backup).bytes({0x5000, 0x6000}), Bytes(cells.begin() + 0x5000, cells.begin() + 0x6000));
    Bytes all = cells;
    all.resize(0x40000, 0xFF);
    QCOMPARE(world.cells(0, 0x40000), all);
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void anUnsoundBenchIsFoundOutAndTheBlockIsPutBack() {
    World world(quick());
    world.fill(0x5000, Bytes(0x1000, 0x21));
    Wanted wanted = world.wanted(Task::Trial);
    wanted.ranges = {{0x5000, 0x5001}};
    wanted.trialReads = 10;
    world.bench().at("boot-flash").identify();
    world.flash().corruptRead(world.flash().bytesRead() + 60'000, 0x10);
    const Record record = world.carryOut(wanted);
    QVERIFY2(record.outcome == Outcome::NotSound, record.message.c_str());
    QCOMPARE(record.trial->wrongReads, 1u);
    QCOMPARE(record.trial->wrongBytes, 1u);
    VERIFY_CONTAINS(record.message,
                    "failed the test on this bench: 5 patterns, 50 reads: 1 read wrong, 1 of 204800 bytes, 0x005");
    QCOMPARE(world.cells(0x5000, 0x1000), Bytes(0x1000, 0x21));
  }

  void aTrialRefusesWhatItMustNotTouch() {
    World world(quick({}, R"(, "keep": [{"memory": "boot-flash", "from": "0x2000", "to": "0x20FF"}])"));
    Wanted wanted = world.wanted(Task::Trial);
    wanted.ranges = {{0x2800, 0x2801}};
    VERIFY_CONTAINS(world.carryOut(wanted).message, "is kept by the sheet");
    wanted.ranges = {{0, 0x3F001}};
    QCOMPARE(world.carryOut(wanted).error, std::optional{ErrorKind::Usage});
    wanted.ranges = {{0x40000, 0x40001}};
    QCOMPARE(world.carryOut(wanted).error, std::optional{ErrorKind::Usage});
    world.fill(0, Bytes(0x40000, 0x00));
    wanted.ranges.clear();
    const Record full = world.carryOut(wanted);
    QCOMPARE(full.outcome, Outcome::Refused);
    VERIFY_CONTAINS(full.message, "none of the last 64 blocks of boot-flash is blank");
    QVERIFY(!full.changed);
  }

  void everyDifferenceIsListed() {
    World world(quick());
    world.fill(0, Bytes(0x3000, 0x11));
    Wanted wanted = world.wanted(Task::Verify);
    Bytes image(0x3000, 0x11);
    for (const std::size_t at : {0x10, 0x11, 0x12, 0x1000, 0x2FFF}) image[at] = 0x22;
    wanted.image.write(0, image);
    const Record record = world.carryOut(wanted);
    QCOMPARE(record.outcome, Outcome::Mismatch);
    QVERIFY(record.different == (std::vector<AddressRange>{{0x10, 0x13}, {0x1000, 0x1001}, {0x2FFF, 0x3000}}));
  }

  /// The time between a request to stop and the end, beyond the erase that is under way.
  void stoppingAnswersSoon() {
    int stopped = 0;
    for (std::size_t n = 1; n < 60; n += 7) {
      WorldOptions o = quick();
      o.flash = R"("size": "256K")";  // 45 ms for 4 KiB, 150 ms for 64 KiB
      World world(o);
      world.fill(0, Bytes(0x30000, 0x00));
      Wanted wanted = world.wanted(Task::Program);
      std::mt19937 random(1);
      wanted.image.write(0, randomBytes(random, 0x2F000));
      struct Stop : StopAt {
        Stop(std::size_t count, World& w) : StopAt(count), world(w) {}
        void advanced(std::size_t step, const AddressRange& range, const Amount& done) override {
          StopAt::advanced(step, range, done);
          if (at == 0 && source.stop_requested()) at = sim::toSeconds(world.sim().board().now());
        }
        World& world;
        double at = 0;
      } stop(n, world);
      const Record record = world.carryOut(wanted, stop.source.get_token(), &stop);
      if (record.good()) continue;
      const double took = sim::toSeconds(world.sim().board().now()) - stop.at;
      QVERIFY2(took < 0.2 + 0.15, qPrintable(QString::number(took)));
      ++stopped;
    }
    QVERIFY(stopped >= 5);
  }
};
IMPRIMO_TEST(ProofsTest);
#include "tst_proofs.moc"
