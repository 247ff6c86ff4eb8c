// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bsdl/boundary_description.h"

#include "core/base/input_file.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class BsdlTest : public QObject {
  Q_OBJECT
  static std::string gauge(const char* name) {
    return readTextFile(std::string(IMPRIMO_SOURCE) + "/demo/parts/" + name);
  }
  static std::string error(const std::string& text) {
    return errorOf([&] { bsdl::parse(text, "f"); });
  }
  static std::string device(const std::string& attributes) { return "entity P is\n" + attributes + "\nend P;\n"; }

 private slots:
  void readsTheCorrelator() {
    const auto device = bsdl::parse(gauge("tarn_t40.bsd"), "tarn");
    COMPARE_TEXT(device.entity, "TARN_T40");
    QCOMPARE(device.instructionLength, 6u);
    QCOMPARE(device.boundaryLength, 96u);
    COMPARE_TEXT(device.instructionCapture, "XXXX01");
    QVERIFY(device.matchesIdcode(0x1F40AFFD));
    QVERIFY(device.matchesIdcode(0x2F40AFFD));
    QVERIFY(!device.matchesIdcode(0x1F41AFFD));
    QVERIFY(device.instruction("fabric_a")->isPrivate);
    QVERIFY(!device.instruction("SAMPLE")->isPrivate);
    COMPARE_TEXT(device.opcode("FABRIC_A")->wireText(), "011010");
    COMPARE_TEXT(device.opcode("bypass")->wireText(), "111111");
    QVERIFY(!device.opcode("NOTHING"));
    QCOMPARE(device.registers.size(), 3u);
    QCOMPARE(device.registers[2].length, std::optional<std::uint32_t>{1});
    QCOMPARE(device.ports.size(), 9u);
    QVERIFY(device.ports[0].range == std::make_optional(std::pair{0, 31}));
  }

  void readsTheOthers() {
    QVERIFY(bsdl::parse(gauge("wren_c64.bsd"), "w").matchesIdcode(0x0C64AFFD));
    QVERIFY(bsdl::parse(gauge("beck_k0.bsd"), "b").matchesIdcode(0x0BA0AFFB));
  }

  void stringsMayBeSplitAnywhereAndCaseDoesNotMatter() {
    const auto p = bsdl::parse(
        device(
            "ATTRIBUTE instruction_length OF p : ENTITY IS 4; -- a comment; with \"marks\"\n"
            "attribute Instruction_Opcode of P : entity is \"BYPASS \" & \"(11\" & \"11), \"\n & \"IDCODE ( 1110 , "
            "0110 )\";"
            "attribute IDCODE_REGISTER of P : entity is \"0001\" & \"1111010000001010\" & \"11111111110\" & \"1,\" & "
            "\"XXXX1111010000001010111111111111\";"),
        "f");
    QCOMPARE(p.instruction("IDCODE")->opcodes.size(), 2u);
    QCOMPARE(p.idcodes.size(), 2u);
    QCOMPARE(p.idcodes[0].mask, 0xFFFFFFFFu);
    QCOMPARE(p.idcodes[1].mask, 0x0FFFFFFFu);
  }

  void errorsSayWhere() {
    COMPARE_TEXT(error("entity P is\nattribute INSTRUCTION_LENGTH of P : entity is x;\nend P;"),
                 "f:2:11: INSTRUCTION_LENGTH should be a whole number up to 1024");
    COMPARE_TEXT(error("entity P is\nattribute X of P : entity is \"abc;\nend P;"),
                 "f:2:30: this string is not closed on its line");
    COMPARE_TEXT(error("port"), "f:1:5: the text ends where 'entity' should stand");
    COMPARE_TEXT(error(device("")), "f:3:1: P has no INSTRUCTION_LENGTH");
    COMPARE_TEXT(error(device("attribute INSTRUCTION_LENGTH of P : entity is 4;\nattribute INSTRUCTION_OPCODE of P : "
                              "entity is\n \"A (1111),\" &\n \"B (111)\";")),
                 "f:5:6: the opcode of B has 3 bits, the instruction register has 4");
    COMPARE_TEXT(error(device("attribute INSTRUCTION_LENGTH of P : entity is 4;\nattribute INSTRUCTION_OPCODE of P : "
                              "entity is \"A (1112)\";")),
                 "f:3:51: a bit is 0, 1 or X, not '2'");
    COMPARE_TEXT(
        error(device(
            "attribute INSTRUCTION_LENGTH of P : entity is 4;\nattribute IDCODE_REGISTER of P : entity is \"0101\";")),
        "f:3:11: IDCODE_REGISTER has 4 bits, should have 32");
    COMPARE_TEXT(
        error(device(
            "attribute INSTRUCTION_LENGTH of P : entity is 4;\nattribute INSTRUCTION_PRIVATE of P : entity is \"Z\";")),
        "f:3:49: Z has no opcode in INSTRUCTION_OPCODE");
  }

  void aFileCutAnywhereIsAnErrorAndNothingWorse() {
    const std::string text = gauge("wren_c64.bsd");
    for (std::size_t n = 0; n + 20 < text.size(); n += 3) QVERIFY(error(text.substr(0, n)) != "no error");
  }
};
IMPRIMO_TEST(BsdlTest);
#include "tst_bsdl.moc"
