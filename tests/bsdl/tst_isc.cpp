// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "core/base/input_file.h"
#include "core/bsdl/boundary_description.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

/// A part with these ISC_ attributes, each on a line of its own from line 10 on.
std::string device(const std::vector<std::pair<std::string, std::string>>& attributes) {
  std::string text =
      "entity P is\n"
      "  use STD_1532_2002.all;\n"
      "  attribute INSTRUCTION_LENGTH of P : entity is 4;\n"
      "  attribute INSTRUCTION_OPCODE of P : entity is \"BYPASS (1111), IDCODE (0001), ISC_ENABLE (0010), \" &\n"
      "    \"ISC_PROGRAM (0011), ISC_READ (0100), ISC_DISABLE (0101), ISC_ADDRESS_SHIFT (0110)\";\n"
      "  attribute INSTRUCTION_CAPTURE of P : entity is \"0001\";\n"
      "  attribute REGISTER_ACCESS of P : entity is \"ROW[16] (ISC_PROGRAM, ISC_READ)\";\n"
      "  attribute BOUNDARY_LENGTH of P : entity is 4;\n"
      "\n";
  for (const auto& [name, value] : attributes)
    text += fmt::format("  attribute {} of P : entity is \"{}\";\n", name, value);
  return text + "end P;\n";
}

/// What is wrong with a part whose ISC_FLOW is this.
std::string flowProblem(const std::string& flow) {
  return bsdl::parse(device({{"ISC_FLOW", flow}}), "p").iscProblem;
}

std::string valueText(const bsdl::IscValue& v) {
  using Kind = bsdl::IscValue::Kind;
  static const char* const operations[] = {"", "=", "+", "-", "<<", ">>", "&", "|", "~"};
  switch (v.kind) {
    case Kind::Digits:
      return v.bits.digits();
    case Kind::Input:
      return "?";
    case Kind::Output:
      return "!";
    case Kind::Variable:
      break;
  }
  const std::string operand = v.setFromInput ? "?" : v.operand.empty() ? v.bits.digits() : "$" + v.operand;
  return "$" + v.variable + operations[static_cast<int>(v.operation)] +
         (v.operation == bsdl::IscValue::Operation::None || v.operation == bsdl::IscValue::Operation::Invert ? ""
                                                                                                             : operand);
}

std::string activityText(const bsdl::IscActivity& a) {
  std::string text = a.instruction;
  for (const auto& f : a.updates) text += fmt::format(" {}:{}", f.length, valueText(f.value));
  if (a.clocks > 0 || a.seconds > 0) text += fmt::format(" wait {} {}", a.clocks, a.seconds);
  for (const auto& f : a.captures) {
    text += fmt::format(" > {}:{}{}{}{}", f.length, valueText(f.value), f.mask ? "*" + valueText(*f.mask) : "",
                        f.crc ? " crc" : "", f.output ? " out" : "");
  }
  return text;
}

std::string firstActivity(const std::string& activity) {
  const auto p = bsdl::parse(device({{"ISC_FLOW", "f INITIALIZE " + activity}}), "p");
  return p.isc ? activityText(p.isc->flows[0].blocks[0].elements[0].activities[0]) : p.iscProblem;
}

}  // namespace

class IscTest : public QObject {
  Q_OBJECT
 private slots:
  void readsTheSequencer() {
    const auto p = bsdl::parse(readTextFile(std::string(IMPRIMO_SOURCE) + "/demo/parts/wren_c64.bsd"), "wren");
    QVERIFY2(p.isc.has_value(), p.iscProblem.c_str());
    const bsdl::IscDescription& isc = *p.isc;
    COMPARE_TEXT(isc.conformance, "STD_1532_2002");
    COMPARE_TEXT(isc.pinBehavior, "HIGHZ");
    QVERIFY(!isc.statusImplemented);
    QCOMPARE(*isc.blankUsercode, BitVector(32, true));
    QCOMPARE(isc.security.size(), 3u);
    QCOMPARE(isc.actions.size(), 7u);
    QCOMPARE(isc.illegalExits.size(), 2u);
    const bsdl::IscFlow* program = isc.flow({"FLOW_PROGRAM", "Array"});
    QVERIFY(program != nullptr && program->takesInput() && program->writesInput() && program->changes());
    QCOMPARE(program->blocks.size(), 2u);
    QCOMPARE(program->blocks[1].times, 95u);
    COMPARE_TEXT(activityText(program->blocks[1].elements[0].activities[0]), "ISC_ADDRESS_SHIFT 7:$ADDR+01 wait 1 0");
    COMPARE_TEXT(activityText(program->blocks[1].elements[0].activities[2]), "ISC_PROGRAM wait 1 0.003");
    const bsdl::IscFlow* verify = isc.flow({"flow_verify", "array"});
    QVERIFY(verify->takesInput() && !verify->writesInput() && !verify->changes());
    QVERIFY(isc.flow({"flow_verify", ""}) == nullptr);
    const auto& uses = isc.action("program")->procedures;
    QCOMPARE(uses.size(), 9u);
    QVERIFY(uses[0].need == bsdl::IscAction::Use::Need::Recommended);
    QVERIFY(uses[5].need == bsdl::IscAction::Use::Need::Optional);
    QCOMPARE(p.warnings.size(), 0u);
  }

  void everyFormOfActivity() {
    const std::vector<std::pair<std::string, std::string>> forms{
        {"(IDCODE)", "IDCODE"},
        {"(IDCODE WAIT TCK 3)", "IDCODE wait 3 0"},
        {"(IDCODE WAIT TCK 3, 13.0e-3)", "IDCODE wait 3 0.013"},
        {"(IDCODE WAIT 2.0e-3 : 5.0e-3)", "IDCODE wait 0 0.005"},
        {"(IDCODE WAIT TCK 1 32:0C64AFFD*0FFFFFFF:CRC)", "IDCODE wait 1 0 > 32:0C64AFFD*0FFFFFFF crc"},
        {"(IDCODE 32:12*F)", "IDCODE > 32:00000012*0000000F"},
        {"(IDCODE 5:1f,3:5 WAIT TCK 1)", "IDCODE 5:1F 3:5 wait 1 0"},
        {"(IDCODE WAIT TCK 1 8:!,8:?:OST)", "IDCODE wait 1 0 > 8:! out > 8:? out"},
        {"(ISC_PROGRAM 16:? wait 0.5e-3)", "ISC_PROGRAM 16:? wait 0 0.0005"},
        {"(idcode 8:$a=3 WAIT TCK 1)", "IDCODE 8:$A=03 wait 1 0"},
        {"(IDCODE 8:$a WAIT TCK 1)", "IDCODE 8:$A wait 1 0"},
        {"(IDCODE 8:$a=? WAIT TCK 1)", "IDCODE 8:$A=? wait 1 0"},
        {"(IDCODE 8:$a<<1 WAIT TCK 1)", "IDCODE 8:$A<<01 wait 1 0"},
        {"(IDCODE 8:$a >> $b WAIT TCK 1)", "IDCODE 8:$A>>$B wait 1 0"},
        {"(IDCODE 8:$a|80 WAIT TCK 1)", "IDCODE 8:$A|80 wait 1 0"},
        {"(IDCODE 8:$a&$m WAIT TCK 1)", "IDCODE 8:$A&$M wait 1 0"},
        {"(IDCODE 8:~$a WAIT TCK 1)", "IDCODE 8:$A~ wait 1 0"},
    };
    for (const auto& [text, expected] : forms) COMPARE_TEXT(firstActivity(text), expected);
  }

  void loopsAreBracketedOrNot() {
    for (const char* loop : {"LOOP 9 (ISC_READ WAIT TCK 1 16:1*1)", "loop max 9 ((ISC_READ WAIT TCK 1 16:1*1))"}) {
      const auto p = bsdl::parse(device({{"ISC_FLOW", std::string("f INITIALIZE (ISC_ENABLE WAIT TCK 1) ") + loop +
                                                          " TERMINATE (ISC_DISABLE)"}}),
                                 "p");
      QVERIFY2(p.isc.has_value(), p.iscProblem.c_str());
      const auto& elements = p.isc->flows[0].blocks[0].elements;
      QCOMPARE(elements.size(), 2u);
      QCOMPARE(elements[0].tries, 0u);
      QCOMPARE(elements[1].tries, 9u);
      QCOMPARE(p.isc->flows[0].last.size(), 1u);
    }
  }

  void whatIsWrongSaysWhere() {
    const std::vector<std::pair<std::string, std::string>> wrong{
        {"f INITIALIZE (ISC_WIPE WAIT TCK 1)", "p:10:54: ISC_WIPE has no opcode in INSTRUCTION_OPCODE"},
        {"f INITIALIZE (ISC_READ WAIT TCK 1 17:?)", "p:10:54: ISC_READ has 17 bits here, its register ROW has 16"},
        {"f INITIALIZE (IDCODE 4:1F WAIT TCK 1)", "p:10:63: 1F is no hexadecimal value of 4 bits"},
        {"f INITIALIZE (IDCODE 0:1 WAIT TCK 1)",
         "p:10:62: a field of 1 to 1073741824 bits, so another length in front of this should stand here, not ':'"},
        {"f INITIALIZE (IDCODE 4:G WAIT TCK 1)", "p:10:63: G is no hexadecimal value of 4 bits"},
        {"f INITIALIZE (IDCODE WAIT IO 1)", "p:10:66: clocks at IO cannot be given, only at TCK"},
        {"f INITIALIZE (IDCODE WAIT 4000.0)", "p:10:66: a time of at most 3600 s should stand here, not '4000.0'"},
        {"f INITIALIZE IDCODE", "p:10:53: '(' with an instruction should stand here, not 'IDCODE'"},
        {"f INITIALIZE (IDCODE", "p:10:60: the text ends where a number of bits should stand"},
        {"f REPEAT x (IDCODE)", "p:10:49: how often should stand here, not 'x'"},
        {"f LOOP 3 (IDCODE)", "p:10:42: INITIALIZE, REPEAT or TERMINATE should stand here, not 'LOOP'"},
        {"f INITIALIZE LOOP 3 (IDCODE WAIT TCK 1)",
         "p:10:60: this loop compares nothing, so nothing would end it early"},
        {"f INITIALIZE (IDCODE), f INITIALIZE (IDCODE)", "p:10:63: there are two flows f"},
        {"f TERMINATE (IDCODE) REPEAT 2 (IDCODE)",
         "p:10:61: INITIALIZE before REPEAT before TERMINATE, each in that order, so ',' should stand here, not "
         "'REPEAT'"},
        {"f INITIALIZE (IDCODE 8:! WAIT TCK 1 8:1)",
         "p:10:54: a mask, '!', CRC and OST follow WAIT, where bits come out"},
    };
    for (const auto& [flow, expected] : wrong) COMPARE_TEXT(flowProblem(flow), expected);
    const auto other = [](const char* procedure, const char* action) {
      return bsdl::parse(
                 device({{"ISC_FLOW", "f INITIALIZE (IDCODE)"}, {"ISC_PROCEDURE", procedure}, {"ISC_ACTION", action}}),
                 "p")
          .iscProblem;
    };
    COMPARE_TEXT(other("a = (g)", "x = (a)"), "p:11:50: ISC_FLOW has no flow g");
    COMPARE_TEXT(other("a = (f)", "x = (b(array))"), "p:12:47: ISC_PROCEDURE has no procedure b(array)");
    COMPARE_TEXT(other("a = (f), a = (f)", "x = (a)"), "p:11:54: there are two procedures a");
    COMPARE_TEXT(bsdl::parse(device({{"ISC_STATUS", "Perhaps"}}), "p").warnings.at(0),
                 "p:10:42: 'IMPLEMENTED' should stand here, not 'Perhaps'");
    COMPARE_TEXT(bsdl::parse(device({{"ISC_ILLEGAL_EXIT", "ISC_WIPE"}}), "p").iscProblem,
                 "p:10:13: ISC_ILLEGAL_EXIT names ISC_WIPE, which has no opcode");
  }

  void aBrokenFlowDoesNotHinderTheRest() {
    const auto p = bsdl::parse(device({{"ISC_FLOW", "f INITIALIZE ("}}), "p");
    QVERIFY(!p.isc);
    QCOMPARE(p.warnings.size(), 1u);
    QCOMPARE(p.instructions.size(), 7u);
  }
};
IMPRIMO_TEST(IscTest);
#include "tst_isc.moc"
