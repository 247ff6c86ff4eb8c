// SPDX-License-Identifier: GPL-3.0-or-later
//
// Serial ports: the simulated core's by a pseudo-terminal, bit by bit; rates that are found; ports listed by what they
// hang on.
#include <random>
#include <thread>

#include "core/bench/cores/core_speech.h"
#include "core/probe/serial_ports.h"
#include "serial/serial_source.h"
#include "sim/serial/serial_pty.h"
#include "tests/console/console_world.h"
#include "tests/console/uart_hearing.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/usb_tree.h"

using namespace imprimo;
using namespace imprimo::console;
using namespace imprimo::test;

namespace {

/// A core with a serial interface, and the port that leads to it.
struct SerialWorld {
  explicit SerialWorld(unsigned baud = 115200, const std::string& console = {})
      : world(consoleFirmware("SERIAL"), options(baud, console)), port(world.sim().board()) {
    world.bench();
  }
  static CoreWorldOptions options(unsigned baud, const std::string& console) {
    CoreWorldOptions options;
    options.core = R"(, "uart": )" + std::to_string(baud);
    if (!console.empty()) options.coreKeys = R"(, "console": )" + console;
    return options;
  }
  /// Runs board and port until a channel has said the text; the board's time goes on by `step` between looks.
  bool until(Source& source, const std::string& text, int looks = 3000, double step = 0.001) {
    for (int i = 0; i < looks; ++i) {
      world.sim().board().advance(sim::fromSeconds(step));
      port.pump();
      for (const Heard& heard : source.hear()) {
        all += textOf(heard.bytes);
        if (!heard.note.empty()) notes += heard.note + "\n";
      }
      if (all.find(text) != std::string::npos) return true;
      std::this_thread::sleep_for(std::chrono::microseconds(300));
    }
    return false;
  }
  ConsoleWorld world;
  sim::SerialPty port;
  std::string all, notes;
};

/// A source whose port is carried over with each look.
struct Pumped : serial::SerialSource {
  Pumped(sim::SerialPty& pty, const std::string& node, const SerialSettings& settings)
      : SerialSource(node, settings, "serial"), port(pty) {}
  std::vector<Heard> hear() override {
    port.pump();
    return SerialSource::hear();
  }
  sim::SerialPty& port;
};

SerialSettings at(unsigned baud) {
  SerialSettings settings;
  settings.baud = baud;
  return settings;
}

}  // namespace

class SerialTest : public QObject {
  Q_OBJECT
 private slots:
  void bytesCrossBothWays() {
    SerialWorld world;
    serial::SerialSource source(world.port.path(), at(115200), "serial");
    QVERIFY(world.until(source, "tick\r\ntick\r\n"));
    const std::string question = "?\n";
    QCOMPARE(source.tell(ByteSpan(reinterpret_cast<const std::uint8_t*>(question.data()), 2)), 2u);
    QVERIFY2(world.until(source, "heard ?"), world.all.c_str());
    COMPARE_TEXT(world.world.sim().violations(), "");
  }

  void linesEndAsTheSettingsSay() {
    for (const auto& [ending, code] :
         {std::pair{SerialSettings::Ending::Lf, "0A"}, {SerialSettings::Ending::Cr, "0D"}}) {
      SerialWorld world;
      SerialSettings settings = at(115200);
      settings.ending = ending;
      serial::SerialSource source(world.port.path(), settings, "serial");
      QVERIFY(world.until(source, "tick"));
      source.tell(Bytes{'\n'});
      QVERIFY2(world.until(source, std::string("heard #") + code), world.all.c_str());
    }
  }

  void theRateIsFound_data() {
    QTest::addColumn<unsigned>("baud");
    for (const unsigned baud : {1200u, 9600u, 38400u, 57600u, 115200u, 230400u, 921600u, 2000000u})
      QTest::addRow("%u", baud) << baud;
  }
  void theRateIsFound() {
    QFETCH(unsigned, baud);
    SerialWorld world(baud);
    serial::SerialSource source(world.port.path(), {}, "serial");
    QVERIFY2(world.until(source, "tick\r\ntick", 6000, baud < 9600 ? 0.01 : 0.001), world.notes.c_str());
    COMPARE_TEXT(world.notes, world.port.path() + " speaks " + std::to_string(baud) + " 8N1\n");
  }

  /// The first byte behind a long silence comes alone, and says nothing of the rate by itself: at half the
  /// rate that is listened to, the "g" of the greeting is taken for a "~".
  void theRateIsFoundBehindSilence() {
    SerialWorld world(460800);
    world.port.pump();  // what was said before nobody hears
    world.world.chip().core().reset();
    serial::SerialSource source(world.port.path(), {}, "serial");
    for (int i = 0; i < 50; ++i) {
      QVERIFY(source.hear().empty());
      std::this_thread::sleep_for(std::chrono::milliseconds(10));
    }
    QVERIFY(world.until(source, "tick\r\ntick", 20'000, 0.00002));
    COMPARE_TEXT(world.notes, world.port.path() + " speaks 460800 8N1\n");
  }

  void atAnotherRateItIsNotWhatWasSaid() {
    SerialWorld world(115200);
    serial::SerialSource source(world.port.path(), at(57600), "serial");
    QVERIFY(!world.until(source, "tick", 300));
    QVERIFY(!world.all.empty());
  }

  void aPortThatGoesAwayIsWaitedFor() {
    SerialWorld world;
    QTemporaryDir folder;
    const std::string name = folder.filePath("ttyTest").toStdString();
    QVERIFY(QFile::link(QString::fromStdString(world.port.path()), QString::fromStdString(name)));
    serial::SerialSource source(name, at(115200), "serial");
    QVERIFY(world.until(source, "tick"));
    world.port.unplug();
    QFile::remove(QString::fromStdString(name));
    for (int i = 0; i < 100 && world.notes.empty(); ++i) world.until(source, "never", 1);
    VERIFY_CONTAINS(world.notes, "went away");
    world.all.clear();
    world.until(source, "never", 100);
    QVERIFY(world.all.empty());
    world.port.plugIn();
    QVERIFY(QFile::link(QString::fromStdString(world.port.path()), QString::fromStdString(name)));
    QVERIFY(world.until(source, "tick", 5000));
    VERIFY_CONTAINS(world.notes, "is there again");
  }

  void aPortThatIsNotThereIsSaid() {
    VERIFY_CONTAINS(errorOf([] { serial::SerialSource("/dev/ttyNone9", {}, "serial"); }),
                    "the serial port /dev/ttyNone9 does not open");
  }

  void aRunHearsWhatIsSaidBehindTheRestart() {
    SerialWorld world(115200);
    bench::BenchCore& core = world.world.bench().core("core");
    core.setSerial([&](const std::string& port, const SerialSettings& settings) -> std::unique_ptr<Source> {
      return std::make_unique<Pumped>(world.port, port, settings);
    });
    sheet::CoreSpeech wanted;
    wanted.sources = {"serial:" + world.port.path()};
    wanted.serial.baud = 115200;
    wanted.waitFor = "gauge ready";
    wanted.seconds = 20;
    const Speech speech = bench::hearSpeech(core, wanted, {});
    QVERIFY2(speech.seen, speech.text.c_str());
  }

  void textIsFoundAmongRates() {
    // What a search would be told, without a port: the rate is asked until it stays.
    for (const unsigned wanted : {9600u, 74880u, 115200u, 500000u}) {
      BaudSearch search;
      std::mt19937 random(wanted);
      for (int i = 0; i < 100 && !search.found(); ++i) {
        Bytes text;
        for (const char c : std::string("level=1472 mm\r\n")) text.push_back(static_cast<std::uint8_t>(c));
        search.take(heardAt(search.rate(), text, wanted), false);
      }
      QCOMPARE(search.found().value_or(0), wanted);
    }
  }

  void binaryEndsTheSearchToo() {
    std::mt19937 random(7);
    BaudSearch search;
    int looks = 0;
    for (; looks < 100 && !search.found(); ++looks)
      search.take(heardAt(search.rate(), randomBytes(random, 60), 115200), true);
    QVERIFY(search.found());
    QVERIFY(looks < 30);
  }

  void portsAreListedByWhatTheyHangOn() {
    UsbTree tree;
    tree.addDap("1-2", "LINK", "Probe");
    tree.addSerial("1-2", 2, "ttyACM0", "cdc_acm");
    tree.addDap("1-3", "OTHER", "Probe");
    tree.addSerial("1-3", 2, "ttyACM1", "cdc_acm");
    tree.addPlain("1-5", "BOARD", "River gauge");
    tree.addSerial("1-5", 0, "ttyACM2", "cdc_acm");
    tree.addPlain("1-6", "CABLE", "Cable");
    tree.addSerial("1-6", 0, "ttyUSB0", "ftdi_sio");
    tree.addLine("ttyS0", "serial8250");
    tree.addLine("ttyS4", "serial");
    tree.hold("1-3", 812, "gauge-logger", "/dev/ttyACM1");
    const auto ports = probe::listSerialPorts(tree.root(), {}, "usb:LINK");
    QStringList all;
    for (const probe::SerialPort& port : ports) {
      all += QString::fromStdString(port.node + ": " + port.words() + (port.newest ? ", newest" : "") +
                                    (port.holder.empty() ? "" : ", " + port.holder));
    }
    QCOMPARE(all,
             (QStringList{"/dev/ttyACM0: this probe, Made up Probe (LINK)",
                          "/dev/ttyACM1: another probe, Made up Probe (OTHER), gauge-logger",
                          "/dev/ttyACM2: a board, Made up River gauge (BOARD)",
                          "/dev/ttyUSB0: an adapter, Made up Cable (CABLE), newest", "/dev/ttyS4: this computer"}));
    COMPARE_TEXT(probe::likelyPort(ports).node, "/dev/ttyACM0");
    // With no probe meant, somebody has to say which.
    const auto others = probe::listSerialPorts(tree.root(), {}, {});
    VERIFY_CONTAINS(errorOf([&] { probe::likelyPort(others); }),
                    "there are several serial ports: /dev/ttyACM0 on another");
    VERIFY_CONTAINS(errorOf([&] { probe::likelyPort({}); }), "there is no serial port");
  }
};

IMPRIMO_TEST(SerialTest);
#include "tst_serial.moc"
