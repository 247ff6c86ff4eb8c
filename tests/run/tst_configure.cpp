// SPDX-License-Identifier: GPL-3.0-or-later
//
// From a cold board to a programmed flash and configured parts, and what can go wrong on the way.
#include <QTest>

#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "core/store/file_records.h"
#include "sim/isc_cells.h"
#include "tests/support/check.h"
#include "tests/support/gauge_world.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;
using run::Outcome;

namespace {

const char* const kNew = "runs 0x52320002 from flash";
const char* const kOld = "runs 0x52320001 from flash";

/// Stops a run when a step has moved so many bits.
struct Stopper : run::RunObserver {
  explicit Stopper(std::uint64_t bits) : at(bits) {}
  void advanced(std::size_t, const AddressRange&, const Amount& done) override {
    if (done.count >= at) source.request_stop();
  }
  std::uint64_t at;
  std::stop_source source;
};

std::string stepText(const run::Record& record) {
  std::string text;
  for (const auto& ran : record.steps) text += std::string(text.empty() ? "" : " ") + nameOf(ran.step.kind);
  return text;
}

/// The board settles into the design that its flash has.
void boot(GaugeWorld& w) {
  w.sim().board().wait(sim::fromSeconds(1));
}

}  // namespace

class ConfigureTest : public QObject {
  Q_OBJECT
 private slots:
  void fromPowerUpToTheNewDesign() {
    GaugeWorld w;
    boot(w);
    COMPARE_TEXT(w.state(2), kOld);
    const run::Record record = w.program();
    QVERIFY2(record.outcome == Outcome::Verified, qPrintable(QString::fromStdString(record.message)));
    VERIFY_CONTAINS(record.message, "correlator came up with the new design (user code 0x52320002).");
    COMPARE_TEXT(w.state(2), kNew);
    QCOMPARE(record.devices.at(0).usercode, std::optional<std::uint32_t>{0x52320002});
    VERIFY_CONTAINS(stepText(record), "check-chain load-bridge identify read save");
    VERIFY_CONTAINS(record.text(), "\"usercode\": \"0x52320002\"");
    COMPARE_TEXT(w.sim().violations(), "");
    // Again: the bridge is loaded once more, nothing is written, and the design starts again.
    const run::Record again = w.program();
    QCOMPARE(again.outcome, Outcome::Verified);
    QVERIFY(!again.changed);
    COMPARE_TEXT(w.state(2), kNew);
    COMPARE_TEXT(w.sim().violations(), "");
  }

  void aBridgeThatIsThereIsUsedAndOneThatIsGoneIsLoadedAgain() {
    GaugeWorld w({}, [](QString& sheet) { sheet.replace("\"after\": [\"restart\"]", "\"after\": []"); });
    NoProgress nobody;
    COMPARE_TEXT(w.bench().at("boot-flash").loadRoute(nobody), "the design that ran there has stopped");
    COMPARE_TEXT(w.state(2), "runs 0xb21d6e01 from the TAP, a bridge");
    COMPARE_TEXT(w.bench().at("boot-flash").loadRoute(nobody), "still there from before");
    const run::Record record = w.work(run::wantedFor(w.sheet(), "boot-flash", plan::Task::Verify));
    COMPARE_TEXT(record.steps.at(1).note, "still there from before");
    VERIFY_CONTAINS(record.message, "correlator is a bridge now; restart it for its own design.");
    w.sim().board().device(1).powerLost(w.sim().board().now());
    w.sim().board().device(1).powerUp(w.sim().board().now());
    w.bench().chain().port().run(jtag::ScanBatch().reset());
    COMPARE_TEXT(w.bench().at("boot-flash").loadRoute(nobody),
                 "it was gone and is loaded again; the design that ran there has stopped");
    w.reconnect();
    COMPARE_TEXT(w.bench().at("boot-flash").loadRoute(nobody), "one answers already");
    COMPARE_TEXT(w.sim().violations(), "");
  }

  /// Written without confirming, one byte goes wrong, and the part does not come up: nobody says that it is right.
  void whatWasNotConfirmedIsNotCalledRight() {
    for (const bool verify : {false, true}) {
      GaugeWorld w;
      for (unsigned a = 0x400000; a < 0x420000; ++a) w.sim().flash("boot-flash").cells().set(a, 0xFF);
      plan::Wanted wanted = run::wantedFor(w.sheet(), "boot-flash", plan::Task::Program,
                                           std::vector{parsePiece(w.path("echo_correlator.bin") + "@0,reversed")});
      wanted.noVerify = !verify;
      if (verify) {
        // A good write of a bitstream for another part.
        Bytes bytes = readFile(w.path("echo_correlator.bin"));
        for (std::size_t i = 0; i < 64; ++i) bytes[i + 8] ^= 0xFF;
        wanted.image.write(0, bytes);
      } else {
        w.sim().flash("boot-flash").corruptWritten(w.sim().flash("boot-flash").bytesWritten() + 20000, 0x01);
      }
      const run::Record record = w.work(wanted);
      QCOMPARE(record.error, std::optional{ErrorKind::NotProgrammed});
      VERIFY_CONTAINS(record.message, "does not come up");
      QCOMPARE(QString::fromStdString(record.message).contains("was confirmed by reading back"), verify);
      QVERIFY(!QString::fromStdString(record.message).contains("is right"));
    }
  }

  void withoutLeaveNoDesignIsStopped() {
    GaugeWorld w;
    boot(w);
    w.bench().checkChain();
    COMPARE_TEXT(errorOf([&] { w.bench().at("boot-flash").identify(); }),
                 "boot-flash is reached through correlator, whose bridge is not loaded");
    const run::Record dry = w.program({}, true);
    QCOMPARE(dry.outcome, Outcome::Planned);
    VERIFY_CONTAINS(dry.message, "boot-flash is reached through correlator, whose bridge is not loaded");
    COMPARE_TEXT(w.state(2), kOld);
    // A run that reaches it loads the bridge, as a step that its record has.
    const run::Record reached = w.work(run::wantedFor(w.sheet(), "boot-flash", plan::Task::Reach));
    QCOMPARE(reached.outcome, Outcome::Done);
    QVERIFY(std::any_of(reached.steps.begin(), reached.steps.end(), [](const run::RanStep& ran) {
      return ran.step.kind == plan::StepKind::LoadBridge && ran.finished;
    }));
    COMPARE_TEXT(w.bench().at("boot-flash").identify().id, "0x7e4017");
  }

  void anImageThatIsNoBridgeIsTold() {
    GaugeWorld w({}, [](QString& sheet) { sheet.replace("cores/tarn_t40_bridge.bin", "fallback.bin"); });
    const run::Record record = w.program();
    QCOMPARE(record.outcome, Outcome::Refused);
    VERIFY_CONTAINS(record.message, "no bridge answers in correlator (part 2)");
    QVERIFY(w.sim().flash("boot-flash").commands().empty());
    // A damaged one is told by the part's status, and leaves it without a design.
    GaugeWorld damaged;
    Bytes image = readFile(damaged.path("cores/tarn_t40_bridge.bin"));
    image[5000] ^= 4;
    writeFileAtomically(damaged.path("cores/tarn_t40_bridge.bin"), ByteSpan(image));
    const run::Record broken = damaged.program();
    QCOMPARE(broken.outcome, Outcome::Refused);
    VERIFY_CONTAINS(broken.message, "CRC error = 1");
    VERIFY_CONTAINS(broken.message, "It says: CRC error.");
    VERIFY_CONTAINS(broken.message, "correlator has no design now. No flash command was sent.");
    COMPARE_TEXT(damaged.state(2), "CRC error");
  }

  void anFpgaTakesABitstreamAndTellsHowItIs() {
    GaugeWorld w;
    const run::Record record = w.configure("correlator", "echo_correlator.bin");
    QCOMPARE(record.outcome, Outcome::Configured);
    COMPARE_TEXT(w.state(2), "runs 0x52320002 from the TAP");
    QCOMPARE(record.bits, 8u * 0x120A40u);
    QVERIFY(record.devices.at(0).runs == true && record.devices[0].bits.size() == 10);
    VERIFY_CONTAINS(record.message, "correlator took echo_correlator.bin (9.46 Mbit).");
    COMPARE_TEXT(w.sim().violations(), "");
    QCOMPARE(record.good(), true);
  }

  void aBitfileGoesInThroughItsWrapperCard() {
    GaugeWorld w;
    const run::Record record =
        w.configure("correlator", "next/echo_correlator.tarn,card=" + w.path("parts/tarn_wrapper.json"));
    QCOMPARE(record.outcome, Outcome::Configured);
    COMPARE_TEXT(w.state(2), "runs 0x52320003 from the TAP");
  }

  void aDamagedBitstreamIsToldByTheStatus() {
    GaugeWorld w;
    boot(w);
    Bytes image = readFile(w.path("fallback.bin"));
    image[7000] ^= 0x10;
    writeFileAtomically(w.path("damaged.bin"), ByteSpan(image));
    const run::Record record = w.configure("correlator", "damaged.bin");
    QCOMPARE(record.outcome, Outcome::Stopped);
    QCOMPARE(record.error, std::optional{ErrorKind::NotProgrammed});
    VERIFY_CONTAINS(record.message,
                    "should be loaded = 1, wrong part = 0, CRC error = 0, and is loaded = 0, CRC error = 1");
    VERIFY_CONTAINS(record.message, "correlator now has no design that runs");
    // And lets its own design be started again.
    store::FileRecordSink records(w.path("records"));
    run::RunObserver nobody;
    const run::Record restarted = *run::restartTarget(w.bench(), records, nobody, {});
    QCOMPARE(restarted.outcome, Outcome::Done);
    COMPARE_TEXT(w.state(2), kOld);
  }

  void aStopInTheMiddleSaysWhatThePartIsNow() {
    GaugeWorld w;
    Stopper stopper(2'000'000);
    const run::Record record =
        w.configure("correlator", "echo_correlator.bin", "program", stopper.source.get_token(), &stopper);
    QCOMPARE(record.error, std::optional{ErrorKind::Stopped});
    QVERIFY(record.changed);
    VERIFY_CONTAINS(record.message, "of 9458176 bits");
    VERIFY_CONTAINS(record.message, "no design that runs");
    QCOMPARE(w.configure("correlator", "echo_correlator.bin").outcome, Outcome::Configured);
    COMPARE_TEXT(w.sim().violations(), "");
  }

  void powerLostInTheMiddleIsSaid() {
    for (const double seconds : {0.1, 0.4, 0.9}) {
      GaugeWorld w([&](QString& bench) {
        bench.replace(bench.indexOf('{') + 1, 0,
                      QString(R"("faults": [{"kind": "power-loss", "seconds": %1}],)").arg(seconds));
      });
      const run::Record record = w.configure("correlator", "echo_correlator.bin");
      QCOMPARE(record.error, std::optional{ErrorKind::BrokenChain});
      VERIFY_CONTAINS(record.message, "the target lost its power in the middle");
      VERIFY_CONTAINS(record.message, "correlator has no whole design until it is configured again.");
      w.sim().board().repair();
      w.reconnect();
      QCOMPARE(w.configure("correlator", "echo_correlator.bin").outcome, Outcome::Configured);
    }
  }

  void theSequencerIsProgrammedComparedSecuredAndErased() {
    GaugeWorld w;
    const run::Record record = w.configure("sequencer", "sequencer.jed");
    QVERIFY2(record.outcome == Outcome::Verified, qPrintable(QString::fromStdString(record.message)));
    COMPARE_TEXT(w.state(1), "programmed, user code 0x5e0a0002");
    QCOMPARE(w.configure("sequencer", "sequencer.jed", "verify").outcome, Outcome::Match);
    QCOMPARE(w.configure("sequencer", "", "blank_check").outcome, Outcome::NotBlank);
    QCOMPARE(w.configure("sequencer", "", "secure").outcome, Outcome::Done);
    // A secured part is known by its status, before anything is tried.
    for (const char* action : {"verify", "read"}) {
      const run::Record refused = w.configure("sequencer", "sequencer.jed", action);
      QCOMPARE(refused.outcome, Outcome::Refused);
      VERIFY_CONTAINS(refused.message, "sequencer is secured: what it holds cannot be read");
    }
    QCOMPARE(w.configure("sequencer", "", "erase").outcome, Outcome::Erased);
    COMPARE_TEXT(w.state(1), "not programmed, user code 0xffffffff");
    COMPARE_TEXT(w.sim().violations(), "");
  }

  void aSecuredPartWithoutACardIsGuessed() {
    GaugeWorld w({}, [](QString& sheet) { sheet.replace(", \"configure\": \"parts/wren_status.json\"", ""); });
    w.configure("sequencer", "sequencer.jed");
    w.configure("sequencer", "", "secure");
    const run::Record record = w.configure("sequencer", "sequencer.jed", "verify");
    QCOMPARE(record.outcome, Outcome::Mismatch);
    VERIFY_CONTAINS(record.message, "All that came out is zeros: it looks as if the part is secured (a guess).");
  }

  void aBlankPartIsNotTakenForASecuredOne() {
    GaugeWorld w;
    const run::Record record = w.configure("sequencer", "sequencer.jed", "verify");
    QCOMPARE(record.outcome, Outcome::Mismatch);
    VERIFY_CONTAINS(record.message, "it looks as if the part is blank (a guess). Program it first.");
  }

  void aSecurityFuseInTheFileIsToldAndNotSet() {
    GaugeWorld w;
    std::string text = readTextFile(w.path("sequencer.jed"));
    text.replace(text.find("G0*"), 3, "G1*");
    text.replace(text.rfind('\x03') + 1, 4, "0000");
    writeFileAtomically(w.path("secret.jed"), text);
    const run::Record record = w.configure("sequencer", "secret.jed");
    VERIFY_CONTAINS(record.message, "The file asks for the security fuse (G1); it was not set");
    COMPARE_TEXT(w.state(1), "programmed, user code 0x5e0a0002");
  }

  void aCellThatWillNotTakeIsToldWithItsRow() {
    GaugeWorld w;
    auto& cells = dynamic_cast<sim::IscCells&>(*w.sim().board().device(0).logic());
    cells.stick(0, 0);
    std::string text = readTextFile(w.path("sequencer.jed"));
    const run::Record record = [&] {
      editFuse0(w, text);
      return w.configure("sequencer", "edited.jed");
    }();
    QCOMPARE(record.error, std::optional{ErrorKind::NotProgrammed});
    VERIFY_CONTAINS(record.message,
                    "flow_verify(array), round 1: 1 of 128 bits of ISC_READ differ, the first is bit 0");
    VERIFY_CONTAINS(record.message, "sequencer now has no design that runs");
    QVERIFY(record.changed);
  }

  /// The link goes at every so many packets: what is told is true, and the next run makes it whole.
  void aLinkLostAnywhereIsToldAndMended() {
    GaugeWorld whole;
    whole.configure("sequencer", "sequencer.jed");
    const std::uint64_t packets = whole.sim().packets();
    for (std::uint64_t n = 1; n < packets; n += 7) {
      GaugeWorld w;
      w.sim().dropLinkAtPacket(n);
      run::Record record;
      try {
        record = w.configure("sequencer", "sequencer.jed");
      } catch (const Error& e) {
        QVERIFY(e.kind() == ErrorKind::LinkLost || e.kind() == ErrorKind::NoProbe);  // not even connected
        w.reconnect();
        continue;
      }
      QVERIFY2(!record.good() && record.error == ErrorKind::LinkLost,
               qPrintable(QString::fromStdString(record.message)));
      if (!record.changed) VERIFY_CONTAINS(record.message, "Nothing was changed.");
      if (record.changed) VERIFY_CONTAINS(record.message, "sequencer is programmed in part");
      w.reconnect();
      const run::Record next = w.configure("sequencer", "sequencer.jed");
      QVERIFY2(next.outcome == Outcome::Verified, qPrintable(QString::fromStdString(next.message)));
      COMPARE_TEXT(w.state(1), "programmed, user code 0x5e0a0002");
    }
  }

  void configurationIsShiftedWithFewClocksAndPackets() {
    GaugeWorld w;
    w.bench().checkChain();
    const std::uint64_t shift = w.sim().board().dataClocks(), packets = w.sim().packets();
    w.configure("correlator", "echo_correlator.bin");
    const double bits = 8.0 * 0x120A40;
    const double clocks = static_cast<double>(w.sim().board().dataClocks() - shift) / bits;
    const double perKiB = static_cast<double>(w.sim().packets() - packets) / (0x120A40 / 1024.0);
    QVERIFY2(clocks <= 1.02, qPrintable(QString::number(clocks)));
    QVERIFY2(perKiB <= 2.4, qPrintable(QString::number(perKiB)));
  }

 private:
  /// The file with fuse 0 programmed, and no checksums.
  static void editFuse0(GaugeWorld& w, std::string text) {
    const std::size_t at = text.find("\nC");
    text.erase(at, text.find('*', at) - at + 1);
    text.insert(text.find('\x03'), "L0 0*\n");
    text.replace(text.rfind('\x03') + 1, 4, "0000");
    writeFileAtomically(w.path("edited.jed"), text);
  }
};
IMPRIMO_TEST(ConfigureTest);
#include "tst_configure.moc"
