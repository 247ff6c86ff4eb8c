// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTest>

#include "core/svf/player.h"
#include "core/svf/survey.h"
#include "tests/support/check.h"
#include "tests/support/svf_reference.h"
#include "tests/support/test_registry.h"
#include "tests/support/wire_port.h"

namespace {

using namespace imprimo;
using namespace imprimo::svf;
using namespace imprimo::test;
using jtag::TapState;

constexpr std::uint32_t kHz = 1'000'000;

/// Remembers mismatches and where it was told of progress; stops or goes on as told.
class Watch : public PlayObserver {
 public:
  bool past = false;
  std::vector<Mismatch> mismatches;
  std::function<void(const Played&)> each;
  void advanced(const Played& played) override {
    if (each) each(played);
  }
  bool goesOnPast(const Mismatch& m) override {
    mismatches.push_back(m);
    return past;
  }
};

struct Bench {
  ToyDevice device;
  WirePort port{[this](bool tms, bool tdi) { return device.clock(tms, tdi); }, kHz};
  Watch watch;
  PlayOptions options;
  PlayResult play(const std::string& text, std::stop_token stop = {}) {
    Reader reader(sourceOf(text), "f.svf");
    return svf::play(reader, port, options, watch, stop);
  }
};

/// What a text is clocked as, without the reset in front: 0 and 1 are TMS, A to D shift (B and D a one, C and D the
/// last).
std::string trace(const std::string& text) {
  Bench b;
  b.play(text);
  return b.device.trace().substr(6);
}

class SvfPlayerTest : public QObject {
  Q_OBJECT
 private slots:
  void agreesWithTheReference();
  void surveyCountsWhatIsPlayed();
  void scansRestWhereTheyAreTold();
  void waitsRunTheClock();
  void mismatchTellsBits();
  void nothingGoesBehindAMismatch();
  void headerAndTrailerAreCompared();
  void longScansGoInPieces();
  void stopsAtAScanBoundary();
  void takenUpAtAStep();
  void stepCommentsAreOurs();
  void pinsAreDrivenAndLookedAt();
  void whatCannotBeDoneIsRefusedWithItsLine();
  void badTextLeavesTheTapAtRest();
};

void SvfPlayerTest::agreesWithTheReference() {
  std::size_t differing = 0;
  for (std::uint32_t seed = 1; seed <= 3000; ++seed) {
    const std::string text = randomSvf(seed);
    ToyDevice plain;
    SvfReference reference([&](bool tms, bool tdi) { return plain.clock(tms, tdi); }, kHz);
    reference.play(text);
    Bench b;
    b.watch.past = true;
    const PlayResult result = b.play(text);
    std::vector<unsigned> lines;
    for (const Mismatch& m : b.watch.mismatches) lines.push_back(static_cast<unsigned>(m.place.line));
    QVERIFY2(lines == reference.mismatches(), text.c_str());
    QVERIFY2(b.device.trace() == plain.trace(), text.c_str());
    QCOMPARE(b.device.state(), TapState::RunTestIdle);
    QCOMPARE(result.played.clocks, b.port.clocks);
    QVERIFY(std::abs(b.port.waited - reference.waited()) < 1e-4);
    differing += lines.size();
  }
  QVERIFY(differing > 1000);
}

void SvfPlayerTest::surveyCountsWhatIsPlayed() {
  for (std::uint32_t seed = 1; seed <= 500; ++seed) {
    const std::string text = randomSvf(seed);
    Bench b;
    b.watch.past = true;
    const PlayResult result = b.play(text);
    Reader reader(sourceOf(text), "f.svf");
    const Survey s = survey(reader, kHz);
    QVERIFY(s.whole && !s.problem);
    QCOMPARE(s.irScans, result.played.irScans);
    QCOMPARE(s.drScans, result.played.drScans);
    QCOMPARE(s.compares, result.played.compares);
    // The reset in front is the player's own, and so is the way home at the end.
    QVERIFY(result.played.clocks >= s.clocks + 6 && result.played.clocks <= s.clocks + 6 + 3);
    double all = 0;
    for (const Survey::Stretch& stretch : s.stretches) all += stretch.instruction + stretch.data + stretch.waiting;
    QVERIFY2(all <= s.seconds * 1.001 + 1e-6, text.c_str());
    QCOMPARE(s.end.offset, text.size());
  }
}

void SvfPlayerTest::scansRestWhereTheyAreTold() {
  COMPARE_TEXT(trace("SIR 2 TDI (1);"),
               "1100"
               "BC"
               "10");
  COMPARE_TEXT(trace("ENDIR IRPAUSE; SIR 2 TDI (1); SDR 1 TDI (1);"),
               "1100"
               "BC"
               "0"
               "11"
               "100"
               "D"
               "10");
  COMPARE_TEXT(trace("ENDDR RESET; SDR 1 TDI (0); SIR 1 TDI(1);"),
               "100"
               "C"
               "1111"
               "0"
               "1100"
               "D"
               "10");
  COMPARE_TEXT(trace("ENDIR DRPAUSE; SIR 1 TDI (1);"),
               "1100"
               "D"
               "11010"
               "110");
  COMPARE_TEXT(trace("STATE DRPAUSE; STATE DRPAUSE; STATE RESET;"),
               "1010"
               "111010"
               "11111"
               "0");
  COMPARE_TEXT(trace("HDR 1 TDI (1); TDR 2 TDI (0); SDR 3 TDI (6);"),
               "100"
               "B"
               "ABB"
               "AC"
               "10");
}

void SvfPlayerTest::waitsRunTheClock() {
  COMPARE_TEXT(trace("RUNTEST 3 TCK;"), "000");
  COMPARE_TEXT(trace("RUNTEST 4E-6 SEC;"), "0000");
  COMPARE_TEXT(trace("RUNTEST DRPAUSE 2 TCK ENDSTATE IDLE;"),
               "1010"
               "00"
               "110");
  COMPARE_TEXT(trace("RUNTEST RESET 2 TCK; RUNTEST 1 TCK;"),
               "11111"
               "11"
               "1"
               "0");
  Bench b;
  b.play("RUNTEST 10 TCK 0.25 SEC;");
  QVERIFY(std::abs(b.port.waited - 0.24999) < 1e-5);
  QCOMPARE(b.port.clocks, 16u);
}

void SvfPlayerTest::mismatchTellsBits() {
  Bench b;
  const PlayResult r =
      b.play("! first\nSIR 7 TDI (7F);\n! the one that matters\n  SIR 7 TDI (00) TDO (54)\n MASK (0F);\n");
  QVERIFY(r.end == PlayResult::End::Mismatch);
  const Mismatch& m = *r.first;
  QCOMPARE(m.place.line, 4u);
  QCOMPARE(m.place.column, 3u);
  QCOMPARE(m.first, 0u);
  QCOMPARE(m.compared, 4u);
  QCOMPARE(m.differing, 1u);
  COMPARE_TEXT(m.found.digits(), "55");
  COMPARE_TEXT(m.expected.digits(), "54");
  COMPARE_TEXT(m.comment.text, "the one that matters");
  COMPARE_TEXT(m.text(), "SIR 7: 1 of 4 compared bits differs, bit 0 should be 0 and is 1");
}

void SvfPlayerTest::nothingGoesBehindAMismatch() {
  Bench b;
  const PlayResult r = b.play("SIR 7 TDI (7F) TDO (55); SIR 7 TDI(01) TDO (00); SDR 5 TDI (1F);");
  QCOMPARE(r.played.irScans, 2u);
  QCOMPARE(r.played.drScans, 0u);
  QCOMPARE(r.first->comparesBefore, 1u);
  COMPARE_TEXT(b.device.trace().substr(6),
               "1100BBBBBBD10"
               "1100BAAAAAC10");
  b.watch.past = true;
  const PlayResult on = b.play("SIR 7 TDI (7F) TDO (00); SIR 7 TDI(01) TDO (00); SDR 5 TDI (1F);");
  QCOMPARE(on.mismatches, 2u);
  QCOMPARE(on.played.drScans, 1u);
}

void SvfPlayerTest::headerAndTrailerAreCompared() {
  Bench b;
  // Capture-IR leaves 1010101, and what goes in comes out behind it.
  QVERIFY(b.play("HIR 3 TDI (0) TDO (5); TIR 2 TDI (3) TDO (2); SIR 2 TDI (0) TDO (2);").end == PlayResult::End::Whole);
  const PlayResult r = b.play("HIR 3 TDI (0) TDO (5); TIR 2 TDI (3) TDO (3); SIR 2 TDI (0) TDO (2);");
  QVERIFY(r.end == PlayResult::End::Mismatch);
  QCOMPARE(r.first->first, 5u);
  QCOMPARE(r.first->header, 3u);
}

void SvfPlayerTest::longScansGoInPieces() {
  // The toy's register is 32 bits after a reset; what went in comes out behind it.
  std::string digits;
  std::mt19937 random(7);
  for (int i = 0; i < 250'000; ++i) digits += "0123456789ABCDEF"[random() % 16];
  const std::string sent = digits + "00000000";
  const std::string text = "SDR 1000032 TDI (0" + digits + "0000000) TDO (" + sent + ") MASK (";
  const std::string mask = std::string(250'000, 'F') + "00000000";
  Bench b;
  const std::string shifted =
      "SDR 1000032 TDI (00000000" + digits + ") TDO (" + digits + "00000000) MASK (" + mask + ");";
  QVERIFY(b.play(shifted).end == PlayResult::End::Whole);
  QVERIFY(b.port.runs >= 4);
  std::string wrong = shifted;
  const std::size_t at = wrong.find("TDO (") + 5 + 100'000;
  wrong[at] = wrong[at] == '0' ? '1' : '0';
  const PlayResult r = b.play(wrong);
  QVERIFY(r.end == PlayResult::End::Mismatch);
  const std::size_t nibble = 250'007 - 100'000;
  QCOMPARE(r.first->first / 4, nibble);
  QVERIFY(r.first->expected.size() <= 16384);
  QVERIFY(r.first->expected[r.first->first - r.first->from] != r.first->found[r.first->first - r.first->from]);
  QCOMPARE(b.device.state(), TapState::RunTestIdle);
}

void SvfPlayerTest::stopsAtAScanBoundary() {
  std::string text;
  for (int i = 0; i < 100; ++i) text += "SDR 8000 TDI (0);\nRUNTEST IDLE 1000 TCK;\n";
  for (int after = 0; after < 60; after += 7) {
    Bench b;
    std::stop_source stop;
    int told = 0;
    b.watch.each = [&](const Played&) {
      if (++told > after) stop.request_stop();
    };
    const PlayResult r = b.play(text, stop.get_token());
    QVERIFY(r.end == (told > after ? PlayResult::End::Stopped : PlayResult::End::Whole));
    QCOMPARE(b.device.state(), TapState::RunTestIdle);
    QCOMPARE(r.played.clocks, b.port.clocks);
  }
}

void SvfPlayerTest::takenUpAtAStep() {
  const std::string text =
      "ENDDR DRPAUSE;\nHDR 1 TDI (1);\n! Step 1 of 2: first\nSDR 2 TDI (0);\n! Step 2 of 2: second\nSDR 2 TDI (3);\n"
      "SIR 7 TDI (7F) TDO (00);\n";
  Bench b;
  const PlayResult r = b.play(text);
  COMPARE_TEXT(r.safe.title, "Step 2 of 2: second");
  QCOMPARE(r.safe.place.line, 5u);
  Bench again;
  again.options.from = r.safe.place.offset;
  again.play(text);
  // What stood before counts: the header, the end state.
  COMPARE_TEXT(again.device.trace().substr(6),
               "100"
               "BBD"
               "0"
               "11"
               "1100"
               "BBBBBBD"
               "10");
  QVERIFY(b.play("SDR 1 TDI (0); STATE RESET;\nSIR 7 TDI (7F) TDO (00);").safe.place == (Place{15, 1, 16}));
}

void SvfPlayerTest::stepCommentsAreOurs() {
  COMPARE_TEXT(stepTitle("Step 6 of 9: Write 544 pages").value(), "Write 544 pages");
  for (const char* other : {"Step six of 9: x", "Step 6: x", "step 6 of 9: x", "Step 6 of 9", "Step  of 9: x", ""})
    QVERIFY(!stepTitle(other));
}

class FakePins : public Pins {
 public:
  std::string journal;
  bool high = true;
  bool has(const std::string& name) const override { return name != "ABSENT"; }
  void drive(const std::string& name, std::optional<bool> level) override {
    journal += name + (level ? *level ? "=1 " : "=0 " : "=z ");
  }
  bool level(const std::string&) override { return high; }
};

void SvfPlayerTest::pinsAreDrivenAndLookedAt() {
  Bench b;
  FakePins pins;
  b.options.pins = &pins;
  const std::string text = "PIOMAP (OUT STROBE INOUT BUS IN READY); PIO (HZU); TRST ON; TRST OFF; PIO (LXX);";
  QVERIFY(b.play(text).end == PlayResult::End::Whole);
  COMPARE_TEXT(pins.journal, "STROBE=1 BUS=z TRST=0 TRST=1 STROBE=0 ");
  pins.high = false;
  const PlayResult r = b.play(text);
  QVERIFY(r.end == PlayResult::End::Mismatch);
  COMPARE_TEXT(r.first->text(), "pin READY should be high and is low");
}

void SvfPlayerTest::whatCannotBeDoneIsRefusedWithItsLine() {
  Bench b;
  COMPARE_TEXT(errorOf([&] { b.play("PIOMAP (OUT A);\nPIO (X);\n PIO (H);"); }), "f.svf:3:2: the probe has no pin A");
  COMPARE_TEXT(errorOf([&] { b.play("\nRUNTEST 5 SCK;"); }),
               "f.svf:2:1: RUNTEST counts clocks of SCK, and no probe here has such a clock");
  QVERIFY(kindOf([&] { b.play("RUNTEST 5 SCK;"); }) == ErrorKind::Refused);
  Reader reader(sourceOf("PIOMAP (OUT A IN B);\nPIO (XU);\nRUNTEST 1 SCK; RUNTEST 2 SCK;"), "f.svf");
  const Survey s = survey(reader, kHz);
  QCOMPARE(s.needs.size(), 2u);
  COMPARE_TEXT(s.needs[0].what, "a pin named B");
  QCOMPARE(s.needs[1].place.line, 3u);
}

void SvfPlayerTest::badTextLeavesTheTapAtRest() {
  Bench b;
  QVERIFY(kindOf([&] { b.play("ENDDR DRPAUSE; SDR 3 TDI (7);\nNONSENSE;"); }) == ErrorKind::BadFile);
  QCOMPARE(b.device.state(), TapState::RunTestIdle);
  COMPARE_TEXT(b.device.trace().substr(6),
               "100"
               "BBD"
               "0"
               "110");
}

IMPRIMO_TEST(SvfPlayerTest);

}  // namespace

#include "tst_player.moc"
