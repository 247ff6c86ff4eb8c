// SPDX-License-Identifier: GPL-3.0-or-later
//
// Pins by boundary scan: cells read as ports, sampled without disturbing anything, driven, and a flash behind them.
#include <random>

#include "core/pins/pin_spi_port.h"
#include "core/pins/pin_watch.h"
#include "tests/pins/pins_world.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::pins;
using namespace imprimo::test;

class PinsTest : public QObject {
  Q_OBJECT

  static BoundaryPorts ports() { return boundaryPorts(bsdl::parse(PinsWorld::bsdlText(), "lark.bsd")); }
  static std::size_t at(const char* port) { return ports().at(port); }

 private slots:
  void cellsAreReadAsPorts() {
    const BoundaryPorts all = ports();
    QCOMPARE(all.length, 36u);
    QCOMPARE(all.ports.size(), 14u);
    const BoundaryPort& io = all.ports[all.at("io(3)")];
    COMPARE_TEXT(io.name, "IO(3)");
    COMPARE_TEXT(io.pin, "4");
    QVERIFY(io.kind == BoundaryPort::Kind::InOut && *io.output == 10 && *io.input == 11 && io.enable->cell == 9 &&
            io.enable->off);
    QVERIFY(all.ports[all.at("IN_A")].kind == BoundaryPort::Kind::In);
    QVERIFY(all.ports[all.at("OUT_B")].kind == BoundaryPort::Kind::Out && !all.ports[all.at("OUT_B")].enable);
    QVERIFY(all.ports[all.at("OD")].isOpen());
    QVERIFY(all.ports[all.at("BD")].sharesInput);
    VERIFY_CONTAINS(errorOf([&] { all.at("VCC"); }), "VCC is a supply pin");
    VERIFY_CONTAINS(errorOf([&] { all.at("TDI"); }), "TDI is a pin of the TAP");
    VERIFY_CONTAINS(errorOf([&] { all.at("MODE"); }), "MODE is a compliance pin");
    VERIFY_CONTAINS(errorOf([&] { all.at("IO(8)"); }), "there is no port IO(8)");
  }

  void samplingShowsTheLevelsAndDisturbsNothing() {
    PinsWorld world;
    const auto scan = world.bench().openPins(2);
    const auto samples = samplesOf(scan->ports(), scan->sample());
    const auto of = [&](const char* port) { return samples[scan->ports().at(port)]; };
    QCOMPARE(of("IO(0)").in, Level(false));
    QCOMPARE(of("IO(0)").out, Level(false));
    QCOMPARE(of("IO(0)").drives, Level(true));
    QCOMPARE(of("IN_A").in, Level(false));  // the same net
    QCOMPARE(of("IO(1)").in, Level(true));  // pulled
    QCOMPARE(of("IO(1)").drives, Level(false));
    QCOMPARE(of("OUT_B").out, Level(true));
    QVERIFY(!of("OUT_B").in);
    QCOMPARE(of("BD").in, Level(true));
    QVERIFY(!of("BD").out);  // the one cell has the pin's level
    QVERIFY(!world.boundary().cutsOff());
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void whatIsDrivenIsSeenAndTheRestLetGo() {
    PinsWorld world({.drives = ""});
    {
      const auto scan = world.bench().openPins(2);
      const DrivePlan plan = planDrives(scan->ports(), {{at("IO(0)"), true}, {at("IO(1)"), false}}, scan->sample());
      QCOMPARE(plan.alongside, (Drives{{at("OUT_B"), Level(true)}}));
      scan->drive(plan.cells);
      QVERIFY(world.boundary().cutsOff());
      const auto samples = samplesOf(scan->ports(), scan->exchange(plan.cells));
      QCOMPARE(samples[at("IN_A")].in, Level(true));
      QCOMPARE(samples[at("BD")].in, Level(false));
      QCOMPARE(samples[at("IO(2)")].drives, Level(false));
    }
    // It ended in Test-Logic-Reset.
    QVERIFY(!world.boundary().cutsOff());
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void aSharedEnableDrivesItsOthers() {
    const BoundaryPorts all = ports();
    BitVector sampled(36, false);
    sampled.set(30, true);
    const DrivePlan plan = planDrives(all, {{at("SH(0)"), false}}, sampled);
    QCOMPARE(plan.alongside, (Drives{{at("SH(1)"), Level(true)}, {at("OUT_B"), Level(false)}}));
    QCOMPARE(plan.cells[28], true);
    VERIFY_CONTAINS(errorOf([&] {
                      planDrives(all, {{at("SH(0)"), false}, {at("SH(1)"), std::nullopt}}, sampled);
                    }),
                    "SH(0) and SH(1) share an enable");
  }

  void whatBecomesOfTheOthersIsChosen() {
    const BoundaryPorts all = ports();
    // IO(0) is driven 1 by the device, IO(1) is let go; OUT_B drives 0, which its safe value is not.
    BitVector sampled(36, false);
    sampled.set(1, true);
    for (int i = 1; i < 8; ++i) sampled.set(static_cast<std::size_t>(3 * i), true);
    const Drives wanted{{at("IO(2)"), true}};
    const DrivePlan now = planDrives(all, wanted, sampled, Others::AsNow);
    QCOMPARE(now.cells[0], false);
    QCOMPARE(now.cells[1], true);
    QCOMPARE(now.cells[3], true);
    QCOMPARE(now.alongside.at(at("IO(0)")), Level(true));
    QCOMPARE(now.alongside.at(at("OUT_B")), Level(false));
    QVERIFY(!now.alongside.contains(at("IO(1)")));
    const DrivePlan safe = planDrives(all, wanted, sampled, Others::Safe);
    QCOMPARE(safe.cells[0], true);  // its control cell's safe value lets it go
    QCOMPARE(safe.alongside.at(at("OUT_B")), Level(true));
    QVERIFY(!safe.alongside.contains(at("IO(0)")));
    const DrivePlan letGo = planDrives(all, wanted, sampled);
    QCOMPARE(letGo.alongside, (Drives{{at("OUT_B"), Level(false)}}));
  }

  void aMisoThatIsDrivenAlongIsSaid() {
    const BoundaryPorts all = ports();
    const SpiWires wires{at("IO(4)"), at("IO(5)"), at("SH(0)"), at("SH(1)")};
    VERIFY_CONTAINS(errorOf([&] { checkWires(all, wires); }),
                    "SH(1) cannot be miso: it is driven along with the others");
  }

  void whatCannotBeDrivenIsSaid() {
    const BoundaryPorts all = ports();
    const BitVector sampled(36, false);
    VERIFY_CONTAINS(errorOf([&] { planDrives(all, {{at("IN_A"), true}}, sampled); }), "IN_A is an input only");
    VERIFY_CONTAINS(errorOf([&] {
                      planDrives(all, {{at("OUT_B"), std::nullopt}}, sampled);
                    }),
                    "OUT_B cannot be let go");
    // An open driver: 0 drives, 1 is the weak level that its description gives.
    QCOMPARE(planDrives(all, {{at("OD"), false}}, sampled).cells[26], false);
    QCOMPARE(planDrives(all, {{at("OD"), true}}, sampled).cells[26], true);
    QCOMPARE(planDrives(all, {}, sampled).cells[26], true);
  }

  void edgesAreCounted() {
    PinsWorld world({.drives = "\"clock\": 5000"});
    const auto scan = world.bench().openPins(2);
    PinWatch watch(*scan);
    watch.look(2000);
    const PinWatch::Moves moves = watch.moves(at("IO(0)"));
    QCOMPARE(watch.count(), 2000u);
    // A scan is 36 cells, two devices beside it and at most six clocks, at 10 MHz; two edges a period.
    QVERIFY2(moves.edges >= 80 && moves.edges <= 90, qPrintable(QString::number(moves.edges)));
    QVERIFY(moves.high > 0.4 && moves.high < 0.6);
    QCOMPARE(watch.moves(at("IN_A")).edges, moves.edges);
    QCOMPARE(watch.moves(at("OUT_B")).edges, 0u);
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void aFlashIsReachedThroughPins() {
    PinsWorld world;
    const Bytes old = world.fill(4096, 1);
    bench::BenchMemory& memory = world.bench().at("boot");
    memory.identify();
    COMPARE_TEXT(memory.identity().id, "0x7e4015");
    Bytes read(old.size());
    const std::uint64_t before = world.board().clocks();
    NoProgress nobody;
    memory.memory().read(0, read, nobody);
    QVERIFY(read == old);
    const double scans = world.scansSince(before);
    QVERIFY2(scans / (8.0 * static_cast<double>(old.size())) <= 2.05, qPrintable(QString::number(scans)));
    QVERIFY(!world.boundary().cutsOff());
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void aFlashIsProgrammedThroughPins() {
    PinsWorld world;
    std::mt19937 random(2);
    MemoryImage image;
    image.write(0x1000, randomBytes(random, 6000));
    const run::Record record = world.carryOut(world.wanted(plan::Task::Program, image));
    QVERIFY2(record.outcome == run::Outcome::Verified, record.message.c_str());
    for (std::size_t i = 0; i < 6000; ++i)
      QCOMPARE(world.sim().flash("boot").cells().get(0x1000 + i), image.bytes({0x1000, 0x1000 + 6000})[i]);
    QVERIFY(!world.boundary().cutsOff());
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void portsThatCannotBeWiresAreSaid_data() {
    QTest::addColumn<QString>("cs");
    QTest::addColumn<QString>("route");
    QTest::addColumn<QString>("error");
    QTest::newRow("an input") << "IN_A"
                              << ""
                              << "IN_A cannot be cs: it is an input only";
    QTest::newRow("two roles") << "IO(5)"
                               << ""
                               << "IO(5) cannot be both cs and clk";
    QTest::newRow("an open driver") << "OD"
                                    << ""
                                    << "OD cannot be cs: it is an open driver";
    QTest::newRow("a compliance pin") << "MODE"
                                      << ""
                                      << "MODE is a compliance pin";
    QTest::newRow("none") << "XY"
                          << ""
                          << "there is no port XY";
    QTest::newRow("held wire") << "IO(4)"
                               << ", \"hold_pins\": {\"IO(6)\": 1}"
                               << "IO(6) is mosi and cannot be held";
    QTest::newRow("held input") << "IO(4)"
                                << ", \"hold\": \"IN_A\""
                                << "IN_A cannot be hold: it is an input only";
  }
  void portsThatCannotBeWiresAreSaid() {
    QFETCH(QString, cs);
    QFETCH(QString, route);
    QFETCH(QString, error);
    PinsWorld world({.io4 = cs.toStdString(), .route = route.toStdString()});
    VERIFY_CONTAINS(errorOf([&] { world.bench().at("boot").identify(); }), error.toStdString());
    QCOMPARE(world.sim().flash("boot").commandCount(), 0u);
    QVERIFY(!world.boundary().cutsOff());
  }

  void aHoldThatIsLowUnlessDrivenIsDriven() {
    const std::string net = ", {\"pins\": [\"lark.IO(3)\"], \"flash\": \"boot\", \"wire\": \"hold\", \"pull\": 0}";
    PinsWorld undriven({.nets = net});
    QVERIFY(errorOf([&] { undriven.bench().at("boot").identify(); }) != "no error");
    PinsWorld world({.nets = net, .route = ", \"hold\": \"IO(3)\""});
    world.bench().at("boot").identify();
    COMPARE_TEXT(world.bench().at("boot").identity().id, "0x7e4015");
    COMPARE_TEXT(world.sim().violations(), "");
  }

  void aLostLinkLeavesThePinsToTheNextOne() {
    PinsWorld world;
    world.bench().at("boot").identify();
    world.sim().dropLinkAtPacket(world.sim().packets() + 20);
    Bytes read(65536);
    NoProgress nobody;
    QCOMPARE(kindOf([&] { world.bench().at("boot").memory().read(0, read, nobody); }),
             std::optional(ErrorKind::LinkLost));
    QVERIFY(world.boundary().cutsOff());
    world.disconnect();
    world.sim().restoreLink();
    world.bench().checkChain();
    QVERIFY(!world.boundary().cutsOff());
  }

  void aDescriptionWithoutWhatIsNeededIsSaid() {
    const auto without = [](const char* what, const char* with) {
      std::string text = PinsWorld::bsdlText();
      text.replace(text.find(what), std::string(what).size(), with);
      return text;
    };
    PinsWorld noSample({.bsdl = without("\"SAMPLE (00010),\" & ", "")});
    VERIFY_CONTAINS(errorOf([&] { noSample.bench().openPins(2); }), "has no instruction SAMPLE");
    PinsWorld noExtest({.bsdl = without("\"EXTEST (00100),\" & ", "")});
    const auto scan = noExtest.bench().openPins(2);
    scan->sample();
    VERIFY_CONTAINS(errorOf([&] { scan->drive(BitVector(36, false)); }), "has no EXTEST");
    VERIFY_CONTAINS(errorOf([&] { PinsWorld().bench().openPins(1); }), "the sheet has no BSDL file for front");
  }
};

IMPRIMO_TEST(PinsTest);
#include "tst_pins.moc"
