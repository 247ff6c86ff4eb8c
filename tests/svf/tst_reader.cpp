// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTest>

#include "core/svf/digits.h"
#include "core/svf/fit.h"
#include "core/svf/survey.h"
#include "tests/support/check.h"
#include "tests/support/svf_reference.h"
#include "tests/support/test_registry.h"

namespace {

using namespace imprimo;
using namespace imprimo::svf;
using namespace imprimo::test;
using Kind = Statement::Kind;

/// All statements of a text, or the error that it has.
std::string errorIn(const std::string& text) {
  return errorOf([&] {
    Reader reader(sourceOf(text), "f.svf");
    Statement s;
    while (reader.next(s)) {
    }
  });
}

/// The value of a field behind the last statement.
FieldValue after(const std::string& text, Field field = Field::Sdr) {
  Reader reader(sourceOf(text), "f.svf");
  Statement s;
  while (reader.next(s)) {
  }
  return reader.value(field);
}

class SvfReaderTest : public QObject {
  Q_OBJECT
 private slots:
  void digitsOfAnyLength();
  void layoutDoesNotMatter();
  void fieldsAreRemembered();
  void runtestRemembersStates();
  void badInput_data();
  void badInput();
  void cutAnywhere();
  void windowsDoNotMatter();
  void surveyKeepsRows();
  void surveyOfLongTimes();
  void fitByInstructionBits();
  void fitByIdcode();
  void devicesOfBits();
};

void SvfReaderTest::digitsOfAnyLength() {
  std::mt19937 random(3);
  for (int round = 0; round < 20000; ++round) {
    const std::size_t length = below(random, 10) == 0 ? below(random, 2000) : below(random, 140);
    std::string text;
    const std::size_t count = 1 + below(random, (length + 3) / 4 + 3);
    for (std::size_t i = 0; i < count; ++i)
      text += below(random, 3) == 0 ? '0' : "0123456789abcdefABCDEF"[random() % 22];
    const auto simple = BitVector::fromDigits(text, length);
    DigitCollector digits(length);
    for (std::size_t at = 0; at < text.size() && !digits.tooLarge();) {
      const std::size_t some = std::min(text.size() - at, 1 + below(random, 40));
      const std::size_t taken = digits.add(std::string_view(text).substr(at, some));
      if (taken < some) break;
      at += some;
    }
    BitVector bits;
    if (!digits.tooLarge()) bits = digits.finish();
    QVERIFY2(digits.tooLarge() == !simple, qPrintable(QString("%1 %2").arg(length).arg(text.c_str())));
    if (simple) QVERIFY2(bits == *simple, qPrintable(QString("%1 %2").arg(length).arg(text.c_str())));
  }
}

void SvfReaderTest::layoutDoesNotMatter() {
  const FieldValue value = after("sdr\r\n 20!x;(\r\n tDi(0 1\n2!)\n 3\t4)// y\nMask ( F F ) SMASK(1)TDO(3);");
  QCOMPARE(value.length, 20u);
  COMPARE_TEXT(value.tdi.digits(), "01234");
  COMPARE_TEXT(value.mask.digits(), "000FF");
  COMPARE_TEXT(value.smask.digits(), "00001");
  COMPARE_TEXT(value.tdo->digits(), "00003");
}

void SvfReaderTest::fieldsAreRemembered() {
  FieldValue v = after("SDR 8 TDI (12) TDO (34) MASK (56); SDR 8;");
  COMPARE_TEXT(v.tdi.digits(), "12");
  COMPARE_TEXT(v.mask.digits(), "56");
  QVERIFY(!v.tdo && !v.tdiHere);
  v = after("SDR 8 TDI (12) MASK (56); SDR 9 TDI (1); SDR 8 TDI (1) TDO (0);");
  QVERIFY(v.mask.empty() && v.tdo);
  // Six fields, each with a memory of its own.
  v = after("SDR 8 TDI (12); SIR 4 TDI (3); HDR 1 TDI (0); SDR 8;");
  COMPARE_TEXT(v.tdi.digits(), "12");
  QCOMPARE(after("HDR 4 TDI (5); HDR 0;", Field::Hdr).length, 0u);
}

void SvfReaderTest::runtestRemembersStates() {
  const auto states = [](const std::string& text) {
    Reader reader(sourceOf(text), "f.svf");
    Statement s;
    std::string all;
    while (reader.next(s)) all += std::string(svfName(s.runTest.run)) + ">" + svfName(s.runTest.end) + " ";
    return all;
  };
  COMPARE_TEXT(states("RUNTEST 1 TCK;"), "IDLE>IDLE ");
  COMPARE_TEXT(states("RUNTEST DRPAUSE 1 TCK; RUNTEST 1 TCK ENDSTATE IDLE; RUNTEST 1 TCK; RUNTEST IDLE 2 SEC;"),
               "DRPAUSE>DRPAUSE DRPAUSE>IDLE DRPAUSE>IDLE IDLE>IDLE ");
}

void SvfReaderTest::badInput_data() {
  QTest::addColumn<QString>("text");
  QTest::addColumn<QString>("error");
  const auto row = [](const char* text, const char* error) { QTest::newRow(text) << text << error; };
  row("SDR 8 TDI (1);\n  FOO;", "f.svf:2:3: FOO is no command of SVF");
  row("SDR 5 TDI (2F);", "f.svf:1:12: the value of TDI of SDR needs more than 5 bits");
  row("SDR 4 TDI (1) TDO (10);", "f.svf:1:20: the value of TDO of SDR needs more than 4 bits");
  row("SIR 1 TDI (2);", "f.svf:1:12: the value of TDI of SIR needs more than 1 bit");
  row("SDR 8 TDO (1);", "f.svf:1:1: SDR has no TDI, and there is none of 8 bits to take over");
  row("SDR 8 TDI (1);\nSDR 9;", "f.svf:2:1: SDR has no TDI, and there is none of 9 bits to take over");
  row("HIR 4;", "f.svf:1:1: HIR 4 has no TDI, and none of this length stands before it");
  row("SDR 8 TDI (12 TDO (1);", "f.svf:1:15: 'T' is neither a digit nor the ) that TDI of SDR lacks");
  row("SDR 8 TDI (12;", "f.svf:1:14: ';' is neither a digit nor the ) that TDI of SDR lacks");
  row("SDR 8 TDI 12);", "f.svf:1:11: '1' stands where ( of TDI of SDR should be");
  row("SDR 8 TDI ();", "f.svf:1:12: TDI of SDR has no digits");
  row("SDR 8 TDI (1) TDI (2);", "f.svf:1:15: TDI stands twice in one statement");
  row("SDR 8 TDI (1) TDX (2);", "f.svf:1:15: TDX stands where TDI, TDO, MASK, SMASK or ; should be");
  row("SDR 0 TDI (0);", "f.svf:1:5: SDR 0 shifts nothing");
  row("SDR x TDI (0);", "f.svf:1:5: the length is \"X\", which is no number");
  row("SDR -1 TDI (0);", "f.svf:1:5: the length is -1, which is no whole number");
  row("SDR 9999999999 TDI (0);", "f.svf:1:5: SDR 9999999999 is longer than the 1073741824 bits that are taken here");
  row("STATE IDLE DRSHIFT IDLE;", "f.svf:1:12: no clock leads from IDLE to DRSHIFT");
  row("STATE DRSELECT DRCAPTURE;", "f.svf:1:16: the path ends in DRCAPTURE, which is not a stable state");
  row("STATE NOWHERE;", "f.svf:1:7: there is no state NOWHERE");
  row("STATE;", "f.svf:1:6: ';' stands where a state should be");
  row("ENDDR DRSHIFT;", "f.svf:1:7: DRSHIFT is not a stable state");
  row("RUNTEST IDLE 5 TCK ENDSTATE DRUPDATE;", "f.svf:1:29: DRUPDATE is not a stable state");
  row("RUNTEST 5 HZ;", "f.svf:1:11: HZ stands where TCK, SCK or SEC should be");
  row("RUNTEST IDLE ENDSTATE IDLE;", "f.svf:1:1: RUNTEST has neither a count of clocks nor a time");
  row("RUNTEST 1 SEC 5 TCK;", "f.svf:1:15: a count of clocks comes first in RUNTEST, once");
  row("RUNTEST 2 SEC MAXIMUM 1 SEC;", "f.svf:1:1: the MAXIMUM of RUNTEST is less than its time");
  row("RUNTEST 1.5 TCK;", "f.svf:1:9: the count is 1.5, which is no whole number");
  row("FREQUENCY 0.1 HZ;", "f.svf:1:11: the frequency is 0.1, and nothing runs TCK like that");
  row("FREQUENCY 1E6;", "f.svf:1:14: ';' stands where HZ should be");
  row("RUNTEST 1E13 TCK;", "f.svf:1:9: 1E13 clocks are more than anybody waits for");
  row("RUNTEST 1E300 SEC;", "f.svf:1:9: 1E300 is no time that anybody waits");
  row("TRST MAYBE;", "f.svf:1:6: MAYBE stands where ON, OFF, Z or ABSENT should be");
  row("PIO (H);", "f.svf:1:1: PIO stands before any PIOMAP");
  row("PIOMAP (IN A); PIO (HL);", "f.svf:1:21: PIO has 2 levels, PIOMAP has 1 pins");
  row("PIOMAP (IN A); PIO (Q);", "f.svf:1:21: Q is no level of PIO");
  row("PIOMAP (A B);", "f.svf:1:9: A stands where IN, OUT or INOUT should be");
  row("ENDIR IDLE IDLE;", "f.svf:1:12: IDLE stands where ENDIR should end with ;");
  row("SDR 8 TDI (1)", "f.svf:1:14: the file ends within SDR that begins in line 1, column 1");
  row("\nSDR 8 TDI (1", "f.svf:2:13: the file ends within TDI of SDR that begins in line 2, column 12");
  row("/ SDR", "f.svf:1:1: a comment begins with ! or //, and this is a single /");
  row("\x01", "f.svf:1:1: byte 0x01 stands where a command should be");
}

void SvfReaderTest::badInput() {
  QFETCH(QString, text);
  QFETCH(QString, error);
  COMPARE_TEXT(errorIn(text.toStdString()), error.toStdString());
}

void SvfReaderTest::cutAnywhere() {
  const std::string text =
      "! c\nPIOMAP (IN A); PIO (H); TRST OFF; FREQUENCY 1E6 HZ; ENDIR IDLE; HDR 2 TDI (1) SMASK (3);\nSDR 12 TDI (A5) "
      "TDO "
      "(1) MASK (F);\nRUNTEST IDLE 5 TCK 1E-3 SEC MAXIMUM 1 SEC ENDSTATE IDLE; STATE DRSELECT IRSELECT RESET;\n";
  QCOMPARE(errorIn(text), std::string("no error"));
  for (std::size_t length = 0; length < text.size(); ++length) {
    const std::string device = text.substr(0, length);
    const std::size_t last = device.find_last_of(';');
    std::string rest = device.substr(last == std::string::npos ? 0 : last + 1);
    if (last == std::string::npos) rest.erase(0, std::string("! c\n").size());
    const bool between = rest.find_first_not_of(" \n") == std::string::npos;
    const std::string error = errorIn(device);
    QVERIFY2(between == (error == "no error"), (device + "|" + error).c_str());
    if (!between) VERIFY_CONTAINS(error, "f.svf:");
  }
}

/// A file read in pieces of any size says the same.
void SvfReaderTest::windowsDoNotMatter() {
  std::mt19937 random(11);
  for (std::uint32_t seed = 1; seed < 200; ++seed) {
    const std::string text = randomSvf(seed);
    Reader whole(sourceOf(text), "f.svf");
    std::string_view left = text;
    Reader pieces(
        [&](std::span<std::uint8_t> into) {
          const std::size_t count = std::min({left.size(), into.size(), 1 + below(random, 9)});
          std::copy_n(left.begin(), count, into.begin());
          left.remove_prefix(count);
          return count;
        },
        "f.svf");
    Statement a, b;
    while (whole.next(a)) {
      QVERIFY(pieces.next(b));
      QVERIFY(a.place == b.place && a.kind == b.kind && a.end == b.end);
      if (a.kind == Kind::Scan) QVERIFY(whole.value(a.field).tdi == pieces.value(b.field).tdi);
    }
    QVERIFY(!pieces.next(b));
  }
}

void SvfReaderTest::surveyKeepsRows() {
  std::string text = "! head\n";
  for (int i = 0; i < 1000; ++i) text += "! Block\nSDR 8 TDI (" + std::string(i % 2 == 0 ? "1" : "2") + ");\n";
  text += "SDR 8\n! within\nTDI (3); STATE RESET;\n! Step 1 of 1: it\n";
  Reader reader(sourceOf(text), "f.svf");
  const Survey s = survey(reader, 1e6);
  QCOMPARE(s.rows, 2004u);
  QCOMPARE(s.index.size(), 8u);
  QCOMPARE(s.index[1].place.line, 257u);
  QCOMPARE(s.marks.size(), 2u);
  COMPARE_TEXT(s.marks[1].point.title, "Step 1 of 1: it");
  // Times and offsets lead to one another.
  for (double at = 0; at < s.seconds; at += s.seconds / 50)
    QVERIFY(std::abs(s.timeOf(s.offsetAt(at)) - at) <= 2 * s.stretchSeconds);
}

void SvfReaderTest::surveyOfLongTimes() {
  Reader reader(sourceOf("RUNTEST 1000 SEC; SDR 8 TDI (1); RUNTEST 1E12 TCK; SDR 8 TDI (2);"), "f.svf");
  const Survey s = survey(reader, 1e6);
  QVERIFY(std::abs(s.seconds - 1'001'000) < 1);
  QVERIFY(s.stretches.size() <= Survey::kMostStretches);
  double waiting = 0;
  for (const Survey::Stretch& stretch : s.stretches) waiting += stretch.waiting;
  QVERIFY(std::abs(waiting - 1'001'000) < 100);
}

ChainView threeDevices() {
  return ChainView(
      {{"one", 8, 0x0C64AFFD, nullptr}, {"two", 6, std::nullopt, nullptr}, {"three", 4, 0x0BA0AFFB, nullptr}});
}

std::string misfitOf(const std::string& text) {
  Reader reader(sourceOf(text), "f.svf");
  return misfit(reader, threeDevices()).value_or("fits");
}

void SvfReaderTest::fitByInstructionBits() {
  COMPARE_TEXT(misfitOf("HIR 4 TDI (F); TIR 8 TDI (FF); SIR 6 TDI (1); SDR 5 TDI (0) TDO (1F);"), "fits");
  COMPARE_TEXT(misfitOf("\nSIR 6 TDI (1);"),
               "f.svf:2:1: the instruction scan has 6 bits (0 + 6 + 0), the chain's instruction registers have 18");
}

void SvfReaderTest::fitByIdcode() {
  COMPARE_TEXT(misfitOf("STATE RESET; SDR 65 TDI (0) TDO (0C64AFFD0BA0AFFB) MASK (0FFFFFFF0FFFFFFF);"),
               "f.svf:1:14: the file expects part 2 (two) to have an IDCODE, and it has none");
  // Three leaves first, then two's BYPASS bit, then one.
  COMPARE_TEXT(misfitOf("STATE RESET; SDR 65 TDI (0) TDO (018C95FFA0BA0AFFB) MASK (1FFFFFFFF0FFFFFFF);"), "fits");
  COMPARE_TEXT(misfitOf("SDR 32 TDI (0) TDO (0BA1AFFB);"),
               "f.svf:1:1: the file expects part 3 to be 0x0ba1affb, found 0x0ba0affb (three)");
  COMPARE_TEXT(misfitOf("SDR 32 TDI (0) TDO (0BA1AFFB) MASK (0000FFFF);"), "fits");
  // Behind an instruction that nobody knows nothing can be said.
  COMPARE_TEXT(misfitOf("SIR 18 TDI (0); SDR 32 TDI (0) TDO (12345678);"), "fits");
  COMPARE_TEXT(misfitOf("SIR 18 TDI (3FFFF); SDR 5 TDI (0) TDO (10);"), "fits");
}

void SvfReaderTest::devicesOfBits() {
  ChainView chain = threeDevices();
  QCOMPARE(chain.deviceOfDataBit(31, 65).value(), 2u);
  QCOMPARE(chain.deviceOfDataBit(32, 65).value(), 1u);
  QCOMPARE(chain.deviceOfDataBit(33, 65).value(), 0u);
  QCOMPARE(chain.deviceOfInstructionBit(4).value(), 1u);
  chain.instruct(
      BitVector::fromWireText("1111"
                              "011010"
                              "11111111"));
  QCOMPARE(chain.addressed().value(), 1u);
  QCOMPARE(chain.deviceOfDataBit(0, 40).value(), 2u);
  QCOMPARE(chain.deviceOfDataBit(39, 40).value(), 0u);
  QCOMPARE(chain.deviceOfDataBit(20, 40).value(), 1u);
  COMPARE_TEXT(chain.instructionText(), "BYPASS, 16, BYPASS");
  QVERIFY(!chain.predicted(10));
}

IMPRIMO_TEST(SvfReaderTest);

}  // namespace

#include "tst_reader.moc"
