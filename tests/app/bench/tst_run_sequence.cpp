// SPDX-License-Identifier: GPL-3.0-or-later
//
// All memories of a sheet written by one button, and what the sheet wants of its cores then.
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QPushButton>
#include <QToolButton>

#include "app/bench/core_lock_card.h"
#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "tests/app/float_stage.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::app;
using namespace imprimo::test;

class RunSequenceTest : public QObject {
  Q_OBJECT

  /// The sensor with a file in the flash beside its words, before the program.
  static auto twoMemories(const char* entry) {
    return [entry](const QString& folder) {
      const std::string sheet = (folder + "/float-sensor.imprimo").toStdString();
      QString text = QString::fromStdString(readTextFile(sheet));
      text.replace("\"beck_k0_core.json\"", QString("\"beck_k0_core.json\"") + entry);
      text.replace("\"memories\": [",
                   "\"memories\": [{\"name\": \"area\", \"type\": \"core-flash\", \"route\": "
                   "{\"via\": \"core\", \"core\": \"sensor\", \"region\": \"words\"}},");
      text.replace("\"placements\": [",
                   "\"placements\": [{\"memory\": \"area\", \"file\": \"area.bin\", \"at\": \"0x1FFF0040\"},");
      writeFileAtomically(sheet, text.toStdString());
      writeFileAtomically((folder + "/area.bin").toStdString(), std::string_view("ABCD"));
    };
  }

  struct Listening : FloatStage {
    explicit Listening(const std::function<void(const QString&)>& change) : FloatStage(change) {
      QObject::connect(&window.bench(), &Workbench::message, [this](const QString& text) { all += text; });
    }
    bool said(const QString& what) const { return all.join("\n").contains(what); }
    QStringList all;
  };

 private slots:
  void oneButtonWritesAllMemoriesAndThenLocks() {
    Listening s(
        twoMemories(", \"lock\": true, \"words\": [{\"word\": \"start\", \"field\": \"board\", \"value\": \"0x7\"}]"));
    QVERIFY(s.connect());
    QVERIFY(s.untilPlanned());
    QVERIFY(s.window.findChild<QLabel*>("behindTheRun")->text().contains("sensor is not locked by this"));
    auto* all = s.window.findChild<QToolButton*>("writeAll");
    QVERIFY(QTest::qWaitFor([&] { return all->isVisible(); }, kPatience));
    QCOMPARE(all->text(), QString("Write all 2 memories, and lock sensor"));
    all->setFocus();
    QTest::keyClick(all, Qt::Key_Space);
    QVERIFY(QTest::qWaitFor([&] { return s.said("All 2 memories hold what is planned"); }, kPatience));
    QVERIFY(s.demo->with([](sim::Bench& b) {
      sim::CoreChip& chip = b.board().chip();
      return chip.lock()->closed() && chip.words()->start() == 0xFFFFFF7F && chip.flash()[0x3000] != 0xFF;
    }));
    QVERIFY(QTest::qWaitFor([&] { return s.window.findChild<CoreLockCard*>()->isVisible(); }, kPatience));
    QVERIFY(!all->isVisible());
  }

  /// One that cannot be what is wanted is found before another one is changed, also where it is the last.
  void aMemoryThatDoesNotFitKeepsTheOthersAsTheyAre() {
    Listening s([](const QString& folder) {
      twoMemories("")(folder);
      const std::string sheet = (folder + "/float-sensor.imprimo").toStdString();
      QString text = QString::fromStdString(readTextFile(sheet)).replace("0x1FFF0040", "0x1FFF00FE");
      QJsonObject root = QJsonDocument::fromJson(text.toUtf8()).object();
      QJsonArray memories = root["memories"].toArray();
      memories.append(memories.takeAt(0));
      root["memories"] = memories;
      writeFileAtomically(sheet, QJsonDocument(root).toJson().toStdString());
    });
    QVERIFY(s.connect());
    QVERIFY(s.untilPlanned());
    QCOMPARE(s.window.bench().memory(), std::string("program"));
    const auto written = [&] { return s.demo->with([](sim::Bench& b) { return b.board().chip().wordsProgrammed(); }); };
    const std::uint64_t before = written();
    auto* all = s.window.findChild<QToolButton*>("writeAll");
    QVERIFY(QTest::qWaitFor([&] { return all->isVisible(); }, kPatience));
    s.all.clear();
    QTest::mouseClick(all, Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return !s.window.bench().sequence().isUnderWay(); }, kPatience));
    QVERIFY2(s.said("0x1FFF00FE") || s.said("0x1FFF0101"), qPrintable(s.all.join("\n")));
    QCOMPARE(written(), before);
    QVERIFY(!s.window.bench().run().record() || !s.window.bench().run().record()->changed);
  }

  /// The connection goes in the middle: nothing is under way any more, and the sheet may be left.
  void aLostConnectionEndsTheWhole() {
    Listening s(twoMemories(", \"lock\": true"));
    QVERIFY(s.connect());
    auto* all = s.window.findChild<QToolButton*>("writeAll");
    QVERIFY(QTest::qWaitFor([&] { return all->isVisible(); }, kPatience));
    QTest::mouseClick(all, Qt::LeftButton);
    QVERIFY(s.window.bench().sequence().isUnderWay());
    s.demo.reset();
    QVERIFY(QTest::qWaitFor([&] { return !s.window.bench().sequence().isUnderWay(); }, kPatience));
    QVERIFY(!s.said("All 2 memories hold"));
  }

  /// Stopping ends the whole, not only the run that goes on.
  void stoppingEndsTheWhole() {
    Listening s(twoMemories(", \"lock\": true"));
    QVERIFY(s.connect());
    auto* all = s.window.findChild<QToolButton*>("writeAll");
    QVERIFY(QTest::qWaitFor([&] { return all->isVisible(); }, kPatience));
    QTest::mouseClick(all, Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return s.window.bench().session().isBusy(); }, kPatience));
    QTest::mouseClick(s.window.findChild<QPushButton*>("go"), Qt::LeftButton);
    QVERIFY(QTest::qWaitFor([&] { return !s.window.bench().sequence().isUnderWay(); }, kPatience));
    QVERIFY(!s.demo->with([](sim::Bench& b) { return b.board().chip().lock()->closed(); }));
    QVERIFY(!s.said("All 2 memories hold"));
  }
};

IMPRIMO_TEST(RunSequenceTest);
#include "tst_run_sequence.moc"
