// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "core/base/input_file.h"
#include "core/bsdl/boundary_description.h"
#include "core/bsdl/skim.h"
#include "tests/support/check.h"
#include "tests/support/random_bsdl.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class StylesTest : public QObject {
  Q_OBJECT
  static std::string path(const char* name) { return std::string(IMPRIMO_SOURCE) + "/tests/bsdl/files/" + name; }
  static std::string cellText(const bsdl::Cell& c) {
    return fmt::format(
        "{} {} {} {} {}{}{}", c.number, c.type, c.port.empty() ? "*" : c.port, bsdl::nameOf(c.function), c.safe,
        c.disable ? fmt::format(" {}={} {}", c.disable->control, c.disable->value, c.disable->result) : "",
        c.whenOpen.empty() ? "" : " " + c.whenOpen);
  }

 private slots:
  void theFormOf1990() {
    const auto p = bsdl::parseFile(path("of_1990.bsd"));
    QCOMPARE(p.edition, bsdl::Edition::Of1990);
    QVERIFY(p.warnings.empty());
    COMPARE_TEXT(p.packageChoice, "UNDEFINED");
    QCOMPARE(p.instructionLength, 2u);
    QVERIFY(p.idcodes.empty());
    QCOMPARE(p.ports.size(), 9u);
    QCOMPARE(p.port("y")->width(), 4u);
    QCOMPARE(p.pinMaps.at(0).entries.at(1).pins.size(), 4u);
    QCOMPARE(p.tap.highestClock, 20e6);
    QVERIFY(!p.tap.clockStopsHighToo);
    QCOMPARE(p.cells.size(), 10u);  // cell 4 has two functions
    COMPARE_TEXT(cellText(p.cells[5]), "4 BC_1 * control 1");
    COMPARE_TEXT(cellText(p.cells[8]), "1 BC_1 Y(3) output3 X 4=1 WEAK1");
  }

  void theFormOf1994WithSeveralPinMaps() {
    const auto p = bsdl::parseFile(path("of_1994.bsd"));
    QCOMPARE(p.edition, bsdl::Edition::Of1994);
    QVERIFY(p.warnings.empty());
    QCOMPARE(p.pinMaps.size(), 3u);
    COMPARE_TEXT(p.pinMaps[1].entries[1].pins.back(), "C2");
    COMPARE_TEXT(p.tap.reset, "TRST");
    QCOMPARE(p.tap.highestClock, 1e7);
    COMPARE_TEXT(p.designWarning, "Hold clk still during EXTEST.");
    QVERIFY(p.instruction("FACTORY")->isPrivate);
    QCOMPARE(p.instruction("bypass")->opcodes.size(), 3u);
    QCOMPARE(p.registers[0].length, std::optional<std::uint32_t>{41});
    QVERIFY(p.matchesIdcode(0x26666FFD));
    COMPARE_TEXT(cellText(p.cells[8]), "3 BC_7 data(1) bidir X 10=0 KEEPER");
    COMPARE_TEXT(cellText(p.cells[0]), "11 BC_4 clk clock X");
  }

  void cellsOfItsOwnInTheFileAndBesideIt() {
    const auto p = bsdl::parseFile(path("own_package.bsd"));
    QVERIFY(p.warnings.empty());
    QCOMPARE(p.cellTypes.size(), 2u);
    QCOMPARE(p.cellTypes[1].captures.size(), 5u);
    COMPARE_TEXT(p.cellTypes[1].captures[4].captures, "ZERO");
    const auto q = bsdl::parseFile(path("cells_elsewhere.bsd"));
    QVERIFY(q.warnings.empty());
    COMPARE_TEXT(q.cellTypes.at(0).name, "SH_9");
    const auto alone = bsdl::parse(readTextFile(path("cells_elsewhere.bsd")), "f");
    COMPARE_TEXT(alone.warnings.at(0),
                 "f:8:60: the cell SH_9 is described by no package that was found; put the package beside the file");
  }

  void wordsSplitBetweenStrings() {
    const auto p = bsdl::parseFile(path("dense.bsd"));
    QVERIFY(p.instruction("BYPASS") != nullptr);
    COMPARE_TEXT(p.opcode("SAMPLE")->wireText(), "0100");
    QVERIFY(p.matchesIdcode(0x000FFFFB));
    COMPARE_TEXT(cellText(p.cells[1]), "1 BC_7 P bidir X 0=0 Z");
  }

  void whatCameWith2013() {
    const auto p = bsdl::parseFile(path("of_2013.bsd"));
    QCOMPARE(p.edition, bsdl::Edition::Of2013);
    QVERIFY2(p.warnings.empty(), p.warnings.empty() ? "" : p.warnings[0].c_str());
    COMPARE_TEXT(p.port("VIO")->mode, "power_pos");
    COMPARE_TEXT(p.portPairs.at(0).associated, "RX_N");
    QCOMPARE(p.registers.size(), 4u);
    COMPARE_TEXT(p.registers[1].uses[0].captures, "000000001111XXXX00000000");
    QVERIFY(!p.registers[2].length);
    COMPARE_TEXT(cellText(p.cells[0]), "3 BC_4 RX_P input X OPEN0");
    QCOMPARE(p.mnemonics.size(), 2u);
    COMPARE_TEXT(p.mnemonics[0].mnemonics[2].pattern, "0b1X");
    COMPARE_TEXT(p.mnemonics[0].mnemonics[0].note, "400 mV , for short lines");
    QCOMPARE(p.fields.size(), 2u);
    QCOMPARE(p.fields[0].fields.size(), 3u);
    QVERIFY(p.fields[0].fields[1].bits == (std::vector<std::pair<std::uint32_t, std::uint32_t>>{{7, 7}, {5, 4}}));
    COMPARE_TEXT(p.fields[0].fields[0].options[0].second, "Swing ( High )");
    QCOMPARE(p.fields[1].fields.size(), 2u);
    COMPARE_TEXT(p.powerPorts.at(1).power, "VIO(1)");
    QCOMPARE(p.idcodes.size(), 2u);
  }

  void otherStandardsAreKept() {
    const auto p = bsdl::parseFile(path("more_standards.bsd"));
    COMPARE_TEXT(p.compliance.at(0).patterns.at(0), "1");
    const auto kept = [&](const char* name) {
      for (const auto& a : p.attributes) {
        if (a.name == name) return a.value;
      }
      return std::string("not kept");
    };
    COMPARE_TEXT(kept("AIO_PIN_BEHAVIOR"), "AC_P : AC_Select = 1");
    VERIFY_CONTAINS(kept("ISC_FLOW"), "ISC_PROGRAM 64:? wait 25.0e-3");
    QCOMPARE(p.isc->flows.at(1).blocks.at(0).times, 1024u);
    COMPARE_TEXT(kept("HOUSE_STYLE"), "anything (at: all) #1");
    QVERIFY(p.warnings.empty());
  }

  void wideInstructions() {
    const auto p = bsdl::parseFile(path("wide.bsd"));
    QCOMPARE(p.instructionLength, 38u);
    QCOMPARE(p.idcodes.size(), 2u);
    QVERIFY(p.matchesIdcode(0x28001FFD) && p.matchesIdcode(0x18001FFD) && !p.matchesIdcode(0x38001FFD));
    QCOMPARE(p.compliance.at(0).patterns.size(), 2u);
    QVERIFY(p.warnings.empty());
  }

  void errorsNameTheirPlace() {
    const auto error = [](const std::string& text) { return errorOf([&] { bsdl::parse(text, "f"); }); };
    const auto problem = [](const std::string& text) { return bsdl::parse(text, "f").boundaryProblem; };
    const auto withCells = [](const std::string& cells) {
      return "entity P is port (A : in bit; V : out bit_vector(3 downto 1));\n"
             "attribute INSTRUCTION_LENGTH of P : entity is 4;\nattribute BOUNDARY_LENGTH of P : entity is 2;\n"
             "attribute BOUNDARY_REGISTER of P : entity is\n \"" +
             cells + "\";\nend P;\n";
    };
    COMPARE_TEXT(problem(withCells("0 (BC_1, A, input, X), 1 (BC_1, B, input, X)")),
                 "f:5:35: B is no port of this part");
    COMPARE_TEXT(problem(withCells("0 (BC_1, A, inptu, X)")), "f:5:15: 'inptu' is no function of a boundary cell");
    COMPARE_TEXT(problem(withCells("0 (BC_1, A, input, 2)")), "f:5:22: a safe bit is 0, 1 or X, not '2'");
    COMPARE_TEXT(problem(withCells("0 (BC_1, A, input, X)")),
                 "f:4:11: BOUNDARY_REGISTER does not describe cell 1 of 2");
    COMPARE_TEXT(problem(withCells("2 (BC_1, A, input, X)")), "f:5:3: cell 2 of a boundary register with 2 cells");
    COMPARE_TEXT(problem(withCells("0 (BC_1, V(4), output2, X)")), "f:5:12: V(4) is outside its vector, 1 to 3");
    COMPARE_TEXT(problem(withCells("0 (BC_1, V, output2, X)")), "f:5:12: V is a vector: which of its signals?");
    COMPARE_TEXT(problem(withCells("0 (BC_1, A(0), input, X)")), "f:5:12: A is no vector");
    COMPARE_TEXT(problem(withCells("0 (BC_1, V(1), output3, X, 9, 0, Z), 1 (BC_1, A, input, X)")),
                 "f:4:11: cell 0 is disabled by cell 9, which the register of 2 cells does not have");
    COMPARE_TEXT(error("entity P is port (A : inn bit);"),
                 "f:1:23: in, out, inout, buffer or linkage should stand here, not 'inn'");
    COMPARE_TEXT(
        error("entity P is attribute INSTRUCTION_LENGTH of P : entity is 4;\nattribute IDCODE_REGISTER of P : entity "
              "is \"00000000000000000000000000000000\"; end;"),
        "f:2:11: the last bit of an IDCODE is 1 (IEEE 1149.1-2013 12.1.1)");
  }

  void whatDoesNotHinderIsAWarning() {
    const auto p = bsdl::parse(
        "entity P is port (A : in bit_vector(1 to 2));\nconstant X : PIN_MAP_STRING := \"A : (1\";\n"
        "attribute PORT_GROUPING of P : entity is \"nonsense\";\n"
        "attribute INSTRUCTION_LENGTH of P : entity is 4; end P;",
        "f");
    QCOMPARE(p.warnings.size(), 2u);
    COMPARE_TEXT(p.warnings[0], "f:2:39: the text ends where ')' should stand");
  }

  void anIdcodeThatFitsEverythingFitsNothing() {
    const auto p = bsdl::parse(
        "entity P is attribute INSTRUCTION_LENGTH of P : entity is 4;\nattribute IDCODE_REGISTER of P : "
        "entity is \"XXXXXXXXXXXXXXXXXXXXXXXXXXXXXXX1\"; end;",
        "f");
    QVERIFY(!p.matchesIdcode(0x1F40AFFD));
    VERIFY_CONTAINS(p.warnings.at(0), "f:2:11: this IDCODE_REGISTER fits every part");
  }

  void whatWasMadeIsWhatIsRead() {
    std::mt19937 random(1149);
    for (int round = 0; round < 300; ++round) {
      const RandomDevice made = randomDevice(random, "Reed_" + std::to_string(round), below(random, 40));
      const auto read = bsdl::parse(made.text, "f");
      COMPARE_TEXT(read.entity, made.device.entity);
      QVERIFY2(read.worksLike(made.device), made.text.c_str());
      QCOMPARE(read.idcodes, made.device.idcodes);
      const bsdl::Summary summary = bsdl::skim(made.text);
      QVERIFY(summary == (bsdl::Summary{made.device.entity, made.device.instructionLength, made.device.idcodes}));
    }
  }

  void filesCutAnywhereAreErrorsAndNothingWorse() {
    for (const char* name : {"of_1990.bsd", "of_2013.bsd", "own_package.bsd", "more_standards.bsd"}) {
      const std::string text = readTextFile(path(name));
      for (std::size_t n = 0; n + 12 < text.size(); n += 7) {
        errorOf([&] { bsdl::parse(text.substr(0, n), "f"); });
        bsdl::skim(text.substr(0, n));
      }
    }
  }
};
IMPRIMO_TEST(StylesTest);
#include "tst_styles.moc"
