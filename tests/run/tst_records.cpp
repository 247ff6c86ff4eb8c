// SPDX-License-Identifier: GPL-3.0-or-later
#include <QDir>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QTemporaryDir>

#include "core/base/input_file.h"
#include "core/base/utc.h"
#include "core/run/verdict.h"
#include "core/store/folders.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::store;
using namespace imprimo::test;

class RecordsTest : public QObject {
  Q_OBJECT
 private slots:
  void theDataFolderFollowsTheEnvironment() {
    COMPARE_TEXT(dataFolder().filename().string(), "imprimo");
    VERIFY_CONTAINS(dataFolder().string(), qgetenv("XDG_DATA_HOME").toStdString());
    QCOMPARE(utcNow().size(), std::string("2031-04-05T06:07:08Z").size());
  }

  void aRecordIsJson() {
    Record record;
    record.memory = "boot-flash";
    record.message = "a \"sentence\"\nwith \xC3\xA4 and a bad byte \xFF";
    record.outcome = Outcome::Stopped;
    record.error = ErrorKind::LinkLost;
    record.changed = true;
    record.erased = {{0x1000, 0x3000}};
    record.first = Difference{0x1234, 0x12, 0x34};
    record.differences = 7;
    RanStep ran;
    ran.step.kind = StepKind::Erase;
    ran.step.ranges = {{0x1000, 0x3000}};
    record.steps.push_back(ran);
    const QJsonObject json = QJsonDocument::fromJson(QByteArray::fromStdString(record.text())).object();
    QCOMPARE(json["result"].toString(), "stopped");
    QCOMPARE(json["kind"].toString(), "link-lost");
    QCOMPARE(json["first"].toObject()["address"].toString(), "0x001234");
    QCOMPARE(json["erased"].toArray()[0].toObject()["to"].toString(), "0x002FFF");
    QCOMPARE(json["steps"].toArray()[0].toObject()["range"].toObject()["from"].toString(), "0x001000");
    QVERIFY(!json["steps"].toArray()[0].toObject()["finished"].toBool());
  }
};
IMPRIMO_TEST(RecordsTest);

class VerdictTest : public QObject {
  Q_OBJECT
  static MemoryImage image(std::uint64_t at, const Bytes& bytes) {
    MemoryImage i;
    i.write(at, bytes);
    return i;
  }
  static constexpr AddressRange kBlock{0x1000, 0x2000};

 private slots:
  void errorsBecomeOutcomes() {
    QCOMPARE(outcomeOf(ErrorKind::ChainMismatch, false), Outcome::Refused);
    QCOMPARE(outcomeOf(ErrorKind::NoBridge, false), Outcome::Refused);
    QCOMPARE(outcomeOf(ErrorKind::LinkLost, false), Outcome::Failed);
    QCOMPARE(outcomeOf(ErrorKind::LinkLost, true), Outcome::Stopped);
    QCOMPARE(outcomeOf(ErrorKind::Stopped, false), Outcome::Stopped);
    QCOMPARE(outcomeOf(ErrorKind::CannotWrite, false), Outcome::Failed);
  }

  void whatAWrongByteLooksLike() {
    const MemoryImage before = image(0x1000, Bytes(16, 0x00));
    Reached reached;
    reached.erased.add(kBlock);
    // Unchanged: perhaps protected.
    VERIFY_CONTAINS(notAsPlanned("m", kBlock, {0x1000, 0x55, 0x00}, 16, before, before, reached).what(),
                    "m: block 0x001000 – 0x001FFF did not change: 0x001000 should hold 0x55 and holds 0x00; 16 bytes "
                    "differ in all");
    // Changed, and a bit stayed 0: did not erase. A bit stayed 1: did not program.
    const MemoryImage now = image(0x1000, Bytes(16, 0x0F));
    COMPARE_TEXT(notAsPlanned("m", kBlock, {0x1000, 0xFF, 0x0F}, 1, before, now, reached).what(),
                 "m: 0x001000 did not erase: 0x001000 should hold 0xFF and holds 0x0F");
    COMPARE_TEXT(notAsPlanned("m", kBlock, {0x1000, 0x0E, 0x0F}, 1, before, now, reached).what(),
                 "m: 0x001000 would not program: 0x001000 should hold 0x0E and holds 0x0F");
    // Nothing was sent for it.
    COMPARE_TEXT(notAsPlanned("m", kBlock, {0x1000, 0xFF, 0x0F}, 1, {}, now, {}).what(),
                 "m: block 0x001000 – 0x001FFF was not changed in this run and is not as planned: 0x001000 should hold "
                 "0xFF and holds 0x0F");
    COMPARE_TEXT(
        notErased("m", kBlock, 0x1004, 0x12, std::uint8_t{0x12}).what(),
        "m: block 0x001000 – 0x001FFF did not change when it was erased: 0x001004 holds 0x12 where FF should be");
    COMPARE_TEXT(notErased("m", kBlock, 0x1004, 0x13, std::uint8_t{0x12}).what(),
                 "m: block 0x001000 – 0x001FFF did not erase: 0x001004 holds 0x13 where FF should be");
  }

  void aFailureSaysWhatTheMemoryHolds() {
    Record record;
    record.memory = "m";
    Error lost(ErrorKind::LinkLost, "lost the probe", "Connect again.");
    lost.stoodAt(0x2100);
    COMPARE_TEXT(failureMessage(lost, record, {}), "lost the probe at 0x002100. Connect again. Nothing was touched.");
    record.claims.stopped = {"p2"};
    COMPARE_TEXT(failureMessage(lost, record, {}),
                 "lost the probe at 0x002100. Connect again. No byte of m was changed; the design in p2 was stopped to "
                 "load the bridge.");
    record.changed = true;
    record.claims.addressed.add({0x1000, 0x3000});
    record.backup = "/b/copy.hex";
    Reached reached;
    reached.erased.add({0x1000, 0x3000});
    reached.written.add({0x1000, 0x2100});
    reached.unwritten.add({0x2100, 0x3000});
    COMPARE_TEXT(
        failureMessage(lost, record, reached),
        "lost the probe at 0x002100. Connect again. m now holds: 4.25 KiB written (0x001000 – 0x0020FF), 3.75 KiB "
        "erased and still to be "
        "written (0x002100 – 0x002FFF); nothing else was addressed (what was on its way at 0x002100 may or may "
        "not have arrived). What was there is saved in /b/copy.hex.");
    reached.others = {{0x2800, 0x2900}, {0x1800, 0x1900}};
    reached.kept = {{0x2880, 0x2890}};
    VERIFY_CONTAINS(failureMessage(lost, record, reached),
                    " Not yet put back: the kept bytes in 0x002800 – 0x0028FF; the next run does that first.");
  }
};
IMPRIMO_TEST(VerdictTest);
#include "tst_records.moc"
