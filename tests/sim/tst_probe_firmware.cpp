// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTemporaryDir>

#include "core/base/atomic_file.h"
#include "sim/in_process_link.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::sim;
using namespace imprimo::test;

namespace {

std::unique_ptr<Bench> gauge() {
  return readBench(std::string(IMPRIMO_DEMO) + "/bench.json");
}

/// The one answer to a packet.
Bytes ask(Bench& bench, const Bytes& packet) {
  const auto answers = bench.process(packet);
  return answers && answers->size() == 1 ? answers->front() : Bytes{};
}

}  // namespace

class ProbeFirmwareTest : public QObject {
  Q_OBJECT
 private slots:
  void everyCommandOfTheContractIsAnswered() {
    const auto bench = gauge();
    QCOMPARE(ask(*bench, {0x00, 0xFE}), (Bytes{0x00, 1, 4}));
    QCOMPARE(ask(*bench, {0x00, 0xFF}), (Bytes{0x00, 2, 0x00, 0x02}));
    QCOMPARE(ask(*bench, {0x00, 0xF0}), (Bytes{0x00, 1, 0x13}));
    QCOMPARE(ask(*bench, {0x01, 0, 1}), (Bytes{0x01, 0}));
    QCOMPARE(ask(*bench, {0x02, 2}), (Bytes{0x02, 2}));
    QCOMPARE(ask(*bench, {0x04, 0, 0, 0, 0, 0}), (Bytes{0x04, 0}));
    QCOMPARE(ask(*bench, {0x05, 0, 1, 0x02}), (Bytes{0x05, 0, 7}));
    QCOMPARE(ask(*bench, {0x06, 0, 1, 0, 0x02}), (Bytes{0x06, 0, 0, 7}));
    QCOMPARE(ask(*bench, {0x08, 0, 0, 0, 0, 0}), (Bytes{0x08, 0}));
    QCOMPARE(ask(*bench, {0x09, 10, 0}), (Bytes{0x09, 0}));
    QCOMPARE(ask(*bench, {0x0A}), (Bytes{0x0A, 0, 0}));
    QCOMPARE(ask(*bench, {0x10, 0x80, 0x80, 0, 0, 0, 0})[0], 0x10);
    QCOMPARE(ask(*bench, {0x11, 0x40, 0x42, 0x0F, 0}), (Bytes{0x11, 0}));
    QCOMPARE(ask(*bench, {0x11, 0, 0, 0, 0}), (Bytes{0x11, 0xFF}));
    QCOMPARE(ask(*bench, {0x12, 5, 0x1F}), (Bytes{0x12, 0}));
    QCOMPARE(ask(*bench, {0x13, 0}), (Bytes{0x13, 0}));
    QCOMPARE(ask(*bench, {0x1D, 1, 0x88}), (Bytes{0x1D, 0, 0xFF}));
    QCOMPARE(ask(*bench, {0x03}), (Bytes{0x03, 0}));
    QCOMPARE(ask(*bench, {0x55}), (Bytes{0xFF}));
    QVERIFY(bench->process(Bytes{0x07})->empty());
  }

  void idcodesComeByScanAndByCommand() {
    const auto bench = gauge();
    // Five ones, a zero; 1 0 0 into Shift-DR; 64 bits.
    const Bytes answer = ask(*bench, {0x14, 5, 0x45, 0, 0x01, 0, 0x41, 0, 0x02, 0, 0x80, 0, 0, 0, 0, 0, 0, 0, 0});
    QCOMPARE(loadLe32(&answer[2]), 0x0BA0AFFBu);
    QCOMPARE(loadLe32(&answer[6]), 0x1F40AFFDu);
    ask(*bench, {0x14, 2, 0x45, 0, 0x01, 0});
    // Devices are counted from TDO.
    QCOMPARE(ask(*bench, {0x15, 3, 4, 6, 8}), (Bytes{0x15, 0}));
    QCOMPARE(ask(*bench, {0x16, 0}), (Bytes{0x16, 0, 0xFB, 0xAF, 0xA0, 0x0B}));
    QCOMPARE(ask(*bench, {0x16, 3})[1], 0xFF);
    QCOMPARE(ask(*bench, {0x15, 9, 4, 4, 4, 4, 4, 4, 4, 4, 4}), (Bytes{0x15, 0xFF}));
  }

  void whatAProbeDoesNotHaveItSays() {
    const auto bench = parseBench(R"({"imprimo_bench": 1, "chain": [{"name": "p", "ir_length": 4, "instructions": []}],
      "probe": {"atomic_commands": false, "delay": "unknown", "lowest_clock": 400000}})",
                                  "b");
    QCOMPARE(ask(*bench, {0x00, 0xF0}), (Bytes{0x00, 1, 3}));
    QCOMPARE(ask(*bench, {0x7F, 1, 0x09, 1, 0}), (Bytes{0xFF}));
    QCOMPARE(ask(*bench, {0x7E, 1, 0x09, 1, 0}), (Bytes{0xFF}));
    QCOMPARE(ask(*bench, {0x09, 1, 0}), (Bytes{0xFF}));
    QCOMPARE(ask(*bench, {0x11, 0xA0, 0x86, 1, 0}), (Bytes{0x11, 0}));  // 100 kHz
    const Time before = bench->board().now();
    ask(*bench, {0x14, 1, 0, 0, 0, 0, 0, 0, 0, 0, 0});
    QCOMPARE(bench->board().now() - before, Time{160} * kMicrosecond);  // 64 clocks at four times that
  }

  void severalCommandsInOnePacket() {
    const auto bench = gauge();
    QCOMPARE(ask(*bench, {0x7F, 2, 0x00, 0xFE, 0x09, 1, 0}), (Bytes{0x7F, 2, 0x00, 1, 4, 0x09, 0}));
  }

  void queuedPacketsAreAnsweredWithTheNextThatIsNot() {
    const auto bench = gauge();
    QVERIFY(bench->process(Bytes{0x7E, 1, 0x00, 0xFE})->empty());
    QVERIFY(bench->process(Bytes{0x7E, 1, 0x09, 1, 0})->empty());
    const auto answers = *bench->process(Bytes{0x00, 0xF0});
    QCOMPARE(answers.size(), 3u);
    QCOMPARE(answers[0], (Bytes{0x7F, 1, 0x00, 1, 4}));
    QCOMPARE(answers[1], (Bytes{0x7F, 1, 0x09, 0}));
    QCOMPARE(answers[2], (Bytes{0x00, 1, 0x13}));
  }

  void aQueuedDisconnectIsAnsweredToo() {
    const auto bench = gauge();
    bench->process(Bytes{0x7E, 1, 0x03});
    bench->process(Bytes{0x7E, 1, 0x00, 0xFE});
    const auto answers = *bench->process(Bytes{0x00, 0xF0});
    QCOMPARE(answers.size(), 3u);
    QCOMPARE(answers[0], (Bytes{0x7F, 1, 0x03, 0}));
    QCOMPARE(answers[1], (Bytes{0x7F, 1, 0x00, 1, 4}));
  }

  void packetsThatEndInTheMiddleAreAnsweredWithAnError() {
    const auto bench = gauge();
    QCOMPARE(ask(*bench, {0x14, 2, 0x08, 0}), (Bytes{0x14, 0xFF}));
    QCOMPARE(ask(*bench, {0x11, 1}), (Bytes{0x11, 0xFF}));
  }

  void aLatencyIsPaidOnlyWhereSomebodyWaits() {
    const auto one = gauge(), many = gauge();
    const Bytes delay{0x09, 0xE8, 0x03};  // 1 ms of work
    InProcessLink slow(*one), fast(*many);
    for (int i = 0; i < 10; ++i) {
      QVERIFY(slow.send(delay));
      slow.receive();
    }
    for (int i = 0; i < 4; ++i) fast.send(delay);
    for (int i = 4; i < 10; ++i) {
      fast.receive();
      fast.send(delay);
    }
    for (int i = 0; i < 4; ++i) fast.receive();
    QVERIFY(!fast.receive());
    QCOMPARE(slow.hostTime(), fromSeconds(10 * 1.25e-3));
    QCOMPARE(fast.hostTime(), fromSeconds(10 * 1e-3 + 0.25e-3));
  }

  void aBadDescriptionNamesKeyAndLine() {
    const auto error = [](const std::string& text) { return errorOf([&] { parseBench(text, "b.json"); }); };
    COMPARE_TEXT(error("{\"imprimo_bench\": 1,\n\"chain\": [{\"name\": \"a\",\n\"ir_length\": 1}]}"),
                 "b.json:3: chain[0].ir_length: should be 2 to 64");
    COMPARE_TEXT(error("{\"imprimo_bench\": 1,\n\"chain\": [], \"x\": 1}"), "b.json:1: there is no key x");
    COMPARE_TEXT(error("{\"imprimo_bench\": 1}"), "b.json:1: chain: this key is missing");
    VERIFY_CONTAINS(
        error("{\"imprimo_bench\": 1, \"chain\": [{\"name\": \"a\", \"ir_length\": 4, \"bridge\": \"f\"}]}"),
        "no flash of that name");
    VERIFY_CONTAINS(error("{\"imprimo_bench\": 1, \"chain\": [], \"flashes\": [{\"name\": \"f\", \"id\": \"1\", "
                          "\"size\": \"1M\", \"faults\": [{\"kind\": \"odd\"}]}]}"),
                    "flashes[0].faults[0].kind: is no fault");
  }
};
IMPRIMO_TEST(ProbeFirmwareTest);
#include "tst_probe_firmware.moc"
