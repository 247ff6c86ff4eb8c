// SPDX-License-Identifier: GPL-3.0-or-later
//
// Files that other programs write: what the revision leaves open, and what is written against it and does no harm.
#include <QTest>

#include "core/svf/player.h"
#include "core/svf/survey.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/wire_port.h"

namespace {

using namespace imprimo;
using namespace imprimo::svf;
using namespace imprimo::test;

/// What a text is clocked as, without the reset in front.
std::string trace(const std::string& text, FromPause fromPause = FromPause::Update) {
  ToyDevice device;
  WirePort port([&](bool tms, bool tdi) { return device.clock(tms, tdi); }, 1'000'000);
  PlayObserver nobody;
  PlayOptions options;
  options.fromPause = fromPause;
  Reader reader(sourceOf(text), "f.svf");
  play(reader, port, options, nobody, {});
  return device.trace().substr(6);
}

Survey surveyed(const std::string& text, FromPause fromPause = FromPause::Update) {
  Reader reader(sourceOf(text), "f.svf");
  return survey(reader, 1e6, {}, fromPause);
}

std::string remarks(const std::string& text) {
  std::string lines;
  for (const auto& remark : surveyed(text).remarks)
    lines += std::to_string(remark.place.line) + ":" + std::to_string(remark.place.column) + " " + remark.text + "\n";
  return lines;
}

std::string errorFor(const std::string& text) {
  const Survey s = surveyed(text);
  return s.problem ? s.problem->what() : "";
}

class OtherWritersTest : public QObject {
  Q_OBJECT
 private slots:
  void resetIsReachedFromAnywhere() {
    COMPARE_TEXT(trace("STATE RESET IDLE;"), "111110");
    COMPARE_TEXT(trace("STATE DRPAUSE;STATE RESET IDLE;"),
                 "1010"
                 "111110");
    COMPARE_TEXT(trace("STATE IRPAUSE;STATE RESET IDLE DRSELECT DRCAPTURE DREXIT1 DRPAUSE;"),
                 "11010"
                 "111110"
                 "1010"
                 "110");
    COMPARE_TEXT(trace("STATE RESET;STATE RESET IDLE;"),
                 "11111"
                 "0");
    QVERIFY(surveyed("STATE RESET IDLE;").whole);
    // Other paths still have to lead from state to state.
    VERIFY_CONTAINS(errorFor("STATE DRSHIFT DREXIT1 DRPAUSE;"), "the path begins with DRSHIFT, and the TAP is in IDLE");
  }

  void marksAroundTheTextArePassedOver() {
    COMPARE_TEXT(trace("\xEF\xBB\xBFSDR 2 TDI (1);\r\n\x1A"), trace("SDR 2 TDI (1);"));
    COMPARE_TEXT(remarks("\xEF\xBB\xBFSDR 2 TDI (1);\r\n\x1A"),
                 "1:1 a byte order mark was passed over\n2:1 0x1A at the end was passed over\n");
    COMPARE_TEXT(remarks("SDR 2 TDI (1);\x1A\n \x1A"), "1:15 0x1A at the end was passed over\n");
    COMPARE_TEXT(errorFor("SDR 2 TDI (1);\x1A\nSDR 2 TDI (1);"),
                 "f.svf:1:15: 0x1A stands here, and there is more after it");
    // Places count without the mark.
    COMPARE_TEXT(errorFor("\xEF\xBB\xBFSDX 2;"), "f.svf:1:1: SDX is no command of SVF");
    COMPARE_TEXT(errorFor("\xEF\xBBSDR 2;"), "f.svf:1:1: byte 0xEF stands where a command should be");
  }

  void nothingIsTakenAsNothing() {
    COMPARE_TEXT(trace("HIR 0 TDI ();TIR 0 TDI () SMASK ();SIR 2 TDI (1);"), trace("SIR 2 TDI (1);"));
    COMPARE_TEXT(remarks("\nHIR 0 TDI ();"), "2:12 TDI of HIR is empty, and its length is 0\n");
    VERIFY_CONTAINS(errorFor("SDR 3 TDI ();"), "TDI of SDR has no digits");
    QVERIFY(surveyed("FREQUENCY 0 HZ;SDR 2 TDI (1);").whole);
    QVERIFY(!surveyed("FREQUENCY 0 HZ;").hz);
    COMPARE_TEXT(remarks("FREQUENCY 0 HZ;"),
                 "1:11 FREQUENCY 0 is taken as FREQUENCY without a value: as fast as may be\n");
    VERIFY_CONTAINS(errorFor("FREQUENCY 0.5 HZ;"), "nothing runs TCK like that");
  }

  void fromThePauseStateThereAreTwoWays() {
    const std::string text = "ENDDR DRPAUSE;SDR 2 TDI (1);SDR 1 TDI (1);";
    COMPARE_TEXT(trace(text),
                 "100"
                 "BC0"
                 "11100"
                 "D0"
                 "110");
    COMPARE_TEXT(trace(text, FromPause::Shift),
                 "100"
                 "BC0"
                 "10"
                 "D0"
                 "110");
    const std::string instructions = "ENDIR IRPAUSE;SIR 2 TDI (1);SIR 1 TDI (1);";
    COMPARE_TEXT(trace(instructions),
                 "1100"
                 "BC0"
                 "111100"
                 "D0"
                 "110");
    COMPARE_TEXT(trace(instructions, FromPause::Shift),
                 "1100"
                 "BC0"
                 "10"
                 "D0"
                 "110");
    // From the other register's pause state there is only one.
    const std::string other = "ENDIR IRPAUSE;SIR 2 TDI (1);SDR 1 TDI (1);";
    COMPARE_TEXT(trace(other, FromPause::Shift), trace(other));
    // Paddings go with the scan, also where it goes on.
    COMPARE_TEXT(trace("HDR 1 TDI (1);ENDDR DRPAUSE;SDR 2 TDI (1);SDR 1 TDI (0);", FromPause::Shift),
                 "100"
                 "BBC0"
                 "10"
                 "BC0"
                 "110");
  }

  void aFileThatDependsOnItIsKnownBeforehand() {
    const std::string text = "SDR 2 TDI (1);\nENDDR DRPAUSE;\nSDR 2 TDI (1);\nSDR 2 TDI (0);\nSDR 2 TDI (1);\n";
    const Survey s = surveyed(text);
    QCOMPARE(s.fromPause, 2u);
    QCOMPARE(s.firstFromPause.line, 4u);
    QVERIFY(!s.ours);
    QCOMPARE(surveyed("ENDIR IRPAUSE;SIR 2 TDI (1);SDR 1 TDI (1);").fromPause, 0u);
    QVERIFY(surveyed("! Imprimo vectors 1: river\n" + text).ours);
    QVERIFY(!surveyed("! a word\n! Imprimo vectors 1: river\n" + text).ours);
    for (const FromPause way : {FromPause::Update, FromPause::Shift}) {
      // The survey counts what is played: the way home is the player's own.
      const std::size_t home = 3;
      QCOMPARE(surveyed(text, way).clocks, trace(text, way).size() - home);
    }
  }
};
IMPRIMO_TEST(OtherWritersTest);

}  // namespace

#include "tst_other_writers.moc"
