// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTest>

#include "core/svf/reader.h"
#include "core/svf/recorder.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

namespace {

using namespace imprimo;
using namespace imprimo::svf;
using namespace imprimo::test;
using jtag::Register;
using jtag::Rest;
using jtag::ScanBatch;

BitVector bits(const char* digits, std::size_t size) {
  return *BitVector::fromDigits(digits, size);
}

/// What is written behind the head that every file has.
std::string written(const std::function<void(Writer&)>& write, WriterOptions options = {1e6, 250, false}) {
  std::string text;
  Writer writer([&](std::string_view some) { text += some; }, options);
  writer.begin();
  writer.finish();
  text.clear();
  write(writer);
  writer.finish();
  return text;
}

std::string recorded(const ScanBatch& batch, jtag::ScanAnswers* answers = nullptr) {
  return written([&](Writer& writer) {
    Recorder recorder(writer);
    auto result = recorder.run(batch);
    if (answers != nullptr) *answers = std::move(result);
  });
}

jtag::Scan scan(Register into, BitVector out, Rest from = Rest::Idle, Rest until = Rest::Idle) {
  jtag::Scan s;
  s.into = into;
  s.out = std::move(out);
  s.from = from;
  s.until = until;
  return s;
}

class SvfWriterTest : public QObject {
  Q_OBJECT
 private slots:
  void headLeavesNothingOpen() {
    std::string text;
    Writer writer([&](std::string_view some) { text += some; }, {2.5e6, 250, false});
    writer.begin();
    writer.finish();
    COMPARE_TEXT(text,
                 "STATE RESET;\nENDIR IDLE;\nENDDR IDLE;\nSTATE IDLE;\nFREQUENCY 2.500000E+06 HZ;\nTIR 0;\nHIR 0;\nTDR "
                 "0;\nHDR 0;\n");
    QCOMPARE(writer.bytes(), text.size());
  }

  void digitsAreThoseOfTheScan() {
    COMPARE_TEXT(written([](Writer& w) { w.scan(Field::Sir, bits("3", 2)); }), "SIR 2 TDI (3);\n");
    COMPARE_TEXT(written([](Writer& w) { w.scan(Field::Sdr, bits("A5", 13)); }), "SDR 13 TDI (00A5);\n");
    const BitVector tdo = bits("12", 13), mask = bits("1F", 13);
    COMPARE_TEXT(written([&](Writer& w) { w.scan(Field::Sdr, bits("A5", 13), &tdo, &mask); }),
                 "SDR 13 TDI (00A5) TDO (0012) MASK (001F);\n");
    COMPARE_TEXT(written([&](Writer& w) { w.scan(Field::Sdr, bits("A5", 13), &tdo, &mask); }, {1e6, 250, true}),
                 "SDR 13 TDI (A5) TDO (0012) MASK (001F);\n");
    COMPARE_TEXT(written([&](Writer& w) { w.scan(Field::Sdr, BitVector(70)); }, {1e6, 250, true}), "SDR 70 TDI (0);\n");
  }

  void aMaskStandsAsLongAsItIsTheSame() {
    const BitVector tdo = bits("1", 8), mask = bits("F0", 8), other = bits("0F", 8);
    COMPARE_TEXT(written([&](Writer& w) {
                   w.scan(Field::Sdr, bits("1", 8), &tdo, &mask);
                   w.scan(Field::Sdr, bits("2", 8), &tdo, &mask);
                   w.scan(Field::Sir, bits("3", 8), &tdo, &mask);
                   w.scan(Field::Sdr, bits("4", 8), &tdo, &other);
                   w.scan(Field::Sdr, bits("5", 9));
                   w.scan(Field::Sdr, bits("6", 8), &tdo, &other);
                 }),
                 "SDR 8 TDI (01) TDO (01) MASK (F0);\nSDR 8 TDI (02) TDO (01);\nSIR 8 TDI (03) TDO (01) MASK (F0);\n"
                 "SDR 8 TDI (04) TDO (01) MASK (0F);\nSDR 9 TDI (005);\nSDR 8 TDI (06) TDO (01) MASK (0F);\n");
  }

  void paddingIsWrittenWhereItChanges() {
    COMPARE_TEXT(written([](Writer& w) {
                   w.pad({4, 8, 1, 1});
                   w.pad({4, 8, 1, 1});
                   w.pad({});
                 }),
                 "TIR 8 TDI (FF);\nHIR 4 TDI (F);\nTDR 1 TDI (0);\nHDR 1 TDI (0);\nTIR 0;\nHIR 0;\nTDR 0;\nHDR 0;\n");
  }

  void waitsAreEquallyLongBothWays() {
    COMPARE_TEXT(
        written([](Writer& w) {
          w.wait(0, 0.003);
          w.wait(7000, 0);
          w.wait(10, 1);
        }),
        "RUNTEST IDLE 3000 TCK 3.000E-03 SEC ENDSTATE IDLE;\nRUNTEST IDLE 7000 TCK 7.000E-03 SEC ENDSTATE IDLE;\n"
        "RUNTEST IDLE 1000000 TCK 1.000E+00 SEC ENDSTATE IDLE;\n");
  }

  /// Lines of any allowed length, and the same file when it is read.
  void linesStayShort() {
    std::mt19937 random(4);
    for (const std::size_t most : {80, 81, 100, 255}) {
      std::vector<BitVector> sent;
      const std::string text = written(
          [&](Writer& w) {
            w.pad({most * 5, 3, 700, 0});
            for (int i = 0; i < 60; ++i) {
              sent.emplace_back();
              const std::size_t size = 1 + below(random, i % 4 == 0 ? 5000 : 400);
              for (std::size_t k = 0; k < size; ++k) sent.back().append(random() % 2 == 0);
              const BitVector mask(size, true);
              w.comment(std::string(below(random, 400), 'x') + "\n;");
              w.scan(i % 3 == 0 ? Field::Sir : Field::Sdr, sent.back(), &sent.back(), &mask);
            }
          },
          {1e6, most, false});
      std::size_t longest = 0, begin = 0;
      for (std::size_t end; (end = text.find('\n', begin)) != std::string::npos; begin = end + 1)
        longest = std::max(longest, end - begin);
      QVERIFY(longest <= most && longest > most - 12);
      Reader reader(sourceOf(text), "f");
      Statement s;
      std::size_t at = 0;
      while (reader.next(s)) {
        if (s.kind != Statement::Kind::Scan) continue;
        QVERIFY(reader.value(s.field).tdi == sent.at(at));
        QVERIFY(*reader.value(s.field).tdo == sent.at(at++));
      }
      QCOMPARE(at, sent.size());
    }
  }

  void aLongCommentEndsBetweenLetters() {
    const std::string text = written([](Writer& w) { w.comment(std::string(77, 'a') + "–b"); }, {1e6, 80, false});
    COMPARE_TEXT(text, "! " + std::string(77, 'a') + "\n");
  }

  void batchesAreWrittenDown() {
    ScanBatch batch;
    batch.reset().send(Register::Instruction, bits("1A", 6)).idle(8).delay(std::chrono::microseconds(1500));
    COMPARE_TEXT(recorded(batch),
                 "STATE RESET;\nSTATE IDLE;\nSIR 6 TDI (1A);\nRUNTEST IDLE 8 TCK 8.000E-06 SEC ENDSTATE IDLE;\n"
                 "RUNTEST IDLE 1500 TCK 1.500E-03 SEC ENDSTATE IDLE;\n");
  }

  void withoutRunTestIdleItGoesThroughPause() {
    ScanBatch batch;
    batch.add(scan(Register::Instruction, bits("1", 4), Rest::Idle, Rest::Update));
    batch.add(scan(Register::Data, bits("2", 4), Rest::Update, Rest::Update));
    batch.add(scan(Register::Instruction, bits("F", 4), Rest::Update));
    batch.add(scan(Register::Data, bits("3", 4)));
    COMPARE_TEXT(recorded(batch),
                 "ENDIR IRPAUSE;\nSIR 4 TDI (1);\nENDDR DRPAUSE;\nSDR 4 TDI (2);\nENDIR IDLE;\nSIR 4 TDI (F);\nENDDR "
                 "IDLE;\nSDR 4 TDI (3);\n");
  }

  void piecesAreOneScan() {
    ScanBatch batch;
    batch.add(scan(Register::Data, bits("5", 4), Rest::Idle, Rest::Shift));
    batch.add(scan(Register::Data, bits("A3", 8), Rest::Shift, Rest::Shift));
    batch.add(scan(Register::Data, bits("1", 1), Rest::Shift));
    COMPARE_TEXT(recorded(batch), "SDR 13 TDI (1A35);\n");
  }

  void whatIsExpectedIsWaitedForAndCompared() {
    ScanBatch batch;
    jtag::Scan looks = scan(Register::Data, BitVector(12));
    looks.captures = {{2, 4}, {6, 10}};
    looks.expected = jtag::Scan::Expected{bits("2D", 6), bits("3E", 6), std::chrono::milliseconds(2)};
    batch.add(looks);
    jtag::ScanAnswers answers;
    COMPARE_TEXT(recorded(batch, &answers),
                 "RUNTEST IDLE 2000 TCK 2.000E-03 SEC ENDSTATE IDLE;\nSDR 12 TDI (000) TDO (2C4) MASK (3C8);\n");
    QCOMPARE(answers.size(), 1u);
    COMPARE_TEXT(answers[0].digits(), "2D");
  }

  void whatWouldHaveToBeDecidedIsRefused() {
    ScanBatch batch;
    batch.exchange(Register::Data, BitVector(4));
    QVERIFY(kindOf([&] { recorded(batch); }) == ErrorKind::Refused);
  }

  void anotherFileIsPutIn() {
    const std::string other = "HIR 3 TDI (7);\nENDDR DRPAUSE;\nSDR 2 TDI (1)";
    const BitVector tdo = bits("1", 2), mask = bits("3", 2);
    const std::string text = written([&](Writer& w) {
      w.scan(Field::Sdr, bits("1", 2), &tdo, &mask);
      w.splice(sourceOf(other + ";"), 1.5);
      w.scan(Field::Sdr, bits("2", 2), &tdo, &mask);
      QVERIFY(w.seconds() > 1.5);
    });
    VERIFY_CONTAINS(text, other + ";\nSTATE RESET;\nENDIR IDLE;\nENDDR IDLE;");
    VERIFY_CONTAINS(text, "HIR 0;\n");
    VERIFY_CONTAINS(text, "SDR 2 TDI (2) TDO (1) MASK (3);");
  }
};

IMPRIMO_TEST(SvfWriterTest);

}  // namespace

#include "tst_writer.moc"
