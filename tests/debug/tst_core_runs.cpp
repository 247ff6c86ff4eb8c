// SPDX-License-Identifier: GPL-3.0-or-later
//
// Firmware into the flash of a core: the same promises as for any memory.
#include "core/base/input_file.h"
#include "core/bench/cores/core_route.h"
#include "tests/support/check.h"
#include "tests/support/core_world.h"
#include "tests/support/pack_maker.h"
#include "tests/support/run_help.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::test;

namespace {

void fill(CoreWorld& w, std::uint32_t at, const Bytes& bytes) {
  std::copy(bytes.begin(), bytes.end(), w.chip().flash().begin() + static_cast<std::ptrdiff_t>(at));
}

bool holds(CoreWorld& w, std::uint32_t at, const Bytes& bytes) {
  return std::equal(bytes.begin(), bytes.end(), w.chip().flash().begin() + static_cast<std::ptrdiff_t>(at));
}

/// A vector table and an endless loop.
Bytes endless() {
  Bytes code(0x100, 0);
  code[1] = 0x40, code[3] = 0x20;  // stack 0x20004000
  code[4] = 0xC1;                  // start 0xC0
  code[0xC0] = 0xFE, code[0xC1] = 0xE7;
  return code;
}

}  // namespace

class CoreRunsTest : public QObject {
  Q_OBJECT
 private slots:
  void aBlankCoreIsProgrammedProvenAndRuns() {
    CoreWorldOptions o;
    o.sheet = R"(, "after": ["restart"])";
    CoreWorld w(o);
    const Bytes firmware = endless(), table = bytesOf(3, 0x2345);
    MemoryImage image = imageAt(0, firmware);
    image.write(0x20010, table);
    const Record record = w.carryOut(w.wanted(Task::Program, image));
    QVERIFY2(record.outcome == Outcome::Verified, record.message.c_str());
    QVERIFY(holds(w, 0, firmware) && holds(w, 0x20010, table));
    w.reconnect();
    w.pass(0.001);
    QCOMPARE(w.chip().core().pc(), 0xC0u);
    QVERIFY(!w.chip().core().halted());
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  void flashAtAnotherAddressKeepsItsOwnAddresses() {
    CoreWorldOptions o;
    o.flashAt = 0x08000000;
    o.sheet = R"(, "keep": [{"memory": "program", "from": "0x08002800", "to": "0x08002FFF"}])";
    CoreWorld w(o);
    const Bytes old = bytesOf(4, 0x6000), fresh = bytesOf(5, 0x1234);
    fill(w, 0, old);
    const Record record = w.carryOut(w.wanted(Task::Program, imageAt(0x08001100, fresh)));
    QCOMPARE(record.outcome, Outcome::Verified);
    QVERIFY(holds(w, 0x1100, fresh));
    QVERIFY(holds(w, 0, Bytes(old.begin(), old.begin() + 0x1100)));
    QVERIFY(holds(w, 0x2334, Bytes(old.begin() + 0x2334, old.end())));
    const Record outside = w.carryOut(w.wanted(Task::Program, imageAt(0x1000, fresh)));
    QCOMPARE(outside.outcome, Outcome::Failed);
    QVERIFY2(outside.message.find("0x8000000") != std::string::npos, outside.message.c_str());
    Wanted all = w.wanted(Task::Blank);
    all.all = true;
    QCOMPARE(w.carryOut(all).outcome, Outcome::NotBlank);
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  void onlyWhatDiffersIsErased() {
    CoreWorld w;
    const Bytes old = bytesOf(6, 0x8000);
    fill(w, 0, old);
    Bytes next = old;
    next[0x4321] ^= 0x40;
    QCOMPARE(w.carryOut(w.wanted(Task::Program, imageAt(0, next))).outcome, Outcome::Verified);
    QCOMPARE(w.chip().journal(), std::string("erase 0x00004000\n"));
    QVERIFY(holds(w, 0, next));
    // What is there already is found so, and nothing is written.
    w.reconnect();
    const std::uint64_t words = w.chip().wordsProgrammed();
    QCOMPARE(w.carryOut(w.wanted(Task::Program, imageAt(0, next))).outcome, Outcome::Verified);
    QCOMPARE(w.chip().wordsProgrammed(), words);
  }

  /// A core that was changed and not restarted stands at its first instruction; one that was only looked at goes on.
  void itIsLeftAsThePageSays() {
    CoreWorld w;
    fill(w, 0, endless());
    w.chip().core().reset();
    w.pass(0.001);
    QVERIFY(w.carryOut(w.wanted(Task::Verify, imageAt(0, endless()))).good());
    w.reconnect();
    QVERIFY(!w.chip().core().halted());
    QCOMPARE(w.chip().core().pc(), 0xC0u);
    QCOMPARE(w.chip().resets(), 0u);
    QVERIFY(w.carryOut(w.wanted(Task::Program, imageAt(0x3000, bytesOf(1, 100)))).good());
    w.reconnect();
    QVERIFY(w.chip().core().halted());
    QCOMPARE(w.chip().core().pc(), 0xC0u);
  }

  /// Downloading and programming overlap: what takes time is the flash itself.
  void programmingTakesLittleMoreThanTheFlash() {
    CoreWorldOptions o;
    o.core = R"(, "clock": 48000000)";
    CoreWorld w(o);
    const Bytes all = bytesOf(9, 0x40000);
    bench::BenchCore& core = w.bench().core("core");
    memory::Memory& flash = w.bench().at("program").memory();
    std::vector<memory::PageWrite> pages;
    for (std::uint32_t at = 0; at < 0x40000; at += 256)
      pages.push_back({at, Bytes(all.begin() + at, all.begin() + at + 256)});
    core.core().halt();
    const sim::Time before = w.sim().board().now();
    NoProgress nobody;
    flash.program(pages, nobody);
    const double took = sim::toSeconds(w.sim().board().now() - before);
    const double wire = 0x40000 * 11.5 / 10e6, cells = 0x10000 * 2e-6;
    QVERIFY(holds(w, 0, all));
    QVERIFY2(took <= 1.10 * std::max(wire, cells) + 0.05, QByteArray::number(took));
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  /// On a probe with a quarter of a millisecond for each packet whose answer is waited for.
  void littleIsAskedToFindAndWriteWhatDiffers_data() {
    QTest::addColumn<bool>("jtag");
    QTest::newRow("SWD") << false;
    QTest::newRow("JTAG") << true;
  }

  void littleIsAskedToFindAndWriteWhatDiffers() {
    QFETCH(const bool, jtag);
    CoreWorldOptions o;
    o.jtag = jtag;
    o.probe = R"(, "latency_us": 250)";
    o.core = R"(, "clock": 48000000)";
    o.times = R"({"sector": 0.045, "all": 0.080, "word": 0.00002})";
    CoreWorld w(o);
    const Bytes all = bytesOf(10, 0x40000);
    fill(w, 0, all);
    const auto took = [&](const auto& work) {
      const sim::Time before = w.sim().board().now();
      work();
      return sim::toSeconds(w.sim().board().now() - before);
    };
    Bytes back(all.size());
    w.bench().core("core").bus().readWord(0);
    const double reading = took([&] { w.bench().core("core").bus().read(0, back); });
    const double nothing =
        took([&] { QCOMPARE(w.carryOut(w.wanted(Task::Program, imageAt(0, all))).outcome, Outcome::Verified); });
    QVERIFY2(nothing <= 0.05 * reading, QByteArray::number(nothing / reading));
    Bytes next = all;
    for (std::size_t i = 0; i < 0x1000; ++i) next[0x12000 + i] ^= 0x5A;
    w.reconnect();
    w.bench().core("core");
    const double one =
        took([&] { QCOMPARE(w.carryOut(w.wanted(Task::Program, imageAt(0, next))).outcome, Outcome::Verified); });
    QCOMPARE(w.chip().journal(), std::string("erase 0x00012000\n"));
    const double least = 0.045 + 0x400 * 0.00002 + reading / 64;
    QVERIFY2(one <= 1.3 * least, QByteArray::number(one / least));
  }

  void piecesAreCutOutOfTheWordsThatHoldThem() {
    CoreWorld w;
    const Bytes all = bytesOf(11, 0x400);
    fill(w, 0, all);
    const std::vector<AddressRange> pieces{{0x10, 0x20}, {0x21, 0x23}, {0x3F, 0x45}, {0x100, 0x100}, {0x3FF, 0x400}};
    const std::vector<Bytes> read = w.bench().at("program").memory().readPieces(pieces);
    QCOMPARE(read.size(), pieces.size());
    for (std::size_t i = 0; i < pieces.size(); ++i)
      QCOMPARE(read[i], Bytes(all.begin() + static_cast<std::ptrdiff_t>(pieces[i].begin),
                              all.begin() + static_cast<std::ptrdiff_t>(pieces[i].end)));
  }

  /// An Init that reports an error is told as that, whatever waits behind it, and nothing is erased.
  void anInitThatFailsIsTold() {
    CoreWorldOptions o;
    o.algorithm = algorithmAt(0);
    const Bytes end = {0xC0, 0x09, 0x70, 0x47};  // of Init: lsrs r0, r0, #7; bx lr
    const auto at = std::search(o.algorithm.begin(), o.algorithm.end(), end.begin(), end.end());
    QVERIFY(at != o.algorithm.end());
    at[0] = 0x05, at[1] = 0x20;  // movs r0, #5
    CoreWorld w(o);
    const Bytes old = bytesOf(2, 0x3000);
    fill(w, 0, old);
    const Record record = w.carryOut(w.wanted(Task::Program, imageAt(0x1000, bytesOf(3, 0x200))));
    QCOMPARE(record.outcome, Outcome::Stopped);
    QVERIFY2(record.message.find("Init of ") != std::string::npos, record.message.c_str());
    QVERIFY2(record.message.find("reports error 5") != std::string::npos, record.message.c_str());
    QVERIFY(holds(w, 0, old));
    QVERIFY(w.chip().journal().empty());
  }

  /// An algorithm that reports an error, that hangs, that writes past its page: each is told as that.
  void algorithmsThatFailAreTold_data() {
    QTest::addColumn<QByteArray>("code");
    QTest::addColumn<QString>("says");
    // In place of EraseSector: movs r0, #7; bx lr, an endless loop, an undefined instruction, a store over the stack's
    // end.
    QTest::newRow("error") << QByteArray::fromHex("07207047") << "EraseSector reports error 7";
    QTest::newRow("hangs") << QByteArray::fromHex("fee7") << "does not come back (0x001000): it stands at 0x";
    QTest::newRow("outside") << QByteArray::fromHex("69468122d200891a086000207047")
                             << "the end of its stack was overwritten";
    QTest::newRow("faults") << QByteArray::fromHex("00de") << "does not come back";
  }

  void algorithmsThatFailAreTold() {
    QFETCH(const QByteArray, code);
    QFETCH(const QString, says);
    CoreWorldOptions o;
    o.algorithm = algorithmAt(0);
    auto at = o.algorithm.end();  // of EraseSector: ldr r3, =CONTROLLER; str r0, [r3, #12]
    for (auto i = o.algorithm.begin(); i + 4 < o.algorithm.end(); i += 2) {
      if (i[1] == 0x4B && i[2] == 0xD8 && i[3] == 0x60) at = i;
    }
    QVERIFY(at != o.algorithm.end());
    std::copy(code.begin(), code.end(), at);
    CoreWorld w(o);
    fill(w, 0, bytesOf(2, 0x3000));
    const Record record = w.carryOut(w.wanted(Task::Program, imageAt(0x1000, bytesOf(3, 0x200))));
    QCOMPARE(record.outcome, Outcome::Stopped);
    QVERIFY2(QString::fromStdString(record.message).contains(says), record.message.c_str());
    QVERIFY(holds(w, 0, bytesOf(2, 0x3000)));
  }

  /// A pack beside the sheet describes the core; a card beside that wins key by key.
  void aChipOfAPackIsProgrammed() {
    QTemporaryDir folder;
    const std::string pack = folder.filePath("k.pack").toStdString();
    writePack(pack, R"(<family Dfamily="K" Dvendor="Beck:901"><processor Dcore="Cortex-M0"/><device Dname="BECK_K0">
<memory name="program" access="rx" start="0x0" size="0x40000"/><memory id="IRAM1" access="rwx" start="0x20000000" size="0x4000" default="1"/>
<algorithm name="Flash/k0.flm" start="0x0" size="0x40000" RAMstart="0x20001000" RAMsize="0x2000" default="1"/></device></family>)",
              {{"Flash/k0.flm", algorithmAt(0)}});
    CoreWorldOptions o;
    o.files = {
        {"k.pack", readFile(pack)},
        {"over.json", bytesOfText(R"({"core_card": 1, "identity": [{"at": "0x40000000", "value": "0xC7000001"}]})")}};
    o.described = R"("chip": {"pack": "k.pack", "name": "beck_k0"})";
    o.memories = R"(, {"name": "work", "type": "ram", "route": {"via": "core", "core": "core", "region": "IRAM1"}})";
    CoreWorld w(o);
    const Bytes fresh = bytesOf(40, 0x1234);
    QCOMPARE(w.carryOut(w.wanted(Task::Program, imageAt(0x100, fresh))).outcome, Outcome::Verified);
    QVERIFY(holds(w, 0x100, fresh));
    QCOMPARE(w.bench().at("work").identify().source, std::string("pack"));
    o.described = R"("chip": {"pack": "k.pack", "name": "BECK_K0"}, "card": "over.json")";
    CoreWorld other(o);
    const Record record = other.carryOut(other.wanted(Task::Program, imageAt(0x100, fresh)));
    QCOMPARE(record.outcome, Outcome::Refused);
    QVERIFY2(record.message.find("0xc7000001") != std::string::npos, record.message.c_str());
    o.described = R"("chip": {"pack": "none.pack", "name": "BECK_K0"})";
    VERIFY_CONTAINS(errorOf([&] { CoreWorld(o).bench().core("core"); }), "cores[0].chip");
    o.described = R"("chip": {"pack": "k.pack", "name": "BECK_K9"})";
    VERIFY_CONTAINS(errorOf([&] { CoreWorld(o).bench().core("core"); }), "no device named BECK_K9");
  }

  /// The pack's own way to connect and to reset is taken.
  void sequencesOfThePackAreCarriedOut() {
    QTemporaryDir folder;
    const std::string pack = folder.filePath("k.pack").toStdString();
    const auto world = [&](const std::string& unlock, const std::string& name = "BECK_K0:MAIN") {
      writePack(pack,
                R"(<family Dfamily="K" Dvendor="Beck:901"><processor Pname="main" Dcore="Cortex-M0"/>
<processor Pname="other" Dcore="Cortex-M0"/><device Dname="BECK_K0">
<memory name="program" access="rx" start="0x0" size="0x40000"/><memory id="IRAM1" access="rwx" start="0x20000000" size="0x4000" default="1"/>
<algorithm name="k0.flm" start="0x0" size="0x40000" RAMstart="0x20001000" RAMsize="0x2000" default="1"/><sequences>
<sequence name="DebugDeviceUnlock" Pname="other"><block>Fly();</block></sequence>
<sequence name="DebugDeviceUnlock" Pname="main"><block>)" +
                    unlock +
                    R"(</block></sequence><sequence name="ResetSystem"><block>
 Write32(0x20003F04, Read32(0x20003F04) + 1); Sequence("ResetSystem"); DAP_Delay(100);</block></sequence>
<sequence name="FlashInit"><block>Write32(0x20003F20, __FlashAddr + __FlashLen); Message(0, "the flash is made ready");</block></sequence>
<sequence name="FlashUninit"><block>Write32(0x20003F24, Read32(0x20003F20) + 1);</block></sequence></sequences></device></family>)",
                {{"k0.flm", algorithmAt(0)}});
      CoreWorldOptions o;
      o.files = {{"k.pack", readFile(pack)}};
      o.described = "\"chip\": {\"pack\": \"k.pack\", \"name\": \"" + name + "\"}";
      o.sheet = R"(, "after": ["restart"])";
      return std::make_unique<CoreWorld>(o);
    };
    const auto w = world(
        "__ap = 0; WriteDP(0x8, 0); WriteAP(0x00, 0x23000012); WriteAP(0x04, 0x20003F00); "
        "WriteAP(0x0C, ReadDP(0x4) &gt;&gt; 28); Write16(0x20003F08, 0xBEEF); Write64(0x20003F10, "
        "0x1122334455667788);");
    debug::MemAp& bus = w->bench().core("core").bus();
    QCOMPARE(bus.readWord(0x20003F00), 0xFu);  // power asked for and acknowledged
    QCOMPARE(bus.readWord(0x20003F08) & 0xFFFF, 0xBEEFu);
    QCOMPARE(bus.readWord(0x20003F14), 0x11223344u);
    QCOMPARE(bus.readWord(0x20003F04), 0u);
    const Bytes fresh = bytesOf(40, 0x1234);
    QCOMPARE(w->carryOut(w->wanted(Task::Program, imageAt(0x100, fresh))).outcome, Outcome::Verified);
    QVERIFY(holds(*w, 0x100, fresh));
    QCOMPARE(w->bench().core("core").bus().readWord(0x20003F04), 1u);
    // Around the flash algorithm, with the device that it is for.
    QCOMPARE(w->bench().core("core").bus().readWord(0x20003F20), 0x40000u);
    QCOMPARE(w->bench().core("core").bus().readWord(0x20003F24), 0x40001u);
    QCOMPARE(w->bench().core("core").messages(), std::vector<std::string>{"the flash is made ready"});
    QVERIFY2(w->sim().violations().empty(), w->sim().violations().c_str());
    world("Read32(0x20003F00);", "BECK_K0")->bench().core("core");  // the first processor, where none is named
    VERIFY_CONTAINS(errorOf([&] { world("", "BECK_K0:other")->bench().core("core"); }), "Fly is no function");
    VERIFY_CONTAINS(errorOf([&] { world("Fly();")->bench().core("core"); }), "Fly is no function");
    VERIFY_CONTAINS(errorOf([&] { world("__Result = 3;")->bench().core("core"); }), "DebugDeviceUnlock ends with 3");
    VERIFY_CONTAINS(errorOf([&] { world("Message(2, \"no key\"); __Result = 3;")->bench().core("core"); }),
                    "ends with 3 and says \"no key\"");
    VERIFY_CONTAINS(errorOf([&] { world("Read32(0x50000000);")->bench().core("core"); }), "the bus refuses reading");
  }

  void anotherChipIsRefusedBeforeAnythingIsWritten() {
    CoreWorldOptions o;
    o.core = R"(, "identity": "0xC7000001")";
    CoreWorld w(o);
    const Record record = w.carryOut(w.wanted(Task::Program, imageAt(0, bytesOf(1, 100))));
    QCOMPARE(record.outcome, Outcome::Refused);
    QVERIFY2(record.message.find("0xc7000001") != std::string::npos, record.message.c_str());
    QCOMPARE(w.chip().wordsProgrammed(), 0u);
    QVERIFY(w.chip().journal().empty());
  }

  /// A chip that has nothing where the card looks is another one, and still tells what it does.
  void aChipWithoutTheIdentityWordIsAnother() {
    CoreWorldOptions o;
    o.identity = R"({"at": "0x50000000", "value": "0x1"})";
    CoreWorld w(o);
    QVERIFY(!w.bench().core("core").lookAt().isTheCards);
    QCOMPARE(w.carryOut(w.wanted(Task::Program, imageAt(0, bytesOf(1, 100)))).outcome, Outcome::Refused);
    QVERIFY(w.chip().journal().empty());
  }

  void aCoreIsCaughtUnderReset() {
    CoreWorldOptions o;
    o.coreKeys = R"(, "connect": "under-reset")";
    o.sheet = R"(, "after": ["restart"])";
    CoreWorld w(o);
    fill(w, 0, endless());
    w.chip().core().reset();
    w.pass(0.001);
    const Bytes fresh = bytesOf(8, 0x900);
    QCOMPARE(w.carryOut(w.wanted(Task::Program, imageAt(0x5000, fresh))).outcome, Outcome::Verified);
    QVERIFY(holds(w, 0x5000, fresh));
    QVERIFY(w.chip().resets() >= 2);
  }

  /// The power goes away at any time: what the record says of the flash is so, and the next run succeeds.
  void aLostPowerIsTold() {
    std::mt19937 random(77);
    int lost = 0;
    for (int i = 0; i < 12; ++i) {
      CoreWorld w;
      const Bytes old = bytesOf(20, 0x6000), fresh = bytesOf(21, 0x3100);
      fill(w, 0, old);
      const sim::Time from = w.sim().board().now() + sim::fromSeconds(0.002 + 0.003 * i);
      w.sim().board().addFault({.kind = sim::BoardFault::Kind::NoPower, .until = from});
      const Record record = w.carryOut(w.wanted(Task::Program, imageAt(0x800, fresh)));
      if (!record.good()) {
        ++lost;
        if (!record.changed) QVERIFY(holds(w, 0, old));
      } else {
        QVERIFY(holds(w, 0x800, fresh));
      }
      w.sim().board().repair();
      w.reconnect();
      Wanted again = w.wanted(Task::Program, imageAt(0x800, fresh));
      again.earlier = Wanted::Earlier::Forget;
      const Record next = w.carryOut(again);
      QVERIFY2(next.good(), next.message.c_str());
      QVERIFY(holds(w, 0x800, fresh));
    }
    QVERIFY(lost > 3);
  }
};
IMPRIMO_TEST(CoreRunsTest);
#include "tst_core_runs.moc"
