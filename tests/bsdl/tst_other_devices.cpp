// SPDX-License-Identifier: GPL-3.0-or-later
//
// Descriptions that go to the standards' edges, or past them where it does no harm.
#include <fmt/format.h>

#include <QTest>

#include "core/bsdl/boundary_description.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::bsdl;
using namespace imprimo::test;

namespace {

std::string device(const std::string& attributes, const std::string& opcodes = "BYPASS (1111), ISC_READ (0100)") {
  return "entity P is\n port (A, B : in bit; Y : out bit);\n use STD_1532_2002.all;\n"
         "  attribute INSTRUCTION_LENGTH of P : entity is 4;\n"
         "  attribute INSTRUCTION_OPCODE of P : entity is \"" +
         opcodes + "\";\n" + attributes + "end P;\n";
}

std::string attribute(const std::string& name, const std::string& value) {
  return fmt::format("  attribute {} of P : entity is \"{}\";\n", name, value);
}

const std::string kFlow = attribute("ISC_FLOW", "flow INITIALIZE (ISC_READ WAIT TCK 1 8:!)");

IscElement loopOf(const std::string& loop) {
  const auto p = parse(device(attribute("ISC_FLOW", "f INITIALIZE " + loop)), "p");
  if (!p.isc) qFatal("%s", p.iscProblem.c_str());
  return p.isc->flows.at(0).blocks.at(0).elements.at(0);
}
std::string loopProblem(const std::string& loop) {
  return parse(device(attribute("ISC_FLOW", "f INITIALIZE " + loop)), "p").iscProblem;
}

}  // namespace

class OtherDevicesTest : public QObject {
  Q_OBJECT
 private slots:
  void aSecurityThatAPartLacksIsAStar() {
    const auto p = parse(device(attribute("ISC_SECURITY",
                                          "ISC_DISABLE_READ 5, ISC_DISABLE_PROGRAM *, ISC_DISABLE_ERASE *,"
                                          " ISC_DISABLE_KEY 0-3") +
                                kFlow),
                         "p");
    QVERIFY2(p.isc.has_value(), p.iscProblem.c_str());
    QVERIFY(p.warnings.empty());
    QCOMPARE(p.isc->security.size(), 2u);
    COMPARE_TEXT(p.isc->security[0].name, "ISC_DISABLE_READ");
    QCOMPARE(p.isc->security[1].high, 3u);
  }

  void whatOnlyDescribesDoesNotKeepAPartFromBeingConfigured() {
    for (const auto& [name, value] : {std::pair<const char*, const char*>{"ISC_SECURITY", "ISC_DISABLE_READ five"},
                                      {"ISC_STATUS", "PERHAPS"},
                                      {"ISC_BLANK_USERCODE", "1010"},
                                      {"ISC_FIXED_SYSTEM_PINS", "A B"},
                                      {"ISC_PIN_BEHAVIOR", "SOMEHOW"}}) {
      const auto p = parse(device(attribute(name, value) + kFlow), "p");
      QVERIFY2(p.isc.has_value(), name);
      QVERIFY2(p.iscProblem.empty(), name);
      QCOMPARE(p.isc->flows.size(), 1u);
      QCOMPARE(p.warnings.size(), 1u);
      VERIFY_CONTAINS(p.warnings[0], "p:6:");
    }
    // What it is done by still has to be right.
    QVERIFY(!parse(device(attribute("ISC_FLOW", "flow INITIALIZE (NOTHING)")), "p").isc);
    QVERIFY(!parse(device(kFlow + attribute("ISC_ILLEGAL_EXIT", "NOTHING")), "p").isc);
  }

  void bypassNeedsNoOpcodeInTheList() {
    const auto p = parse(device(attribute("ISC_FLOW", "f INITIALIZE (bypass WAIT TCK 4)"), "ISC_READ (0100)"), "p");
    QVERIFY2(p.isc.has_value(), p.iscProblem.c_str());
    COMPARE_TEXT(p.isc->flows[0].blocks[0].elements[0].activities[0].instruction, "BYPASS");
    COMPARE_TEXT(p.opcode("BYPASS")->wireText(), "1111");
  }

  void loopsHaveALeastAndAMost() {
    const std::string body = "(ISC_READ WAIT TCK 1 8:01*01)";
    QCOMPARE(loopOf("LOOP 9 " + body).tries, 9u);
    QCOMPARE(loopOf("LOOP 9 " + body).least, 1u);
    QCOMPARE(loopOf("LOOP MAX 9 " + body).tries, 9u);
    const IscElement both = loopOf("LOOP MIN 3 MAX 9 " + body), turned = loopOf("LOOP MAX 9 MIN 3 " + body);
    QCOMPARE(both.least, 3u);
    QCOMPARE(both.tries, 9u);
    QCOMPARE(turned.least, 3u);
    QCOMPARE(turned.tries, 9u);
    const IscElement least = loopOf("LOOP MIN 3 " + body);
    QCOMPARE(least.least, 3u);
    QVERIFY(least.tries > 1000);
    // Without a comparison it is just so often.
    QCOMPARE(loopOf("LOOP MIN 3 (ISC_READ WAIT TCK 1)").tries, 3u);
    VERIFY_CONTAINS(loopProblem("LOOP MAX 3 (ISC_READ WAIT TCK 1)"), "this loop compares nothing");
    VERIFY_CONTAINS(loopProblem("LOOP MIN 9 MAX 3 " + body), "MIN 9 is more than MAX 3");
    VERIFY_CONTAINS(loopProblem("LOOP MIN 9 MIN 3 " + body), "MIN and MAX stand once each");
    VERIFY_CONTAINS(loopProblem("LOOP MIN 0 " + body), "a number of tries that is not 0");
  }

  void inFrontOfCrcNothingNeedBeExpected() {
    const auto p = parse(device(attribute("ISC_FLOW", "f INITIALIZE (ISC_READ WAIT TCK 1 16::CRC, 4:!)")), "p");
    QVERIFY2(p.isc.has_value(), p.iscProblem.c_str());
    const IscActivity& a = p.isc->flows[0].blocks[0].elements[0].activities[0];
    QCOMPARE(a.captures.size(), 2u);
    QVERIFY(a.captures[0].anything && a.captures[0].crc && !a.captures[0].output);
    VERIFY_CONTAINS(loopProblem("(ISC_READ WAIT TCK 1 16:)"), "hexadecimal digits");
    VERIFY_CONTAINS(loopProblem("LOOP 3 (ISC_READ WAIT TCK 1 16::CRC)"), "this loop compares nothing");
  }

  void cellsOfTheStandardForFastLines() {
    std::string cells;
    int number = 0;
    for (const char* type : {"AC_1", "AC_2", "AC_3", "AC_4", "AC_5", "AC_6", "AC_7", "AC_8", "AC_9", "AC_10"})
      cells += fmt::format("{} ({}, Y, output2, X), ", number++, type);
    cells += fmt::format("{} (AC_SELX, *, internal, 0), {} (AC_SELU, *, internal, 0)", number, number + 1);
    const auto p = parse(
        device("  attribute BOUNDARY_LENGTH of P : entity is 12;\n" + attribute("BOUNDARY_REGISTER", cells)), "p");
    QCOMPARE(p.cells.size(), 12u);
    QVERIFY2(p.warnings.empty(), p.warnings.empty() ? "" : p.warnings[0].c_str());
  }

  void aFaultInTheBoundaryRegisterLosesNothingElse() {
    const auto p = parse(device("  attribute BOUNDARY_LENGTH of P : entity is 2;\n" +
                                attribute("BOUNDARY_REGISTER", "0 (BC_1, A, inptu, X), 1 (BC_1, B, input, X)") +
                                attribute("REGISTER_ACCESS", "ROW[16] (ISC_READ)") + kFlow.substr(0, 0)),
                         "p");
    QCOMPARE(p.instructions.size(), 2u);
    QCOMPARE(p.registers.size(), 1u);
    QCOMPARE(p.boundaryLength, 2u);
    QVERIFY(p.cells.empty());
    COMPARE_TEXT(p.boundaryProblem, "p:7:61: 'inptu' is no function of a boundary cell");
    QCOMPARE(p.warnings.size(), 1u);
    COMPARE_TEXT(p.warnings[0], p.boundaryProblem);
  }

  void aRegisterOfSegments() {
    const std::string segments = attribute(
        "BOUNDARY_SEGMENT",
        "LEFT [2] (0 (BC_1, A, input, X), 1 (BC_1, B, input, X)), RIGHT [2] (0 (BC_2, *, control, 1), 1 (BC_1, Y, "
        "output3, X, 0, 1, Z))");
    const auto p = parse(device(attribute("ASSEMBLED_BOUNDARY_LENGTH", "(2, 4)") + segments), "p");
    QVERIFY2(p.warnings.empty(), p.warnings.empty() ? "" : p.warnings[0].c_str());
    QCOMPARE(p.boundaryLength, 2u);
    QCOMPARE(p.wholeBoundaryLength, std::optional<std::uint32_t>{4});
    QCOMPARE(p.segments.size(), 2u);
    COMPARE_TEXT(p.segments[1].name, "RIGHT");
    QCOMPARE(p.segments[1].cells.size(), 2u);
    QCOMPARE(p.segments[1].cells[1].disable->control, 0u);
    // Without quotes, and with one number, as older files have it.
    QCOMPARE(parse(device("  attribute ASSEMBLED_BOUNDARY_LENGTH of P : entity is (2, 4);\n"), "p").boundaryLength, 2u);
    QCOMPARE(parse(device("  attribute ASSEMBLED_BOUNDARY_LENGTH of P : entity is 4;\n"), "p").boundaryLength, 4u);
    // A fault is a warning here too.
    const auto bad = parse(device(attribute("BOUNDARY_SEGMENT", "LEFT [3] (0 (BC_1, A, input, X))")), "p");
    COMPARE_TEXT(bad.boundaryProblem, "p:6:13: segment LEFT does not describe cell 1 of 3");
    QVERIFY(bad.segments.empty());
    VERIFY_CONTAINS(parse(device(attribute("ASSEMBLED_BOUNDARY_LENGTH", "(4, 2)")), "p").boundaryProblem,
                    "should be (length after a reset, length of all)");
  }
};
IMPRIMO_TEST(OtherDevicesTest);
#include "tst_other_devices.moc"
