// SPDX-License-Identifier: GPL-3.0-or-later
//
// Instrumentation trace: packets taken apart, and heard from the simulated core by SWO in both codings, with clocks
// that are not the ones expected.
#include <random>

#include "core/bench/cores/core_speech.h"
#include "core/bench/swo/swo_source.h"
#include "core/console/bit_lengths.h"
#include "tests/console/console_world.h"
#include "tests/console/uart_hearing.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::console;
using namespace imprimo::test;

namespace {

using Written = ItmStream::Written;

/// A bench whose probe hears SWO, and whose core has trace.
CoreWorldOptions traced(const std::string& chip, const std::string& probe = {}, const std::string& console = {}) {
  CoreWorldOptions options;
  options.probe = R"(, "swo": {"uart": true)" + probe + "}";
  options.core = R"(, "swo": {)" + chip + "}";
  if (!console.empty()) options.coreKeys = R"(, "console": )" + console;
  return options;
}

/// Of all that was heard: one channel's text.
std::string said(const ConsoleWorld& world, const std::string& channel) {
  Bytes all;
  for (const Heard& heard : world.heardAll) {
    if (heard.channel == channel) all.insert(all.end(), heard.bytes.begin(), heard.bytes.end());
  }
  return textOf(all);
}

std::string notes(const ConsoleWorld& world) {
  std::string all;
  for (const Heard& heard : world.heardAll) all += heard.note.empty() ? std::string() : heard.note + "\n";
  return all;
}

}  // namespace

class ItmTest : public QObject {
  Q_OBJECT
 private slots:

  void packetsAreTakenApart() {
    ItmStream stream;
    // Port 0 a byte, port 3 a half-word, port 31 a word.
    auto news = stream.add(Bytes{0x01, 'A', 0x1A, 0x34, 0x12, 0xFB, 0x78, 0x56, 0x34, 0x12});
    QCOMPARE(news.writes, (std::vector<Written>{{0, 1, 'A'}, {3, 2, 0x1234}, {31, 4, 0x12345678}}));
    QCOMPARE(news.strange, 0u);
    // Between them: time stamps of both lengths, global ones, an extension, samples, synchronization, overflow.
    news = stream.add(Bytes{0x20, 0x01, 'B', 0xC0, 0x81, 0x01, 0x01, 'C',  0x94, 0x80, 0x01, 0xB4,
                            0x01, 0x01, 'D', 0x08, 0x17, 1,    2,    3,    4,    0x01, 'E',  0,
                            0,    0,    0,   0,    0x80, 0x01, 'F',  0x70, 0x01, 'G'});
    std::string text;
    for (const Written& write : news.writes) text += static_cast<char>(write.value);
    QCOMPARE(text, std::string("BCDEFG"));
    QCOMPARE(news.strange, 0u);
    QCOMPARE(news.overflows, 1u);
  }

  void packetsComeInAnyPieces() {
    std::mt19937 random(42);
    for (int round = 0; round < 200; ++round) {
      Bytes bytes;
      std::vector<Written> sent;
      for (int i = 0; i < 40; ++i) {
        if (random() % 5 == 0) {
          bytes.insert(bytes.end(), {0, 0, 0, 0, 0, 0x80});
          continue;
        }
        const unsigned width = 1u << random() % 3, port = random() % 32;
        const std::uint32_t value = random() & (width == 4 ? ~0u : (1u << (8 * width)) - 1);
        sent.push_back({port, width, value});
        bytes.push_back(static_cast<std::uint8_t>(port << 3 | (width == 4 ? 3 : width)));
        for (unsigned k = 0; k < width; ++k) bytes.push_back(static_cast<std::uint8_t>(value >> (8 * k)));
      }
      ItmStream stream;
      std::vector<Written> got;
      for (std::size_t at = 0; at < bytes.size();) {
        const std::size_t some = std::min<std::size_t>(1 + random() % 7, bytes.size() - at);
        const auto news = stream.add(ByteSpan(bytes).subspan(at, some));
        got.insert(got.end(), news.writes.begin(), news.writes.end());
        QCOMPARE(news.strange, 0u);
        at += some;
      }
      QCOMPARE(got, sent);
    }
  }

  void whatNoPacketBeginsWithIsCounted() {
    ItmStream stream;
    QCOMPARE(stream.add(Bytes{0x84}).strange, 1u);
    QCOMPARE(stream.add(Bytes{0x80}).strange, 1u);  // the end of a synchronization without its beginning
    QCOMPARE(stream.add(Bytes{0, 0, 0x01, 'x'}).strange, 2u);
    const auto news = stream.add(Bytes{0x01, 'y'});
    QCOMPARE(news.strange, 0u);
    QCOMPARE(news.writes, (std::vector<Written>{{0, 1, 'y'}}));
  }

  void portsCarryTextOrNumbers() {
    const std::vector<Written> writes{{0, 1, 'h'},        {3, 4, 1472}, {0, 1, 'i'},        {4, 2, 0xFFFE},
                                      {5, 4, 0x3FC00000}, {6, 2, 0x1A}, {7, 4, 0x00006B6F}, {8, 1, 7}};
    const ItmPorts ports{{3, {"level", ItmPort::As::ByWidth}}, {4, {"drift", ItmPort::As::Signed}},
                         {5, {"flow", ItmPort::As::Float}},    {6, {"flags", ItmPort::As::Hex}},
                         {7, {{}, ItmPort::As::Text}},         {8, {{}, ItmPort::As::Unsigned}}};
    std::map<std::string, std::string> all;
    for (const Heard& heard : itmHeard(writes, ports)) all[heard.channel] += textOf(heard.bytes);
    const std::map<std::string, std::string> wanted{
        {"itm 0", "hi"},         {"itm 3", "level=1472\n"},   {"itm 4", "drift=-2\n"},
        {"itm 5", "flow=1.5\n"}, {"itm 6", "flags=0x001a\n"}, {"itm 7", "ok"},
        {"itm 8", "itm8=7\n"}};
    QCOMPARE(all, wanted);
  }

  void bitLengthsTellTheRate_data() {
    QTest::addColumn<double>("share");
    for (const double share : {2.6, 3.0, 4.0, 5.5, 7.0, 8.3}) QTest::addRow("%g times as fast", share) << share;
  }
  void bitLengthsTellTheRate() {
    QFETCH(double, share);
    Bytes text;
    for (const char c : std::string("The level is 1472 mm and rises.\r\n"))
      text.push_back(static_cast<std::uint8_t>(c));
    const auto low = shortestLow(heardAt(115200 * share, text, 115200));
    QVERIFY(low);
    QVERIFY2(std::abs(*low - share) <= 1, qPrintable(QString::number(*low)));
  }
  void aReceiverThatIsFarTooFastHearsNoBits() {
    QVERIFY(!shortestLow(heardAt(921600, {'a', 'b', 'c'}, 9600)));
    QVERIFY(!shortestLow({}));
  }

  void traceIsHeard_data() {
    QTest::addColumn<QString>("chip");
    QTest::addColumn<QString>("probe");
    QTest::addColumn<QString>("console");
    QTest::newRow("clock not known") << R"("clock": 16000000)"
                                     << ""
                                     << "";
    QTest::newRow("slow clock") << R"("clock": 1000000)"
                                << ""
                                << "";
    QTest::newRow("fast clock") << R"("clock": 120000000)"
                                << ""
                                << "";
    QTest::newRow("odd clock, slow receiver") << R"("clock": 13370000)"
                                              << R"(, "highest": 1000000)"
                                              << "";
    QTest::newRow("clock told") << R"("clock": 16000000)"
                                << ""
                                << R"({"swo": {"clock": 16000000, "rate": 1000000}})";
    QTest::newRow("clock told wrong") << R"("clock": 12000000)"
                                      << ""
                                      << R"({"swo": {"clock": 16000000}})";
    QTest::newRow("clock that drifts") << R"("clock": 16000000, "drift": 0.03, "drift_s": 1)"
                                       << ""
                                       << "";
    QTest::newRow("clock that drifts down") << R"("clock": 16000000, "drift": -0.03, "drift_s": 1)"
                                            << ""
                                            << "";
    QTest::newRow("Manchester") << R"("clock": 16000000, "drift": 0.03, "drift_s": 1)"
                                << R"(, "manchester": true)"
                                << R"({"swo": {"coding": "manchester"}})";
  }
  void traceIsHeard() {
    QFETCH(QString, chip);
    QFETCH(QString, probe);
    QFETCH(QString, console);
    ConsoleWorld world(consoleFirmware("TRACE"),
                       traced(chip.toStdString(), probe.toStdString(), console.toStdString()));
    bench::SwoSource source(world.bench().core("core"), world.bench().core("core").entry().console.swo);
    world.hear(source, 1.5);
    source.end();
    const std::string text = said(world, "itm 0");
    QVERIFY2(text.size() > 200, notes(world).c_str());
    // The first line may have been begun before.
    std::size_t lines = 0, wrong = 0;
    for (std::size_t at = text.find('\n') + 1, end; (end = text.find('\n', at)) != std::string::npos; at = end + 1) {
      ++lines;
      wrong += text.substr(at, end - at) == "tick" ? 0 : 1;
    }
    QVERIFY(lines > 50);
    QVERIFY2(wrong == 0, (notes(world) + text.substr(0, 200)).c_str());
    // Numbers come without a hole.
    const std::string numbers = said(world, "itm 3");
    int last = 0;
    for (std::size_t at = 0, end; (end = numbers.find('\n', at)) != std::string::npos; at = end + 1) {
      QCOMPARE(numbers.substr(at, 5), std::string("itm3="));
      const int value = std::stoi(numbers.substr(at + 5));
      if (last != 0) QCOMPARE(value, last + 1);
      last = value;
    }
    QVERIFY(last > 500);
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void theClockThatWasFoundIsSaid() {
    ConsoleWorld world(consoleFirmware("TRACE"),
                       traced(R"("clock": 12000000)", {}, R"({"swo": {"clock": 16000000, "rate": 500000}})"));
    bench::SwoSource source(world.bench().core("core"), world.bench().core("core").entry().console.swo);
    world.hear(source, 0.1);
    const std::string all = notes(world);
    QVERIFY2(all.find("and not of 16 MHz") != std::string::npos, all.c_str());
    const std::size_t at = all.find("from a clock of ");
    QVERIFY(at != std::string::npos);
    QVERIFY2(std::abs(std::stod(all.substr(at + 16)) - 12) < 0.2, all.c_str());
  }

  void aPinThatIsSomethingElseTakesTheStepsOfTheCard() {
    CoreWorldOptions options = traced(R"("pin_off": true)");
    const Bytes code = consoleFirmware("TRACE");
    {
      ConsoleWorld world(code, options);
      try {
        bench::SwoSource source(world.bench().core("core"), world.bench().core("core").entry().console.swo);
        QFAIL("heard on a pin that is something else");
      } catch (const Error& e) {
        QCOMPARE(e.kind(), ErrorKind::Refused);
        COMPARE_TEXT(std::string(e.what()), "nothing of the trace of core comes on SWO");
      }
      // Left as it was found.
      QCOMPARE(world.bench().core("core").bus().readWord(0xE000EDFC) >> 24 & 1, 0u);
    }
    options.card = R"(, "trace": {"clock": 16000000, "steps": [{"write": {"at": "0x40040000", "value": 1}}]})";
    ConsoleWorld world(code, options);
    bench::SwoSource source(world.bench().core("core"), world.bench().core("core").entry().console.swo);
    world.hear(source, 0.2);
    QVERIFY(said(world, "itm 0").find("tick\ntick\n") != std::string::npos);
  }

  void aCoreWithoutTraceAndAProbeWithoutAReceiverAreSaid() {
    CoreWorldOptions without = traced("");
    without.core.clear();
    ConsoleWorld noTrace(consoleFirmware("TRACE", {}), without);
    VERIFY_CONTAINS(errorOf([&] {
                      bench::SwoSource(noTrace.bench().core("core"), noTrace.bench().core("core").entry().console.swo);
                    }),
                    "core has no instrumentation trace (ITM)");
    CoreWorldOptions deaf = traced("");
    deaf.probe.clear();
    ConsoleWorld noReceiver(consoleFirmware("TRACE"), deaf);
    VERIFY_CONTAINS(errorOf([&] {
                      bench::SwoSource(noReceiver.bench().core("core"),
                                       noReceiver.bench().core("core").entry().console.swo);
                    }),
                    "cannot listen to SWO");
    ConsoleWorld noManchester(consoleFirmware("TRACE"), traced("", "", R"({"swo": {"coding": "manchester"}})"));
    VERIFY_CONTAINS(errorOf([&] {
                      bench::SwoSource(noManchester.bench().core("core"),
                                       noManchester.bench().core("core").entry().console.swo);
                    }),
                    "the probe cannot listen to SWO in Manchester coding");
  }

  void traceIsSetUpAgainAfterALossOfPower() {
    ConsoleWorld world(consoleFirmware("TRACE"), traced(""));
    bench::BenchCore& core = world.bench().core("core");
    bench::SwoSource source(core, {});
    world.hear(source, 0.3);
    QVERIFY(said(world, "itm 0").find("tick\ntick\n") != std::string::npos);
    core.bus().writeWord(0xE000EDFC, 0);  // as a firmware of bad manners does it
    world.heardAll.clear();
    world.hear(source, 0.5);
    QVERIFY(said(world, "itm 0").find("tick\ntick\n") != std::string::npos);
  }

  /// Where trace cannot be set up again that is said, and nobody else's listening ends by it.
  void traceThatDoesNotComeAgainIsSaid() {
    CoreWorldOptions options = traced("\"pin_off\": true");
    options.card = ", \"trace\": {\"steps\": [{\"write\": {\"at\": \"0x40040000\", \"value\": 1}}]}";
    ConsoleWorld world(consoleFirmware("TRACE"), options);
    bench::BenchCore& core = world.bench().core("core");
    bench::SwoSource source(core, {});
    world.hear(source, 0.1);
    world.chip().trace()->cutPin();
    core.bus().writeWord(0xE000EDFC, 0);
    world.heardAll.clear();
    world.hear(source, 0.4);
    const std::string all = notes(world);
    QVERIFY2(all.find("nothing of the trace of core comes on SWO") != std::string::npos, all.c_str());
  }

  void aProbeWhoseBufferIsFullLosesAndSaysSo() {
    ConsoleWorld world(consoleFirmware("TRACE"), traced("", R"(, "room": 64)"));
    bench::BenchCore& core = world.bench().core("core");
    bench::SwoSource source(core, {});
    world.pass(0.5);
    world.hear(source, 0.01);
    const std::string all = notes(world);
    QVERIFY2(all.find("found no room in the probe") != std::string::npos, all.c_str());
    world.heardAll.clear();
    world.hear(source, 0.3);
    QVERIFY(said(world, "itm 0").find("tick\ntick\n") != std::string::npos);
  }

  void aRunHearsTheFirstByteAfterTheRestart() {
    ConsoleWorld world(consoleFirmware("TRACE"), traced(""));
    sheet::CoreSpeech wanted;
    wanted.sources = {"itm"};
    wanted.waitFor = "gauge ready";
    wanted.seconds = 5;
    const Speech speech = bench::hearSpeech(world.bench().core("core"), wanted, {});
    QVERIFY2(speech.seen, speech.text.c_str());
    COMPARE_TEXT(world.sim().violations(), "");
  }
};

IMPRIMO_TEST(ItmTest);
#include "tst_itm.moc"
