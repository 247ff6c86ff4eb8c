// SPDX-License-Identifier: GPL-3.0-or-later
//
// How often a loop goes round, and what is done where nothing is expected.
#include <QTest>

#include "core/configure/isc_interpreter.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::configure;
using namespace imprimo::test;

namespace {

/// Counts what it is told; comparisons hold from look `agreesFrom` on.
class CountingSink : public IscSink {
 public:
  explicit CountingSink(std::size_t agreesFrom) : agreesFrom_(agreesFrom) {}
  void add(DeviceScan scan, const Expected* expected, std::uint64_t) override {
    opcodes += scan.opcode.wireText() + " ";
    if (expected != nullptr) last = *expected;
    ++scans;
  }
  std::optional<Mismatch> decide() override {
    if (scans == 0 || scans >= agreesFrom_) return std::nullopt;
    return Mismatch{};
  }
  std::size_t scans = 0;
  std::string opcodes;
  Expected last;

 private:
  std::size_t agreesFrom_;
};

struct Flow {
  explicit Flow(const std::string& flow)
      : device(bsdl::parse("entity P is\n  attribute INSTRUCTION_LENGTH of P : entity is 4;\n"
                           "  attribute INSTRUCTION_OPCODE of P : entity is \"ISC_READ (0100)\";\n"
                           "  attribute ISC_FLOW of P : entity is \"f INITIALIZE " +
                               flow + "\";\n  attribute ISC_PROCEDURE of P : entity is \"p = (f)\";\nend P;\n",
                           "p")) {}
  std::size_t rounds(std::size_t agreesFrom) {
    if (!device.isc) qFatal("%s", device.iscProblem.c_str());
    CountingSink sink(agreesFrom);
    const Target target{1, "part", &device};
    IscInterpreter interpreter(target, nullptr, sink);
    failed = interpreter.procedure({"p", {}}, {}).has_value();
    last = sink.last;
    opcodes = sink.opcodes;
    return sink.scans;
  }
  bsdl::BoundaryDescription device;
  bool failed = false;
  Expected last;
  std::string opcodes;
};

}  // namespace

class IscLoopsTest : public QObject {
  Q_OBJECT
 private slots:
  void aLoopGoesRoundUntilItAgreesAndNoLessThanItsLeast() {
    const std::string body = " (ISC_READ WAIT TCK 1 8:01*01)";
    QCOMPARE(Flow("LOOP 9" + body).rounds(1), 1u);
    QCOMPARE(Flow("LOOP 9" + body).rounds(4), 4u);
    QCOMPARE(Flow("LOOP MIN 3 MAX 9" + body).rounds(1), 3u);
    QCOMPARE(Flow("LOOP MIN 3 MAX 9" + body).rounds(5), 5u);
    Flow most("LOOP MIN 3 MAX 9" + body);
    QCOMPARE(most.rounds(100), 9u);
    QVERIFY(most.failed);
    QCOMPARE(Flow("LOOP MIN 3" + body).rounds(1), 3u);
    QCOMPARE(Flow("LOOP MIN 3" + body).rounds(500), 500u);
    QCOMPARE(Flow("LOOP MIN 7 (ISC_READ WAIT TCK 1)").rounds(1), 7u);
  }

  void bypassIsAllOnes() {
    Flow flow("(BYPASS WAIT TCK 1)");
    flow.rounds(1);
    COMPARE_TEXT(flow.opcodes, "1111 ");
  }

  void whatNothingIsExpectedOfIsNotCompared() {
    Flow flow("(ISC_READ WAIT TCK 1 8::CRC, 8:A5)");
    flow.rounds(1);
    QVERIFY(!flow.failed);
    // The last field goes out first.
    COMPARE_TEXT(flow.last.mask.wireText(), "1111111100000000");
    COMPARE_TEXT(flow.last.crc.wireText(), "0000000011111111");
    COMPARE_TEXT(flow.last.output.wireText(), "0000000000000000");
  }
};
IMPRIMO_TEST(IscLoopsTest);
#include "tst_isc_loops.moc"
