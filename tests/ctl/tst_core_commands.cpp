// SPDX-License-Identifier: GPL-3.0-or-later
//
// Cores on the command line: what answers, and the commands for memories with a core's flash.
#include "tests/ctl/gauge.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

/// The float sensor, served over TCP; sheet and bench may be changed first.
class FloatSensor {
 public:
  explicit FloatSensor(const std::function<void(QString&)>& changeBench = {},
                       const std::function<void(QString&)>& changeSheet = {}) {
    copyFolder(QString(IMPRIMO_DEMO) + "/float", folder_.path());
    change("bench.json", changeBench);
    change("float-sensor.imprimo", changeSheet);
    bench_ = sim::readBench(path("bench.json").toStdString());
    server_ = std::make_unique<sim::BenchServer>(*bench_, sim::ServerOptions{});
  }
  Answer ctl(QStringList words) {
    words.insert(1, sheet());
    words.prepend(QString::fromStdString(server_->address()));
    words.prepend("--probe");
    return Gauge::run(words);
  }
  QString sheet() const { return path("float-sensor.imprimo"); }
  QString path(const QString& name) const { return folder_.filePath(name); }
  std::string violations() {
    return server_->with([](sim::Bench& b) { return b.violations(); });
  }

 private:
  void change(const QString& name, const std::function<void(QString&)>& how) {
    if (!how) return;
    QString text = QString::fromStdString(readTextFile(path(name).toStdString()));
    how(text);
    QFile file(path(name));
    if (file.open(QIODevice::WriteOnly)) file.write(text.toUtf8());
  }
  QTemporaryDir folder_;
  std::unique_ptr<sim::Bench> bench_;
  std::unique_ptr<sim::BenchServer> server_;
};

}  // namespace

class CoreCommandsTest : public QObject {
  Q_OBJECT
 private slots:
  void whatAnswersIsSaidWithoutHalting() {
    FloatSensor s;
    const Answer answer = s.ctl({"cores", "--json"});
    CODE(answer, 0);
    const QJsonObject core = firstOf(answer.json()["cores"]);
    QCOMPARE(core["name"].toString(), QString("sensor"));
    QCOMPARE(core["port"].toString(), QString("swd"));
    QCOMPARE(core["dpidr"].toString(), QString("0x0c602ffb"));
    QCOMPARE(core["cpuid"].toString(), QString("0x410cc200"));
    QCOMPARE(core["state"].toString(), QString("sleeping"));
    QCOMPARE(core["identity"].toString(), QString("match"));
    QVERIFY(!core.contains("sp"));
    QCOMPARE(core["regions"].toArray().size(), 2);
    const Answer halted = s.ctl({"cores", "--halt", "--json"});
    CODE(halted, 0);
    QCOMPARE(firstOf(halted.json()["cores"])["sp"].toString(), QString("0x20004000"));
    CODE(s.ctl({"cores", "--json"}), 0);
    QVERIFY(s.violations().empty());
  }

  void itIsProgrammedAndProven() {
    FloatSensor s;
    CODE(s.ctl({"verify"}), 1);
    const Answer planned = s.ctl({"program", "--dry-run", "--json"});
    CODE(planned, 0);
    QCOMPARE(planned.json()["result"].toString(), QString("planned"));
    const Answer done = s.ctl({"program", "--json"});
    CODE(done, 0);
    QCOMPARE(done.json()["result"].toString(), QString("verified"));
    CODE(s.ctl({"verify"}), 0);
    CODE(s.ctl({"read", "program", "--from", "0x3F000", "--length", "22", "-o", s.path("unit.bin")}), 0);
    QCOMPARE(readTextFile(s.path("unit.bin").toStdString()), std::string("FLOAT SENSOR UNIT 0077"));
    CODE(s.ctl({"erase", "program", "--range", "0x21000+4K"}), 0);
    CODE(s.ctl({"blank", "program", "--range", "0x21000+4K"}), 0);
    QVERIFY2(s.violations().empty(), s.violations().c_str());
  }

  void itStartsAgainWhenAsked() {
    FloatSensor s;
    const Answer answer = s.ctl({"restart", "--json"});
    CODE(answer, 0);
    QCOMPARE(answer.json()["result"].toString(), QString("restarted"));
    const Answer core = s.ctl({"cores", "--json"});
    QCOMPARE(firstOf(core.json()["cores"])["state"].toString(), QString("sleeping"));
  }

  /// The power comes while it is waited for.
  void lateTargetsAreWaitedFor() {
    FloatSensor s([](QString& bench) {
      bench.replace("\"core\":", "\"faults\": [{\"kind\": \"late-power\", \"seconds\": 0.02}], \"core\":");
    });
    CODE(s.ctl({"cores"}), 3);
    CODE(s.ctl({"cores", "--wait", "20"}), 0);
  }

  void identifyTellsWhatTheAlgorithmSays() {
    FloatSensor s;
    const Answer answer = s.ctl({"identify", "--json"});
    CODE(answer, 0);
    QCOMPARE(answer.json()["name"].toString(), QString("Beck K0 256 KiB"));
    QCOMPARE(answer.json()["size"].toInt(), 0x40000);
    QCOMPARE(answer.json()["source"].toString(), QString("algorithm"));
    QCOMPARE(firstOf(answer.json()["erase"])["size"].toInt(), 4096);
    const Answer saved = s.ctl({"identify", "--save"});
    CODE(saved, 2);
    QVERIFY(saved.err.contains("core card"));
  }

  void whatIsWrongIsToldWithItsExitCode() {
    FloatSensor other([](QString& bench) { bench.replace("0xC6000001", "0xC7000001"); });
    const Answer refused = other.ctl({"program"});
    CODE(refused, 1);
    QVERIFY2(refused.err.contains("0xc7000001"), qPrintable(refused.err));
    CODE(other.ctl({"cores"}), 0);
    FloatSensor silent(
        [](QString& bench) { bench.replace("\"core\":", "\"faults\": [{\"kind\": \"no-power\"}], \"core\":"); });
    const Answer dead = silent.ctl({"cores"});
    CODE(dead, 3);
    QVERIFY2(dead.err.contains("under-reset"), qPrintable(dead.err));
    FloatSensor noPort({}, [](QString& sheet) { sheet.replace("\"card\"", "\"ap\": 2, \"card\""); });
    const Answer wrong = noPort.ctl({"program"});
    QVERIFY2(wrong.err.contains("no access port 2"), qPrintable(wrong.err));
    FloatSensor noRegion({}, [](QString& sheet) { sheet.replace("\"region\": \"program\"", "\"region\": \"data\""); });
    CODE(noRegion.ctl({"program"}), 2);
    FloatSensor ram({}, [](QString& sheet) { sheet.replace("\"region\": \"program\"", "\"region\": \"sram\""); });
    const Answer isRam = ram.ctl({"program"});
    CODE(isRam, 2);
    QVERIFY2(isRam.err.contains("is RAM"), qPrintable(isRam.err));
    FloatSensor outside(
        {}, [](QString& sheet) { sheet.replace("0x20000\"", "0x3F800\"").replace("\"keep\"", "\"kept\""); });
    CODE(outside.ctl({"program"}), 2);
  }

  void aProbeWithoutSwdIsRefused() {
    FloatSensor s([](QString& bench) { bench.replace("\"packet_count\": 4", "\"packet_count\": 4, \"swd\": false"); });
    const Answer answer = s.ctl({"cores"});
    CODE(answer, 3);
    QVERIFY2(answer.err.contains("cannot do SWD"), qPrintable(answer.err));
  }
};
IMPRIMO_TEST(CoreCommandsTest);
#include "tst_core_commands.moc"
