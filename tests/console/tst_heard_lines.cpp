// SPDX-License-Identifier: GPL-3.0-or-later
//
// What becomes of what was heard: lines, their looks, the numbers in them.
#include <random>

#include "core/console/line_splitter.h"
#include "core/console/numbers.h"
#include "core/console/semihosting.h"
#include "core/console/styled_text.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::console;
using namespace imprimo::test;

namespace {

Bytes bytesOf(std::string_view text) {
  return {text.begin(), text.end()};
}

std::string looks(std::string_view line) {
  TextStyle style;
  std::string all;
  for (const StyledPiece& piece : styledText(line, style))
    all +=
        fmt::format("{}{}{}[{}]", piece.style.color, piece.style.bold ? "b" : "", piece.bytes ? "x" : "", piece.text);
  return all;
}

}  // namespace

class HeardLinesTest : public QObject {
  Q_OBJECT
 private slots:
  void linesEndInAllTheUsualWays() {
    LineSplitter splitter;
    std::string all;
    for (const std::string_view piece : {"a\nb\r", "\nc\rd", "\r\n\n"}) {
      for (const LineSplitter::Line& line : splitter.add(bytesOf(piece))) all += line.text + "|";
    }
    QCOMPARE(all, std::string("a|b|c|d||"));
    QVERIFY(splitter.open().empty());
    splitter.add(bytesOf("not yet"));
    QCOMPARE(splitter.open(), std::string("not yet"));
  }

  /// Cut anywhere, the same lines come out; a line without end comes in pieces.
  void piecesMakeNoDifference() {
    std::mt19937 random(11);
    Bytes said = bytesOf(std::string(3000, 'x') + "\n");
    for (int i = 0; i < 4000; ++i) said.push_back(static_cast<std::uint8_t>("ab\r\n"[random() % 4]));
    const auto linesOf = [&](bool whole) {
      LineSplitter splitter;
      std::string all;
      for (std::size_t at = 0; at < said.size();) {
        const std::size_t count = whole ? said.size() : std::min<std::size_t>(1 + random() % 7, said.size() - at);
        for (const LineSplitter::Line& line : splitter.add(ByteSpan(said).subspan(at, count)))
          all += line.text + (line.ended ? "|" : "…");
        at += count;
      }
      return all + splitter.open();
    };
    const std::string whole = linesOf(true);
    QCOMPARE(linesOf(false), whole);
    QVERIFY(QString::fromStdString(whole).startsWith(QString(1024, 'x') + "…" + QString(1024, 'x') + "…"));
  }

  void looksAreTaken() {
    COMPARE_TEXT(looks("plain"), "8[plain]");
    COMPARE_TEXT(looks("\x1b[31mred\x1b[0m not"), "1[red]8[ not]");
    COMPARE_TEXT(looks("\x1b[1;92mgo\x1b[22mod"), "2b[go]2[od]");
    COMPARE_TEXT(looks("a\x1b[2Kb\x1b]c"), "8[abc]");  // other sequences are left out
    COMPARE_TEXT(looks("\x1b[31"), "8x[‹1B›]8[[31]");  // one that has no end is none
    COMPARE_TEXT(looks("a\tb"), "8[a    b]");
    COMPARE_TEXT(looks(std::string_view("ok\0\x07", 4)), "8[ok]8x[‹00 07›]");
    COMPARE_TEXT(looks("42 \xC2\xB0"
                       "C \xFF\xC3("),
                 "8[42 °C ]8x[‹FF C3›]8[(]");
    TextStyle style;
    styledText("\x1b[34mblue goes on", style);
    QCOMPARE(style.color, std::uint8_t{4});
  }

  void numbersHaveNames_data() {
    QTest::addColumn<QString>("line");
    QTest::addColumn<QString>("found");
    QTest::newRow("two") << "level=1472 battery=3601"
                         << "level:1472 battery:3601 ";
    QTest::newRow("signs and fractions") << "t=-3.5, x=+2e3"
                                         << "t:-3.5 x:2000 ";
    QTest::newRow("hexadecimal") << "status=0x1F"
                                 << "status:31 ";
    QTest::newRow("dotted") << "adc.3_mv=12V"
                            << "adc.3_mv:12 ";
    QTest::newRow("digits before") << "12level=4"
                                   << "level:4 ";
    QTest::newRow("none") << "=3 a= b=c d==2 1=2 e=nan f=inf"
                          << "";
    QTest::newRow("at the end") << "x="
                                << "";
  }
  void numbersHaveNames() {
    QFETCH(QString, line);
    QFETCH(QString, found);
    QString all;
    for (const NamedNumber& number : namedNumbers(line.toStdString()))
      all += QString("%1:%2 ").arg(QString::fromStdString(number.name)).arg(number.value);
    QCOMPARE(all, found);
  }
};

IMPRIMO_TEST(HeardLinesTest);
#include "tst_heard_lines.moc"
