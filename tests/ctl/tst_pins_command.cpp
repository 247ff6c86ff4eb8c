// SPDX-License-Identifier: GPL-3.0-or-later
//
// Pins on the command line.
#include "sim/bench_server.h"
#include "tests/ctl/gauge.h"
#include "tests/pins/pins_world.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class PinsCommandTest : public QObject {
  Q_OBJECT

  struct Served : PinsWorld {
    explicit Served(PinsWorldOptions options = {}) : PinsWorld(std::move(options)), server(sim(), {}) {}
    Answer ctl(QStringList words) {
      words.insert(1, path("sheet.imprimo"));
      return Gauge::run(QStringList{"--probe", QString::fromStdString(server.address())} + words);
    }
    static QJsonObject port(const Answer& answer, const QString& name) {
      for (const QJsonValue& each : answer.json()["ports"].toArray()) {
        if (each.toObject()["port"].toString() == name) return each.toObject();
      }
      return {};
    }
    sim::BenchServer server;
  };

 private slots:
  void portsAreListedWithTheirLevels() {
    Served s;
    const Answer all = s.ctl({"pins", "lark", "--json"});
    CODE(all, 0);
    QCOMPARE(all.json()["device"].toString(), QString("lark"));
    QCOMPARE(all.json()["ports"].toArray().size(), 14);
    const QJsonObject io = Served::port(all, "IO(0)");
    QCOMPARE(io["pin"].toString(), QString("1"));
    QCOMPARE(io["kind"].toString(), QString("inout"));
    QCOMPARE(io["in"].toInt(-1), 0);
    QCOMPARE(io["out"].toInt(-1), 0);
    QCOMPARE(io["drives"].toBool(), true);
    QVERIFY(Served::port(all, "OUT_B")["in"].isNull());
    QVERIFY(Served::port(all, "BD")["out"].isNull());
    QVERIFY(Served::port(all, "IN_A")["drives"].isNull());
    const Answer some = s.ctl({"pins", "lark", "--port", "io(1)", "--port", "IN_A"});
    CODE(some, 0);
    QCOMPARE(some.out, QString("IO(1)           2       inout  1   let go\nIN_A            9       in     0   \n"));
    QVERIFY2(s.sim().violations().empty(), s.sim().violations().c_str());
  }

  void portsWithoutACellAreListedWhereTheyAreNamed() {
    Served s;
    const Answer named = s.ctl({"pins", "lark", "--port", "tdi", "--port", "VCC", "--json"});
    CODE(named, 0);
    QCOMPARE(named.json()["ports"].toArray().size(), 2);
    QCOMPARE(Served::port(named, "TDI")["kind"].toString(), QString("in"));
    QCOMPARE(Served::port(named, "TDI")["pin"].toString(), QString("18"));
    QVERIFY(Served::port(named, "VCC")["in"].isNull() && Served::port(named, "VCC")["drives"].isNull());
  }

  void whatIsDrivenIsSaidAndLetGo() {
    Served s({.drives = ""});
    const Answer driven =
        s.ctl({"pins", "lark", "--drive", "IO(0)=1", "--drive", "SH(0)=0", "--hold", "0.05", "--json"});
    CODE(driven, 0);
    QVERIFY2(driven.err.contains("lark's own logic is cut off from its pins. Driven: IO(0) 1, SH(0) 0.") &&
                 driven.err.contains("driven along with them: OUT_B 1, SH(1) 0."),
             qPrintable(driven.err));
    QCOMPARE(Served::port(driven, "IN_A")["in"].toInt(-1), 1);
    QVERIFY(!s.boundary().cutsOff());
    const Answer open = s.ctl({"pins", "lark", "--drive", "IO(0)=z", "--port", "IO(0)"});
    CODE(open, 0);
    QVERIFY2(open.out.contains("let go"), qPrintable(open.out));
    QVERIFY2(s.sim().violations().empty(), s.sim().violations().c_str());
  }

  void movesAreCounted() {
    Served s({.drives = "\"clock\": 20000"});
    const Answer seen = s.ctl({"pins", "lark", "--watch", "0.2", "--json"});
    CODE(seen, 0);
    QVERIFY(seen.json()["samples"].toInt() > 100);
    QVERIFY(seen.json()["seconds"].toDouble() >= 0.2);
    QVERIFY(Served::port(seen, "IO(0)")["edges"].toInt() > 10);
    QCOMPARE(Served::port(seen, "IO(1)")["edges"].toInt(-1), 0);
    QCOMPARE(Served::port(seen, "IO(1)")["high"].toDouble(), 1.0);
    QVERIFY2(s.sim().violations().empty(), s.sim().violations().c_str());
  }

  void wrongUseIsTold() {
    Served s;
    const auto told = [&](const QStringList& words, const char* what) {
      const Answer answer = s.ctl(words);
      QVERIFY2(answer.code == 2 && answer.err.contains(what), qPrintable(answer.err));
    };
    told({"pins", "lark", "--drive", "IN_A=1"}, "IN_A is an input only");
    told({"pins", "lark", "--drive", "VCC=1"}, "VCC is a supply pin");
    told({"pins", "lark", "--drive", "MODE=1"}, "MODE is a compliance pin");
    told({"pins", "lark", "--drive", "IO(0)=2"}, "is not PORT=0, PORT=1 or PORT=z");
    told({"pins", "lark", "--drive", "IO(0)=1", "--drive", "io(0)=0"}, "IO(0) is driven twice");
    told({"pins", "lark", "--watch", "soon"}, "is not a number of seconds");
    told({"pins", "lark", "--watch", "1", "--drive", "IO(0)=1"}, "exclude each other");
    told({"pins", "lark", "--hold", "1"}, "--hold goes with --drive");
    told({"pins", "front"}, "the sheet has no BSDL file for front");
    told({"pins", "lark", "--port", "IO(9)"}, "there is no port IO(9)");
    QCOMPARE(s.sim().packets(), std::uint64_t{0});
  }

  void wiresAreFound() {
    Served s({.drives = "\"clock\": 3000"});
    const Answer found =
        s.ctl({"find", "lark", "spi-nor", "--among", "IO(0),IO(1),IO(2), io(4),IO(5),IO(6),IO(7),BD", "--json"});
    CODE(found, 0);
    const QJsonObject route = found.json()["route"].toObject();
    QCOMPARE(route["via"].toString(), QString("pins"));
    QCOMPARE(route["device"].toString(), QString("lark"));
    QCOMPARE(route["cs"].toString(), QString("IO(4)"));
    QCOMPARE(route["clk"].toString(), QString("IO(5)"));
    QCOMPARE(route["mosi"].toString(), QString("IO(6)"));
    QCOMPARE(route["miso"].toString(), QString("IO(7)"));
    QCOMPARE(found.json()["id"].toString(), QString("0x7e4015"));
    QVERIFY(found.json()["tried"].toInt() > 0 && found.json()["tried"].toInt() <= 8 * 7 * 6);
    // Nothing but what reads was ever sent; where another port is tried for mosi, that floats, and all ones are no
    // command.
    for (const auto& [command, count] : s.sim().flash("boot").commands())
      QVERIFY2(command == 0x9F || command == 0x5A || command == 0xFF, qPrintable(QString::number(command, 16)));
    QVERIFY(!s.boundary().cutsOff());
    QVERIFY2(s.sim().violations().empty(), s.sim().violations().c_str());
    const Answer text = s.ctl({"find", "lark", "spi-nor", "--among", "IO(4),IO(5),IO(6),IO(7)"});
    CODE(text, 0);
    QCOMPARE(text.out, QString("\"route\": {\"via\":\"pins\",\"device\":\"lark\",\"cs\":\"IO(4)\",\"clk\":\"IO(5)\","
                               "\"mosi\":\"IO(6)\",\"miso\":\"IO(7)\"}\n"));
  }

  void noWiresAreTold() {
    Served s({.drives = ""});
    const Answer none = s.ctl({"find", "lark", "spi-nor", "--among", "IO(0),IO(2),IO(3),IO(4),IO(5)", "--json"});
    CODE(none, 1);
    QCOMPARE(none.json()["found"].toBool(true), false);
    QVERIFY(!s.boundary().cutsOff());
    CODE(s.ctl({"find", "lark", "spi-nor", "--among", "IO(4),IO(5),IO(6)"}), 2);
    CODE(s.ctl({"find", "lark", "eeprom", "--among", "IO(4),IO(5),IO(6),IO(7)"}), 2);
    CODE(s.ctl({"find", "lark", "spi-nor", "--among", "IO(4),IO(5),IO(6),IO(6)"}), 2);
    CODE(s.ctl({"find", "lark", "spi-nor", "--among", "IO(4),IO(5),IO(6),VCC"}), 2);
  }

  void memoriesBehindPinsHaveTheUsualCommands() {
    Served s;
    const Answer identified = s.ctl({"identify", "--json"});
    CODE(identified, 0);
    QFile file(s.path("image.bin"));
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write(QByteArray(5000, 'x'));
    file.close();
    CODE(s.ctl({"program", "--place", s.path("image.bin@0")}), 0);
    CODE(s.ctl({"verify", "--place", s.path("image.bin@0")}), 0);
    QVERIFY(!s.boundary().cutsOff());
    QVERIFY2(s.sim().violations().empty(), s.sim().violations().c_str());
  }

  void vectorsReachAMemoryThroughPins() {
    Served s;
    CODE(s.ctl({"identify", "boot", "--save"}), 0);
    QFile file(s.path("image.bin"));
    QVERIFY(file.open(QIODevice::WriteOnly));
    QByteArray image(600, 'x');
    for (int i = 0; i < image.size(); ++i) image[i] = static_cast<char>(i * 7 + 1);
    file.write(image);
    file.close();
    const QString vectors = s.path("pins.svf");
    CODE(s.ctl({"export", "--place", s.path("image.bin@0x1000"), "-o", vectors}), 0);
    // Played as any other file, which knows nothing of pins.
    const Answer played =
        Gauge::run({"--probe", QString::fromStdString(s.server.address()), "play", vectors, "--json"});
    CODE(played, 0);
    QCOMPARE(played.json()["mismatches"].toInt(-1), 0);
    for (int i = 0; i < image.size(); ++i)
      QCOMPARE(s.sim().flash("boot").cells().get(0x1000 + static_cast<std::uint64_t>(i)),
               static_cast<std::uint8_t>(image[i]));
    QVERIFY(!s.boundary().cutsOff());
    QVERIFY2(s.sim().violations().empty(), s.sim().violations().c_str());
    // What is there otherwise is told with its place.
    s.sim().flash("boot").cells().set(0x1005, 0xEE);
    CODE(s.ctl({"export", "--place", s.path("image.bin@0x1000"), "-o", vectors, "--only", "verify"}), 0);
    const Answer other = Gauge::run({"--probe", QString::fromStdString(s.server.address()), "play", vectors, "--sheet",
                                     s.path("sheet.imprimo"), "--json"});
    CODE(other, 4);  // what a file drives by EXTEST may have changed something
    QCOMPARE(other.json()["mismatch"].toObject()["scan"].toString(), QString("SDR"));
    QVERIFY(!s.boundary().cutsOff());
  }

  void levelsOfTheSheetAreChecked() {
    const char* pins =
        R"x(, "pins": [{"device": "lark", "port": "IO(0)", "name": "alarm", "level": 0},
                     {"device": "lark", "port": "io(1)", "level": 1},
                     {"device": "lark", "port": "BD", "name": "only a name"}])x";
    Served s({.sheet = pins});
    const Answer same = s.ctl({"pins", "--check", "--json"});
    CODE(same, 0);
    QCOMPARE(same.json()["result"].toString(), QString("agrees"));
    QCOMPARE(same.json()["checked"].toInt(), 2);
    QCOMPARE(same.json()["pins"].toArray().size(), 3);
    QVERIFY(!s.boundary().cutsOff());
    Served moving({.drives = R"("clock": 5000)", .sheet = pins});
    const Answer differs = moving.ctl({"pins", "--check"});
    CODE(differs, 1);
    QVERIFY2(differs.out.contains("alarm             moves  should be 0"), qPrintable(differs.out));
    QVERIFY2(moving.sim().violations().empty(), moving.sim().violations().c_str());
    CODE(s.ctl({"pins", "--check", "--port", "IO(0)"}), 2);
    CODE(s.ctl({"pins"}), 2);
    Served none;
    CODE(none.ctl({"pins", "--check"}), 2);
  }
};

IMPRIMO_TEST(PinsCommandTest);
#include "tst_pins_command.moc"
