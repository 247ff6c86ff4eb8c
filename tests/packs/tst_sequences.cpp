// SPDX-License-Identifier: GPL-3.0-or-later
//
// The debug sequences of packs: what they compute, what they ask of the target, and how those end that would not.
#include <QTemporaryDir>

#include "core/packs/pack_description.h"
#include "core/packs/sequence_run.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::packs;
using namespace imprimo::test;

namespace {

/// Writes down what is asked, and answers from words that were put there.
class Book : public SequenceTarget {
 public:
  std::uint32_t readPort(std::uint32_t dp, std::uint32_t address) override { return get("dp", dp, address); }
  void writePort(std::uint32_t dp, std::uint32_t address, std::uint32_t value) override {
    put("dp", dp, address, value);
  }
  std::uint32_t readAccessPort(std::uint32_t ap, std::uint32_t address) override { return get("ap", ap, address); }
  void writeAccessPort(std::uint32_t ap, std::uint32_t address, std::uint32_t value) override {
    put("ap", ap, address, value);
  }
  std::uint64_t readMemory(std::uint32_t ap, std::uint64_t address, unsigned bytes) override {
    return get(("m" + std::to_string(bytes)).c_str(), ap, address);
  }
  void writeMemory(std::uint32_t ap, std::uint64_t address, unsigned bytes, std::uint64_t value) override {
    put(("m" + std::to_string(bytes)).c_str(), ap, address, value);
  }
  void delay(std::uint64_t microseconds) override {
    now_ += microseconds;
    log += "wait " + std::to_string(microseconds) + "\n";
  }
  std::uint32_t pins(std::uint32_t output, std::uint32_t select, std::uint64_t) override {
    log += QString("pins %1/%2\n").arg(output, 0, 16).arg(select, 0, 16).toStdString();
    return output;
  }
  void bits(std::uint32_t count, std::uint64_t value) override {
    log += QString("bits %1 %2\n").arg(count).arg(value, 0, 16).toStdString();
  }
  std::uint64_t now() override { return ++now_; }
  void message(const std::string& text) override { log += "says " + text + "\n"; }
  bool standard(const std::string& name) override {
    if (name != "ResetSystem" && name != "DebugPortSetup") return false;
    log += "standard " + name + "\n";
    return true;
  }

  std::string log;
  std::map<std::uint64_t, std::uint64_t> words;
  std::optional<std::uint64_t> failsAt;

 private:
  std::uint32_t get(const char* what, std::uint32_t port, std::uint64_t address) {
    if (address == failsAt) throw Error(ErrorKind::Refused, "nothing there");
    log += QString("%1[%2] %3?\n").arg(what).arg(port).arg(address, 0, 16).toStdString();
    return static_cast<std::uint32_t>(words[address]);
  }
  void put(const char* what, std::uint32_t port, std::uint64_t address, std::uint64_t value) {
    if (address == failsAt) throw Error(ErrorKind::Refused, "nothing there");
    log += QString("%1[%2] %3=%4\n").arg(what).arg(port).arg(address, 0, 16).arg(value, 0, 16).toStdString();
    words[address] = value;
  }
  std::uint64_t now_ = 0;
};

PackDevice deviceWith(const std::string& inside, const std::string& below = {}) {
  const std::string xml = "<package><name>p</name><devices><family Dfamily=\"K\" Dvendor=\"Beck:9\">" + inside +
                          "<subFamily DsubFamily=\"S\"><device Dname=\"K0\">" + below +
                          "</device></subFamily></family></devices></package>";
  return PackDescription(ByteSpan(reinterpret_cast<const std::uint8_t*>(xml.data()), xml.size()), "k.pdsc")
      .device("K0");
}

std::string sequenceOf(const std::string& nodes, const std::string& attributes = "name=\"Test\"") {
  return "<sequences><sequence " + attributes + ">" + nodes + "</sequence></sequences>";
}

std::string block(const std::string& text) {
  return "<block><![CDATA[" + text + "]]></block>";
}

}  // namespace

class SequencesTest : public QObject {
  Q_OBJECT
 private slots:
  /// Each against the compiler that this test was built with.
  void expressionsAreThoseOfC() {
    std::mt19937_64 random(5);
    const auto row = [](const std::string& text, std::uint64_t expected) {
      Book book;
      const PackDevice device =
          deviceWith("<debugvars>__var R = 0;</debugvars>" + sequenceOf(block("R = " + text + ";")));
      SequenceRun run(device, book, {"k.pdsc", ""});
      run.run("Test");
      QVERIFY2(run.variable("R") == expected, text.c_str());
    };
    row("1 + 2 * 3 - 4 / 2 % 3", 1 + 2 * 3 - 4 / 2 % 3);
    row("(1 + 2) * (3 - 4)", static_cast<std::uint64_t>(-3));
    row("1 << 3 + 1", 16);
    row("0xF0 & 0x3C ^ 0x0F | 0x100", ((0xF0 & 0x3C) ^ 0x0F) | 0x100);
    for (int i = 0; i < 200; ++i) {
      const std::uint64_t a = random() % 1000, b = 1 + random() % 60, c = random();
      const auto text =
          QString("%1 * %2 + (%3 >> %2) ^ ~%1 & %3 | !%2 + (%1 > %2 ? %1 : %3) - (%1 == %2 || %3 != 0 && %1 <= %2)")
              .arg(a)
              .arg(b)
              .arg(c)
              .toStdString();
      const std::uint64_t expected = ((a * b + (c >> b)) ^ (~a & c)) | ((b == 0 ? 1u : 0u) + (a > b ? a : c) -
                                                                        ((a == b || (c != 0 && a <= b)) ? 1u : 0u));
      row(text, expected);
    }
    row("0x10u + 0b101 + 010", 16 + 5 + 10);
    row("1 << 64", 0);
    row("0 ? 1 : 0 ? 2 : 3", 3);
    row("0 && Read32(4)", 0);
  }

  void accessesComeInOrder() {
    Book book;
    book.words[0x40000000] = 0xC6000001;
    const PackDevice device = deviceWith(
        "<debugvars>__var Key = 0x5A;</debugvars>" +
        sequenceOf(
            block("__var id = Read32(0x40000000); // a comment\n Write16(0x10, Key); Write8(0x12, id >> 24);") +
            "<control if=\"(id &amp; 0xFF) == 1\">" +
            block("__ap = 3; WriteAP(0x04, 7); __var v = ReadAP(0xFC); WriteDP(0x8, v); DAP_Delay(20);") +
            "</control><control if=\"id == 0\">" + block("Write32(0, 0);") + "</control>" +
            block("DAP_SWJ_Pins(0x80, 0x80, 5); DAP_SWJ_Sequence(8, 0xFF); Message(1, \"so\"); "
                  "Write32(0x20, Query(1, \"really?\", 4) + QueryValue(\"how many?\", 2)); Sequence(\"Second\");") +
            "</sequence><sequence name=\"Second\">" + block("Write64(0x30, 1); DAP_WriteABORT(0x1E);")));
    SequenceRun run(device, book, {"k.pdsc", ""});
    run.run("Test");
    QCOMPARE(QString::fromStdString(book.log),
             QString("m4[0] 40000000?\nm2[0] 10=5a\nm1[0] 12=c6\nap[3] 4=7\nap[3] fc?\ndp[0] 8=0\nwait 20\n"
                     "pins 80/80\nbits 8 ff\nsays so\nsays \"really?\": 4 was taken, as the pack proposes\n"
                     "says \"how many?\": 2 was taken, as the pack proposes\nm4[3] 20=6\nm8[3] 30=1\ndp[0] 0=1e\n"));
  }

  /// A lower level takes the place of a higher one, processors have their own, one can be switched off.
  void sequencesAreOverriddenAtEveryLevel() {
    const std::string family = sequenceOf(block("Write32(0, 1);")) +
                               sequenceOf(block("Write32(0, 2);"), "name=\"Other\"") +
                               sequenceOf(block("Write32(0, 5);"), "name=\"Gone\"");
    const std::string device = sequenceOf(block("Write32(0, 3);")) +
                               sequenceOf(block("Write32(0, 4);"), "name=\"Other\" Pname=\"little\"") +
                               sequenceOf("", "name=\"Gone\" disable=\"1\"");
    const auto result = [&](const std::string& below, const char* processor, const char* name) {
      Book book;
      const PackDevice all = deviceWith(family, below);
      SequenceRun run(all, book, {"k.pdsc", processor});
      run.run(name);
      return book.log;
    };
    COMPARE_TEXT(result("", "", "Test"), "m4[0] 0=1\n");
    COMPARE_TEXT(result(device, "", "Test"), "m4[0] 0=3\n");
    COMPARE_TEXT(result(device, "little", "Other"), "m4[0] 0=4\n");
    COMPARE_TEXT(result(device, "big", "Other"), "m4[0] 0=2\n");
    COMPARE_TEXT(result(device, "", "Gone"), "");
    COMPARE_TEXT(result(device, "", "ResetSystem"), "standard ResetSystem\n");
  }

  /// One that calls the standard's by its own name does something before or behind it.
  void theStandardsIsCalledByTheSameName() {
    Book book;
    const PackDevice device = deviceWith(
        sequenceOf(block("Write32(0, 1); Sequence(\"ResetSystem\"); Write32(0, 2);"), "name=\"ResetSystem\""));
    SequenceRun(device, book, {"k.pdsc", ""}).run("ResetSystem");
    COMPARE_TEXT(book.log, "m4[0] 0=1\nstandard ResetSystem\nm4[0] 0=2\n");
  }

  /// What one run sets of the standard's variables is not there in the next one; what the device's are stays.
  void eachRunBeginsWithTheStandardsVariables() {
    Book book;
    book.failsAt = 0x50;
    const PackDevice device = deviceWith(
        "<debugvars>__var Count = 0;</debugvars>" +
        sequenceOf(block("Count = Count + 1; Write32(0x10, Count); __ap = 3; __errorcontrol = 1; Read32(0x50);")) +
        sequenceOf(block("Write32(0x20, __ap); Read32(0x50);"), "name=\"Next\""));
    SequenceRun run(device, book, {"k.pdsc", ""});
    run.run("Test");
    run.run("Test");
    COMPARE_TEXT(book.log, "m4[0] 10=1\nm4[0] 10=2\n");
    COMPARE_TEXT(errorOf([&] { run.run("Next"); }), "nothing there");
    COMPARE_TEXT(book.log, "m4[0] 10=1\nm4[0] 10=2\nm4[0] 20=0\n");
  }

  void loopsEndByTheirConditionOrInTime() {
    Book book;
    const PackDevice device = deviceWith(
        sequenceOf(block("__var n = 0;") + "<control while=\"n &lt; 5\">" + block("n = n + 1; Write32(n, n);") +
                   "</control><control while=\"1\" timeout=\"1000\">" + block("DAP_Delay(300);") + "</control>"));
    SequenceRun(device, book, {"k.pdsc", ""}).run("Test");
    QCOMPARE(book.log.substr(0, 20), std::string("m4[0] 1=1\nm4[0] 2=2\n"));
    QCOMPARE(QString::fromStdString(book.log).count("wait 300"), 4);
  }

  void errorsAreIgnoredWhereThePackSaysSo() {
    Book book;
    book.failsAt = 0x50;
    const std::string access = "__var v = Read32(0x50); Write32(4, v);";
    const PackDevice plain = deviceWith(sequenceOf(block(access)));
    COMPARE_TEXT(errorOf([&] { SequenceRun(plain, book, {"k.pdsc", ""}).run("Test"); }), "nothing there");
    const PackDevice device = deviceWith(sequenceOf(block("__errorcontrol = 1; " + access + " __errorcontrol = 0;")));
    SequenceRun(device, book, {"k.pdsc", ""}).run("Test");
    COMPARE_TEXT(book.log, "m4[0] 4=0\n");
  }

  void whatCannotBeCarriedOutIsToldWithItsLine_data() {
    QTest::addColumn<QByteArray>("nodes");
    QTest::addColumn<QString>("says");
    const auto row = [](const char* name, const std::string& nodes, const char* says) {
      QTest::newRow(name) << QByteArray::fromStdString(nodes) << says;
    };
    row("no function", block("\n\nFly(1);"), "k.pdsc:3: Test: Fly is no function");
    row("no variable", block("x = 1;"), "there is no variable x");
    row("arguments", block("Write32(1);"), "Write32 takes 2 arguments, and has 1");
    row("division", block("__var a = 1 / 0;"), "divided by 0");
    row("text as number", block("__var a = \"a\" + 1;"), "a text stands where a number should");
    row("no value", block("Write32(1, );"), "here should be a value");
    row("not closed", block("Write32((1, 2);"), "here should be");
    row("no end of text", block("Message(1, \"a);"), "a text without an end");
    row("no number", block("__var a = 0x;"), "no number");
    row("set to a call", block("Read32(4) = 1;"), "only a variable can be set");
    row("a sign", block("a @ b;"), "what is no part of the language");
    row("no such sequence", block("Sequence(\"None\");"), "there is no sequence None");
    row("itself", block("Sequence(\"Test\");"), "calls itself");
    row("each other", block("Sequence(\"B\");") + "</sequence><sequence name=\"B\">" + block("Sequence(\"Test\");"),
        "calls itself");
    row("without end", "<control while=\"1\">" + block("__var a = 1;") + "</control>", "without end");
    row("without end or body", "<control while=\"1\"/>", "without end");
    row("nested", block("__var a = " + std::string(5000, '(') + "1" + std::string(5000, ')') + ";"), "nested too deep");
    row("signs", block("__var a = " + std::string(5000, '-') + "1;"), "nested too deep");
    std::string sum = "1";
    for (int i = 0; i < 5000; ++i) sum += "+1";
    row("long", block("__var a = " + sum + ";"), "an expression without end");
    row("a condition", "<control if=\"1 +\"/>", "here should be a value");
    row("refused by the pack", block("__Result = 7;"), "the pack's sequence Test ends with 7");
  }

  void whatCannotBeCarriedOutIsToldWithItsLine() {
    QFETCH(const QByteArray, nodes);
    QFETCH(const QString, says);
    Book book;
    const PackDevice device = deviceWith(sequenceOf(nodes.toStdString()));
    const std::string told = errorOf([&] { SequenceRun(device, book, {"k.pdsc", ""}).run("Test"); });
    VERIFY_CONTAINS(told, says.toStdString());
  }

  void itIsStopped() {
    Book book;
    std::stop_source stop;
    stop.request_stop();
    const PackDevice device = deviceWith(sequenceOf("<control while=\"1\"/>"));
    SequenceRun::Options options{"k.pdsc", ""};
    options.stop = stop.get_token();
    QCOMPARE(kindOf([&] { SequenceRun(device, book, options).run("Test"); }), ErrorKind::Stopped);
  }

  void eachAccessIsPutIntoWords() {
    const PackDevice device = deviceWith(
        sequenceOf(block("__var id = Read32(0x40000000); __var n = id >> 4; Write32(0x40030000, 0x5A3C0001);") +
                   "<control if=\"id != 0\" while=\"(Read32(0x40030004) &amp; 1) != 0\" timeout=\"100000\" "
                   "info=\"until it is open\">" +
                   block("WriteAP(0x04, n + 1); DAP_Delay(10);") + "</control>"));
    std::string all;
    for (const std::string& line : sequenceWords(device.sequences.front(), "k.pdsc")) all += line + "\n";
    QCOMPARE(QString::fromStdString(all), QString(R"(read 32 bits at 0x40000000, as id
n = id >> 4
write 0x5a3c0001 to 0x40030000 (32 bits)
# until it is open
if id != 0:
  as long as (Read32(0x40030004) & 1) != 0, at most 0.1 s:
    write n + 1 to register 0x4 of the access port
    wait 10 us
)"));
  }
};

IMPRIMO_TEST(SequencesTest);
#include "tst_sequences.moc"
