// SPDX-License-Identifier: GPL-3.0-or-later
//
// Cores on the command line: what answers, and the commands for memories with a core's flash.
#include <QFileInfo>
#include <QRegularExpression>
#include <QScopeGuard>

#include "tests/ctl/float_sensor.h"
#include "tests/support/pack_maker.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

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
    QCOMPARE(core["regions"].toArray().size(), 3);
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

  void whatIsOnTheWiresIsFoundWithoutASheet() {
    FloatSensor s;
    const Answer answer = s.bare({"scan", "--port", "swd", "--json"});
    CODE(answer, 0);
    const QJsonObject port = firstOf(answer.json()["ports"]);
    QCOMPARE(port["dpidr"].toString(), QString("0x0c602ffb"));
    QCOMPARE(port["target"].toString(), QString("0x01c60ffb"));
    const QJsonObject ap = firstOf(port["access_ports"]);
    QCOMPARE(ap["ap"].toInt(), 0);
    QCOMPARE(ap["base"].toString(), QString("0xe00ff000"));
    QCOMPARE(ap["parts"].toArray().size(), 4);
    const Answer text = s.bare({"scan", "--port", "swd"});
    QVERIFY2(text.out.contains("system control space"), qPrintable(text.out));
    QVERIFY2(text.out.contains("core ARMv6-M"), qPrintable(text.out));
    CODE(s.bare({"scan", "--port", "swd", "--clock"}), 2);
    CODE(s.bare({"scan", "--port", "serial"}), 2);
    QVERIFY2(s.violations().empty(), s.violations().c_str());
  }

  void anyAddressOfTheBusIsRead() {
    FloatSensor s;
    const QString file = s.path("bus.bin");
    const Answer region = s.ctl({"read", "--region", "sram", "-o", file, "--json"});
    CODE(region, 0);
    QCOMPARE(region.json()["result"].toString(), QString("read"));
    QCOMPARE(QFileInfo(file).size(), qint64(0x4000));
    CODE(s.ctl({"read", "--bus", "--from", "0x40000000", "--length", "4", "-o", file}), 0);
    QCOMPARE(readFile(file.toStdString()), (Bytes{0x01, 0x00, 0x00, 0xC6}));
    QFile::remove(file);
    const Answer fault = s.ctl({"read", "--bus", "--from", "0x50000000", "--length", "4", "-o", file});
    CODE(fault, 1);
    QVERIFY2(fault.err.contains("0x50000000"), qPrintable(fault.err));
    QVERIFY(!QFile::exists(file));
    CODE(s.ctl({"read", "--bus", "-o", file}), 2);
    for (const char* width : {"8", "16", "32"})
      CODE(s.ctl({"read", "--bus", "--from", "0x20000100", "--length", "8", "--width", width, "-o", file}), 0);
    CODE(s.ctl({"read", "--bus", "--from", "0x20000101", "--length", "8", "--width", "16", "-o", file}), 2);
    CODE(s.ctl({"read", "--bus", "--from", "0x20000100", "--length", "8", "--width", "12", "-o", file}), 2);
    CODE(s.ctl({"read", "--width", "8", "-o", file}), 2);
    CODE(s.ctl({"read", "--bus", "--from", "0xFFFFFFFFFFFFFFFF", "--length", "2", "-o", file}), 2);
    CODE(s.ctl({"read", "--bus", "--from", "0xFFFFFFFC", "--length", "8", "-o", file}), 2);
    CODE(s.ctl({"read", "--region", "sram", "--from", "0x20003FFC", "--length", "8", "-o", file}), 2);
    CODE(s.ctl({"read", "--region", "sram", "--from", "0", "-o", file}), 2);
    CODE(s.ctl({"read", "--region", "nowhere", "-o", file}), 2);
    CODE(s.ctl({"read", "--region", "sram", "--core", "other", "-o", file}), 2);
    CODE(s.ctl({"cores", "--core", "sensor"}), 0);
  }

  void whetherItRunsIsSaid() {
    FloatSensor s;
    const Answer answer = s.ctl({"cores", "--watch", "--json"});
    CODE(answer, 0);
    QCOMPARE(firstOf(answer.json()["cores"])["watch"].toObject()["verdict"].toString(), QString("sleeps"));
  }

  /// One that is only attached to: read, and not written, which is no error of the wires.
  void oneThatIsNotToBeHaltedIsNotWritten() {
    FloatSensor s(
        {}, [](QString& sheet) { sheet.replace("\"port\": \"swd\"", "\"port\": \"swd\", \"connect\": \"running\""); });
    CODE(s.ctl({"read", "program", "--from", "0x3F000", "--length", "22", "-o", s.path("unit.bin")}), 0);
    const Answer answer = s.ctl({"program"});
    CODE(answer, 1);
    QVERIFY2(answer.err.contains("only attached to"), qPrintable(answer.err));
  }

  void aProbeWithoutSwdIsNamed() {
    FloatSensor s([](QString& bench) { bench.replace("\"probe\": {", "\"probe\": {\"swd\": false, "); });
    const Answer answer = s.ctl({"cores"});
    CODE(answer, 3);
    QVERIFY2(answer.err.contains("SWD"), qPrintable(answer.err));
  }

  void wrongKeysOfACoreAreNamed() {
    const auto with = [](const char* text) {
      FloatSensor s({}, [&](QString& sheet) { sheet.replace("\"port\": \"swd\"", text); });
      const Answer answer = s.ctl({"cores"});
      return answer.code == 2 ? answer.err : QString("exit %1").arg(answer.code);
    };
    QVERIFY(with("\"port\": \"jtag\"").contains("device"));
    QVERIFY(with("\"port\": \"swd\", \"device\": \"x\"").contains("on SWD there is none"));
    QVERIFY(with("\"port\": \"swd\", \"target\": \"0x10\"").contains("TARGETSEL"));
    QVERIFY(with("\"port\": \"swd\", \"ap\": \"0x1234\"").contains("multiple of 0x1000"));
    QVERIFY(with("\"port\": \"swd\", \"connect\": \"softly\"").contains("under-reset"));
  }

  /// The same on a chain: the gauge's supervisor, third of three.
  void theSupervisorOfTheGaugeIsACoreOnTheChain() {
    Gauge g;
    const QString sheet = g.path("supervisor/supervisor.imprimo");
    const Answer cores = g.ctl({"cores", sheet, "--json"});
    CODE(cores, 0);
    const QJsonObject core = firstOf(cores.json()["cores"]);
    QCOMPARE(core["port"].toString(), QString("jtag"));
    QCOMPARE(core["state"].toString(), QString("sleeping"));
    CODE(g.ctl({"verify", sheet, "program"}), 1);
    const Answer done = g.ctl({"program", sheet, "--json"});
    CODE(done, 0);
    QCOMPARE(done.json()["result"].toString(), QString("verified"));
    CODE(g.ctl({"verify", sheet, "--core", "supervisor", "program"}), 0);
    CODE(g.ctl({"read", sheet, "program", "--from", "0x3F000", "--length", "20", "-o", g.path("unit.bin")}), 0);
    QCOMPARE(readTextFile(g.path("unit.bin").toStdString()), std::string("SUPERVISOR UNIT 0417"));
    CODE(g.ctl({"read", sheet, "work", "-o", g.path("work.bin")}), 0);
    QCOMPARE(QFileInfo(g.path("work.bin")).size(), qint64(0x4000));
    CODE(g.ctl({"erase", sheet, "work", "--all"}), 2);
    const Answer restarted = g.ctl({"restart", sheet, "--core", "supervisor", "--json"});
    CODE(restarted, 0);
    QCOMPARE(restarted.json()["result"].toString(), QString("restarted"));
    QCOMPARE(firstOf(g.ctl({"cores", sheet, "--json"}).json()["cores"])["state"].toString(), QString("sleeping"));
    const std::string violations = g.server().with([](sim::Bench& b) { return b.violations(); });
    QVERIFY2(violations.empty(), violations.c_str());
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

  void aLockedCoreIsOpenedWhereItsDestructionIsMeant() {
    FloatSensor s([](QString& bench) { bench.replace("\"locked\": false", "\"locked\": true"); });
    const QString path = s.path("beck_k0_core.json");
    const QByteArray text = QByteArray::fromStdString(readTextFile(path.toStdString()));
    const auto writeCard = [&](const QByteArray& card) {
      QFile file(path);
      QVERIFY(file.open(QIODevice::WriteOnly));
      file.write(card);
    };
    QJsonObject silent = QJsonDocument::fromJson(text).object();
    silent.remove("unlock");
    writeCard(QJsonDocument(silent).toJson());
    const Answer noWay = s.ctl({"unlock", "--destroy"});
    CODE(noWay, 1);
    QVERIFY2(noWay.err.contains("has to say it"), qPrintable(noWay.err));
    writeCard(text);
    const Answer cores = s.ctl({"cores", "--json"});
    CODE(cores, 0);
    const QJsonObject core = firstOf(cores.json()["cores"]);
    QVERIFY(core["locked"].toBool() && core["unlock_known"].toBool() && !core.contains("pc"));
    QVERIFY(s.ctl({"cores"}).out.contains("its memory is closed"));
    const Answer refused = s.ctl({"program"});
    CODE(refused, 1);
    QVERIFY2(refused.err.contains("imprimoctl unlock SHEET sensor"), qPrintable(refused.err));
    CODE(s.ctl({"read", "--bus", "--from", "0x0", "--length", "4", "-o", s.path("out.bin")}), 1);
    const Answer asked = s.ctl({"unlock"});
    CODE(asked, 1);
    QVERIFY2(asked.err.contains("destroys the whole flash, the configuration words and the RAM"),
             qPrintable(asked.err));
    QVERIFY2(asked.err.contains("Write 0x0c0de4a5 to register 0x00 of access port 1"), qPrintable(asked.err));
    CODE(s.ctl({"program"}), 1);  // nothing was touched
    const Answer done = s.ctl({"unlock", "sensor", "--destroy", "--json"});
    CODE(done, 0);
    QVERIFY2(done.json()["message"].toString().contains("its flash is blank"), qPrintable(done.out));
    const Answer again = s.ctl({"unlock", "--destroy"});
    CODE(again, 0);
    QVERIFY2(again.err.contains("is not locked") || again.out.contains("is not locked"), qPrintable(again.err));
    CODE(s.ctl({"program"}), 0);
    QVERIFY2(s.violations().empty(), s.violations().c_str());
  }

  /// A pack into the library, its device into a sheet, and a card for when the pack is not needed any more.
  void aPackIsAddedAndItsDeviceProgrammed() {
    QTemporaryDir data;
    const QByteArray dataBefore = qgetenv("XDG_DATA_HOME"), cacheBefore = qgetenv("XDG_CACHE_HOME");
    const auto back = qScopeGuard([&] {
      qputenv("XDG_DATA_HOME", dataBefore);
      qputenv("XDG_CACHE_HOME", cacheBefore);
    });
    qputenv("XDG_DATA_HOME", data.filePath("data").toUtf8());
    qputenv("XDG_CACHE_HOME", data.filePath("cache").toUtf8());
    const std::string pack = data.filePath("k.pack").toStdString();
    writePack(pack,
              R"(<family Dfamily="K series" Dvendor="Beck:901"><processor Dcore="Cortex-M0"/><device Dname="BECK_K0">
<memory name="program" access="rx" start="0x0" size="0x40000"/><memory name="sram" access="rwx" start="0x20000000" size="0x4000" default="1"/>
<algorithm name="Flash/k0.flm" start="0x0" size="0x40000" default="1"/>
<sequences><sequence name="DebugDeviceUnlock"><block>Read32(0x40000000);</block></sequence></sequences></device></family>)",
              {{"Flash/k0.flm", readFile(std::string(IMPRIMO_DEMO) + "/float/beck_k0.flm")}});
    FloatSensor s({}, [](QString& sheet) {
      sheet.replace(QRegularExpression("\"card\": \"[^\"]*\""),
                    R"("chip": {"pack": "Beck.K_DFP.1.2.0", "name": "beck_k0"})");
    });
    QVERIFY(Gauge::run({"packs"}).out.contains("no packs"));
    const Answer without = s.ctl({"program"});
    CODE(without, 2);
    QVERIFY2(without.err.contains("cores[0].chip"), qPrintable(without.err));
    const Answer added = Gauge::run({"packs", "add", QString::fromStdString(pack), "--json"});
    CODE(added, 0);
    QCOMPARE(firstOf(added.json()["packs"])["file"].toString(), QString("Beck.K_DFP.1.2.0.pack"));
    CODE(Gauge::run({"packs", "add", s.sheet()}), 2);
    const Answer found = Gauge::run({"packs", "find", "k0", "series", "--json"});
    CODE(found, 0);
    QCOMPARE(firstOf(found.json()["devices"])["name"].toString(), QString("BECK_K0"));
    CODE(Gauge::run({"packs", "find", "quill"}), 1);
    const Answer shown = Gauge::run({"packs", "show", "BECK_K0"});
    CODE(shown, 0);
    QVERIFY2(shown.out.contains("Flash/k0.flm") && shown.out.contains("DebugDeviceUnlock"), qPrintable(shown.out));
    CODE(Gauge::run({"packs", "show", "BECK_K9"}), 2);
    CODE(Gauge::run({"packs", "fly"}), 2);
    CODE(s.ctl({"program"}), 0);
    CODE(s.ctl({"verify"}), 0);
    const QString card = data.filePath("own.json");
    CODE(Gauge::run({"packs", "card", "BECK_K0", "-o", card}), 0);
    QVERIFY(QFileInfo::exists(data.filePath("k0.flm")));
    FloatSensor own({}, [&](QString& sheet) {
      sheet.replace(QRegularExpression("\"card\": \"[^\"]*\""), "\"card\": \"" + card + "\"");
    });
    CODE(own.ctl({"program"}), 0);
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
