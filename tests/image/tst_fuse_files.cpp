// SPDX-License-Identifier: GPL-3.0-or-later
//
// JESD3 fuse files and IEEE 1532 data files.
#include <fmt/format.h>

#include "core/base/input_file.h"
#include "core/image/isc_data.h"
#include "core/image/jesd3.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

/// A file with these fields and a right transmission checksum.
std::string jedec(const std::string& fields) {
  const std::string body = "\x02" + fields + "\x03";
  unsigned sum = 0;
  for (const char c : body) sum += static_cast<std::uint8_t>(c);
  return body + fmt::format("{:04X}", sum & 0xFFFF);
}

std::string problem(const std::string& text) {
  return errorOf([&] { parseJesd3(text, "f"); });
}
std::string dataProblem(const std::string& text) {
  return errorOf([&] { parseIscData(text, "d"); });
}

}  // namespace

class FuseFilesTest : public QObject {
  Q_OBJECT
 private slots:
  void readsTheSequencersFile() {
    const std::string text = readTextFile(std::string(IMPRIMO_DEMO) + "/sequencer.jed");
    QVERIFY(looksLikeJesd3(text) && !looksLikeIscData(text));
    const FuseFile file = parseJesd3(text, "sequencer.jed");
    QCOMPARE(file.fuses.size(), 96u * 128u);
    QCOMPARE(file.security, std::optional<bool>{false});
    QCOMPARE(file.user->bits(0, 32), 0x5E0A0002u);
    QVERIFY(file.checksumGiven && file.transmissionGiven);
    COMPARE_TEXT(file.design, "River gauge sequencer, power rails in order");
    COMPARE_TEXT(file.notes.at(0), "made by demo/generate.py");
  }

  void everyFieldIsUnderstood() {
    // From the standard's own words: fuse 0 is the lowest bit of the first byte; F fills what L leaves out.
    const FuseFile file =
        parseJesd3(jedec("a design*\nQF20*QP24*QV0*F1*\nN note*L0 1010 0000*\nL12\n00*C00E3*G1*UH5A*X0*J1 2*"), "f");
    COMPARE_TEXT(file.fuses.wireText(), "10100000111100111111");
    QCOMPARE(file.security, std::optional<bool>{true});
    QCOMPARE(file.user->bits(0, 8), 0x5Au);
    COMPARE_TEXT(parseJesd3(jedec("d*QF4*L0 0110*U0110*"), "f").user->digits(), "6");
    COMPARE_TEXT(parseJesd3(jedec("d*QF4*L0 0110*UAAB*"), "f").user->digits(), "4142");
    QVERIFY(!parseJesd3("\x02"
                        "d*QF1*F0*\x03"
                        "0000",
                        "f")
                 .transmissionGiven);
  }

  void fusesInHexadecimalAreFuses() {
    const auto fuses = [](const char* fields) { return parseJesd3(jedec(fields), "f").fuses.wireText(); };
    // A digit's highest bit is the first of its fuses, as if it were written out behind L.
    COMPARE_TEXT(fuses("d*QF12*K0 A5F*"), fuses("d*QF12*L0 101001011111*"));
    COMPARE_TEXT(fuses("d*QF12*F0*K4 a\n5*"), fuses("d*QF12*F0*L4 10100101*"));
    COMPARE_TEXT(fuses("d*QF10*K0 A5C*"), fuses("d*QF10*L0 1010010111*"));  // the last digit is filled with 0
    COMPARE_TEXT(problem(jedec("d*QF10*K0 A5F*")), "f: line 1, column 14: fuse 10 is outside: QF says 10 fuses");
    COMPARE_TEXT(problem(jedec("d*QF10*K0 A5C0*")), "f: line 1, column 15: fuse 12 is outside: QF says 10 fuses");
    COMPARE_TEXT(problem(jedec("d*QF10*K0 A5G*")), "f: line 1, column 14: four fuses are a hexadecimal digit, not 'G'");
    COMPARE_TEXT(problem(jedec("d*QF9*L0 0000000000*")), "f: line 1, column 20: fuse 9 is outside: QF says 9 fuses");
    // The checksum counts them.
    COMPARE_TEXT(problem(jedec("d*QF8*K0 A5*C0001*")),
                 "f: line 1, column 14: the fuse checksum is 0001, the fuses give 00A5");
  }

  void onlyFieldsThatDoNoHarmArePassedOver() {
    for (const char letter : std::string("ADJPRSTVX"))
      QCOMPARE(problem(jedec(fmt::format("d*QF4*F1*{} 1 0*", letter))), std::string("no error"));
    for (const char letter : std::string("BHIMOWYZ")) {
      COMPARE_TEXT(
          problem(jedec(fmt::format("d*QF4*F1*{} 1 0*", letter))),
          fmt::format("f: line 1, column 11: there is no field {} in JESD3, so what it asks for is not known", letter));
    }
    COMPARE_TEXT(problem(jedec("d*QF4*F1*QX3*")),
                 "f: line 1, column 11: there is no field QX in JESD3, so what it asks for is not known");
    QCOMPARE(problem(jedec("d*QF4*F1*E0000*")), std::string("no error"));
    VERIFY_CONTAINS(problem(jedec("d*QF4*F1*E0100*")), "there are electrical fuses (field E) which are not 0");
  }

  void theTransmissionChecksumMayLeaveTheParityBitOut() {
    const std::string body =
        "\x02"
        "d\xE9sign*QF4*F1*\x03";
    unsigned with = 0, without = 0;
    for (const char c : body) {
      with += static_cast<std::uint8_t>(c);
      without += static_cast<std::uint8_t>(c) & 0x7F;
    }
    QVERIFY(with != without);
    QCOMPARE(problem(body + fmt::format("{:04X}", with)), std::string("no error"));
    QCOMPARE(problem(body + fmt::format("{:04X}", without)), std::string("no error"));
    VERIFY_CONTAINS(problem(body + fmt::format("{:04X}", with + 1)), "the transmission checksum is");
  }

  void whatIsWrongSaysWhere() {
    const std::vector<std::pair<std::string, std::string>> wrong{
        {"no fuses", "f: line 1, column 1: no STX (code 02) stands where a fuse file begins"},
        {jedec("d*QF4*L0 0110*C0007*"), "f: line 1, column 16: the fuse checksum is 0007, the fuses give 0006"},
        {jedec("d*L0 0110*"), "f: line 1, column 4: fuses are listed before QF says how many there are"},
        {jedec("d*N x*"), "f: line 1, column 8: the file has no QF field, so it does not say how many fuses there are"},
        {jedec("d*QF4*L0 01101*"), "f: line 1, column 15: fuse 4 is outside: QF says 4 fuses"},
        {jedec("d*QF4*\nL0 01x0*"), "f: line 2, column 6: a fuse is 0 or 1, not 'x'"},
        {jedec("d*QF4*L0 011*"),
         "f: line 1, column 15: nothing says what fuse 3 is: no L field has it, and there is no F field"},
        {jedec("d*QF4*F2*"), "f: line 1, column 8: this field should be 0 or 1"},
        {jedec("d*QF4*QF4*F1*"), "f: line 1, column 8: QF stands here a second time"},
        {jedec("d*QF0*"), "f: line 1, column 4: QF should be 1 to 268435456 fuses"},
        {jedec("d*QF99999999999*"), "f: line 1, column 4: a decimal number should stand in this field"},
        {"\x02"
         "d*QF4*F1*\x03"
         "1234",
         "f: line 1, column 12: the transmission checksum is 1234, the file gives 0229"},
        {"\x02"
         "d*QF4*F1*",
         "f: line 1, column 11: the file ends before its ETX (code 03): it was cut off"},
        {"\x02"
         "d*QF4*F1",
         "f: line 1, column 8: this field is not closed by '*'"},
        {"\x02"
         "d*QF4*F1*\x03"
         "12",
         "f: line 1, column 11: four digits of transmission checksum should follow ETX"},
    };
    for (const auto& [text, expected] : wrong) COMPARE_TEXT(problem(text), expected);
  }

  void aFileCutAnywhereIsRefused() {
    const std::string whole = readTextFile(std::string(IMPRIMO_DEMO) + "/sequencer.jed");
    const std::size_t end = whole.find('\x03') + 5;
    for (std::size_t n = 0; n < end; n += n < end - 8 ? 97 : 1) {
      if (problem(whole.substr(0, n)) == "no error") QFAIL(qPrintable(QString::number(n)));
    }
  }

  void oneBitWrongIsFoundByOneOfTheChecksums() {
    std::mt19937 random(3);
    const std::string whole = readTextFile(std::string(IMPRIMO_DEMO) + "/sequencer.jed");
    for (int i = 0; i < 200; ++i) {
      std::string damaged = whole;
      damaged[below(random, whole.find('\x03'))] ^= static_cast<char>(1 << below(random, 7));
      QVERIFY(problem(damaged) != "no error");
    }
  }

  void dataFilesHaveRowsByName() {
    const IscDataFile file = parseIscData(
        "-- made up\nSTD_1532_2002;\nENTITY WREN_C64;\nCREATED 2026-11-20, by nobody;\n"
        "DATA array {\n  12:ABC -- a row\n  5:1F 0F_0\n} CRC 1234ABCD;\nDATA usercode { 5E0A0002 };",
        "d");
    COMPARE_TEXT(file.entity, "WREN_C64");
    COMPARE_TEXT(file.facts.at(0).second, "2026-11-20, by nobody");
    const auto* array = file.section("ARRAY");
    QVERIFY(array != nullptr && array->crc == 0x1234ABCDu);
    QVERIFY((array->rows == std::vector<std::uint32_t>{12, 5, 12}));
    QVERIFY((array->lines == std::vector<int>{6, 7, 7}));
    COMPARE_TEXT(array->bits.slice(0, 12).digits(), "ABC");
    COMPARE_TEXT(array->bits.slice(12, 5).wireText(), "11111");
    COMPARE_TEXT(array->bits.slice(17, 12).digits(), "0F0");
    QCOMPARE(file.section("usercode")->bits.bits(0, 32), 0x5E0A0002u);
  }

  void dataFilesThatAreWrongSayWhere() {
    const std::string head = "STD_1532_2002;\nENTITY X;\n";
    const std::vector<std::pair<std::string, std::string>> wrong{
        {"STD_1149;", "d:1:1: a data file begins with STD_1532_2001 or STD_1532_2002"},
        {"STD_1532_2002; X;", "d:1:16: ENTITY and the part's name should stand here"},
        {head, "d:3:1: the file has no DATA: it was cut off, or is no data file"},
        {head + "DATA a { 12 ", "d:3:13: the file ends inside a: it was cut off"},
        {head + "DATA a { 12G }", "d:3:10: 12G is no hexadecimal value of 12 bits"},
        {head + "DATA a { 3:8 }", "d:3:10: 8 is no hexadecimal value of 3 bits"},
        {head + "DATA a { 0:8 }", "d:3:10: a row has 1 to 1073741824 bits"},
        {head + "DATA a { 9000000:8 }", "d:3:10: 9000000 bits are more than stand here"},
        {head + "DATA a { 1 } DATA A { 2 }", "d:3:19: there are two sections A"},
        {head + "DATA a { 1 } MORE x;", "d:3:14: only DATA can follow the first section"},
        {head + "DATA a { 1 } CRC 123456789", "d:3:18: 123456789 is no hexadecimal value of 32 bits"},
        {head + "MADE today", "d:3:1: this line of the header is not closed by ';'"},
    };
    for (const auto& [text, expected] : wrong) COMPARE_TEXT(dataProblem(text), expected);
  }
};
IMPRIMO_TEST(FuseFilesTest);
#include "tst_fuse_files.moc"
