// SPDX-License-Identifier: GPL-3.0-or-later
//
// The console ring: believed only where it is one, read without loss whatever the target does meanwhile, its header
// compiled for other machines and run on the simulated core.
#include <random>

#include <QStandardPaths>

#include "core/base/atomic_file.h"
#include "core/console/heard_text.h"
#include "tests/console/console_world.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::console;
using namespace imprimo::test;

namespace {

constexpr std::uint32_t kRam = 0x20000000;
const std::vector<AddressRange> kRams{{kRam, kRam + 0x1000}};

/// RAM whose target is played here.
struct Ram : TargetMemory {
  void read(std::uint32_t address, std::span<std::uint8_t> out) override {
    ++accesses;
    if (onAccess) onAccess();
    std::copy_n(bytes.begin() + (address - kRam), out.size(), out.begin());
  }
  void write(std::uint32_t address, std::span<const std::uint8_t> data) override {
    ++accesses;
    if (onAccess) onAccess();
    std::copy(data.begin(), data.end(), bytes.begin() + (address - kRam));
  }
  std::uint32_t word(std::uint32_t at) const { return loadLe32(bytes.data() + at); }
  void put(std::uint32_t at, std::uint32_t value) {
    for (unsigned i = 0; i < 4; ++i) bytes[at + i] = static_cast<std::uint8_t>(value >> (8 * i));
  }
  /// As the header's start does it.
  void begin(std::uint32_t ring, std::uint32_t out, std::uint32_t size) {
    for (std::uint32_t i = 0; i < 64; i += 4) put(ring + i, 0);
    put(ring + 16, kRam + out), put(ring + 20, size);
    put(ring, 0x52504D49), put(ring + 4, 0x474E4952), put(ring + 8, 1);
    put(ring + 12, ~(0x52504D49u ^ 0x474E4952u ^ 1u));
  }
  bool say(std::uint32_t ring, std::uint8_t byte) {
    const std::uint32_t written = word(ring + 24), size = word(ring + 20);
    if (written - word(ring + 28) >= size) return false;
    bytes[word(ring + 16) - kRam + written % size] = byte;
    put(ring + 24, written + 1);
    return true;
  }
  Bytes bytes = Bytes(0x1000);
  std::uint64_t accesses = 0;
  std::function<void()> onAccess;
};

}  // namespace

class RingTest : public QObject {
  Q_OBJECT
 private slots:
  void whatIsNoneIsNotBelieved_data() {
    QTest::addColumn<int>("at");
    QTest::addColumn<quint32>("value");
    QTest::newRow("mark") << 0 << 0x52504D48u;
    QTest::newRow("another version") << 8 << 2u;
    QTest::newRow("mark's end") << 12 << 0u;
    QTest::newRow("outside RAM") << 16 << 0x10000000u;
    QTest::newRow("partly outside") << 16 << kRam + 0xFF8;
    QTest::newRow("no power of two") << 20 << 48u;
    QTest::newRow("too small") << 20 << 8u;
    QTest::newRow("too large") << 20 << 0x20000u;
    QTest::newRow("no size") << 20 << 0u;
    QTest::newRow("input outside") << 44 << 16u;
    QTest::newRow("more waits than there is room") << 24 << 17u;
    QTest::newRow("taken before it was written") << 28 << 1u;
  }
  void whatIsNoneIsNotBelieved() {
    QFETCH(int, at);
    QFETCH(quint32, value);
    Ram ram;
    ram.begin(0x100, 0x200, 16);
    ConsoleRing ring(kRam + 0x100, kRams);
    QVERIFY(ring.take(ram).there);
    ram.put(0x100 + static_cast<std::uint32_t>(at), value);
    const Bytes before = ram.bytes;
    ConsoleRing fresh(kRam + 0x100, kRams);
    const RingNews news = fresh.take(ram);
    QVERIFY(!news.there && news.bytes.empty());
    QCOMPARE(fresh.give(ram, Bytes{1}), std::size_t{0});
    QCOMPARE(ram.bytes, before);  // nothing is written to what is not believed
  }

  /// Whatever it says and how, across the wrap of the counters, every byte comes once and in order, or is counted lost.
  void everyByteComesOnce() {
    std::mt19937 random(4711);
    for (int round = 0; round < 200; ++round) {
      Ram ram;
      const std::uint32_t size = 16u << random() % 5;
      ram.begin(0x100, 0x200, size);
      const std::uint32_t wrap = 0u - random() % 100;
      ram.put(0x118, wrap), ram.put(0x11C, wrap);
      ConsoleRing ring(kRam + 0x100, kRams);
      std::uint8_t next = 0, lost = 0;
      std::uint32_t lostSaid = 0;
      Bytes said, heard;
      const auto target = [&] {
        for (unsigned i = random() % 40; i > 0; --i) {
          if (ram.say(0x100, next)) {
            said.push_back(next);
          } else {
            ram.put(0x120, ram.word(0x120) + 1);
            ++lost;
          }
          ++next;
        }
      };
      ram.onAccess = target;
      for (int look = 0; look < 30; ++look) {
        const RingNews news = ring.take(ram);
        QVERIFY(news.there && !news.began);
        heard.insert(heard.end(), news.bytes.begin(), news.bytes.end());
        lostSaid += news.lost;
      }
      ram.onAccess = nullptr;
      const RingNews rest = ring.take(ram);
      heard.insert(heard.end(), rest.bytes.begin(), rest.bytes.end());
      QCOMPARE(heard, said);
      QCOMPARE(static_cast<std::uint8_t>(lostSaid + rest.lost), lost);
    }
  }

  /// It begins anew at any moment, also between what is read and what is written: it is taken up again.
  void aTargetThatBeginsAnewIsFoundAgain() {
    std::mt19937 random(815);
    for (int round = 0; round < 500; ++round) {
      Ram ram;
      ram.begin(0x100, 0x200, 64);
      ConsoleRing ring(kRam + 0x100, kRams);
      int resetIn = 1 + static_cast<int>(random() % 30);
      std::uint8_t next = 0;
      ram.onAccess = [&] {
        if (--resetIn == 0) ram.begin(0x100, 0x200, 64), next = 100;
        for (unsigned i = random() % 8; i > 0; --i) next += ram.say(0x100, next) ? 1 : 0;
      };
      for (int look = 0; look < 20; ++look) ring.take(ram);
      ram.onAccess = nullptr;
      ring.take(ram);
      ring.take(ram);
      QVERIFY(ram.say(0x100, 0xEE));
      const RingNews news = ring.take(ram);
      QVERIFY(news.there);
      QCOMPARE(news.bytes, Bytes{0xEE});
    }
  }

  void marksAreFoundAlsoAcrossPieces() {
    Ram ram;
    ram.begin(0xFF8 - 0x38, 0x200, 16);
    ram.begin(0x7F8, 0x300, 16);
    const auto rings = findRings(ram, kRams, [] { return true; });
    QCOMPARE(rings.size(), std::size_t{2});
    QCOMPARE(rings[0].at(), kRam + 0x7F8);
    QVERIFY(findRings(ram, kRams, [] { return false; }).empty());
  }

  void aTextIsSeenAlsoInPieces() {
    HeardText text("passed");
    for (const char* piece : {"self-test pa", "s", "se", "d\n"}) {
      QVERIFY(!text.seen());
      text.add(Bytes(piece, piece + std::strlen(piece)));
    }
    QVERIFY(text.seen());
    HeardText never("");
    never.add(Bytes(10'000, 'a'));
    QVERIFY(!never.seen() && never.end().size() == 4096 && never.count() == 10'000);
  }

  /// For other machines, without a warning; what writes fits into 200 bytes.
  void theHeaderCompiles_data() {
    QTest::addColumn<QStringList>("flags");
    QTest::addColumn<int>("most");
    QTest::newRow("ARMv6-M") << QStringList{"--target=thumbv6m-none-eabi", "-mcpu=cortex-m0"} << 200;
    QTest::newRow("ARMv7-M") << QStringList{"--target=thumbv7m-none-eabi", "-mcpu=cortex-m3"} << 200;
    QTest::newRow("RISC-V") << QStringList{"--target=riscv32-unknown-elf", "-march=rv32imc"} << 200;
    QTest::newRow("this computer") << QStringList{} << 0;
  }
  void theHeaderCompiles() {
    QFETCH(QStringList, flags);
    QFETCH(int, most);
    QTemporaryDir folder;
    const QString object = folder.filePath("c.o"), source = folder.filePath("c.c");
    QFile file(source);
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write("#define IMPRIMO_CONSOLE_HERE\n#include \"target/imprimo_console.h\"\n");
    file.close();
    const QString said =
        runTool("clang",
                flags + QStringList{"-Wall", "-Wextra", "-pedantic", "-std=c99", "-Werror", "-Os", "-ffreestanding",
                                    "-ffunction-sections", QString("-I") + IMPRIMO_SOURCE, "-c", source, "-o", object});
    QVERIFY2(said.isEmpty(), qPrintable(said));
    if (most == 0) return;
    int bytes = 0;
    const QString sections = runTool("arm-none-eabi-size", {"-A", object});
    for (const QString& line : sections.split('\n')) {
      const QStringList fields = line.simplified().split(' ');
      if (fields[0] == ".text.imprimo_console_write") bytes += fields[1].toInt();
    }
    QVERIFY2(bytes > 50 && bytes <= most, qPrintable(sections));
  }

  /// The firmware says a line and repeats what it is told; nothing is halted for it.
  void theCoreSpeaksAndIsSpokenTo() {
    ConsoleWorld w(consoleFirmware("GREET"));
    bench::RingSource ring(w.bench().core("core"));
    QCOMPARE(textOf(w.hear(ring, 0.05)), std::string("gauge ready\n"));
    const std::string told = "what is the level?\nand now?\n";
    std::string left = told, answered;
    while (!left.empty()) {
      left.erase(0, ring.tell(Bytes(left.begin(), left.end())));
      answered += textOf(w.hear(ring, 0.005));
    }
    QCOMPARE(answered, told);
    QCOMPARE(w.lost, std::uint64_t{0});
    QCOMPARE(w.bench().core("core").lookAt().state, debug::CoreState::Running);
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }

  /// Reset, and programmed with something else, it is heard again.
  void aResetIsHeardAndAnotherFirmwareToo() {
    ConsoleWorld w(consoleFirmware("GREET"));
    bench::RingSource ring(w.bench().core("core"));
    QCOMPARE(textOf(w.hear(ring, 0.05)), std::string("gauge ready\n"));
    w.load(consoleFirmware("GREET"));
    w.chip().debugStore(0x2000010C, 4, 0);  // as the start-up code of a firmware clears its data
    QCOMPARE(textOf(w.hear(ring, 0.5)), std::string("gauge ready\n"));
    w.load(consoleFirmware("FLOOD"));
    QVERIFY(w.hear(ring, 0.5).size() > 1000);
  }

  void twoRingsAreTwoChannels() {
    ConsoleWorld w(consoleFirmware("TWO_RINGS"));
    w.pass(0.01);
    bench::RingSource ring(w.bench().core("core"));
    w.hear(ring, 0.3);
    QCOMPARE(w.heardAll.size(), std::size_t{2});
    QCOMPARE(textOf(w.heardAll[0].bytes), std::string("first"));
    QCOMPARE(w.heardAll[1].channel, std::string("ring 2"));
    QCOMPARE(textOf(w.heardAll[1].bytes), std::string("second"));
  }

  /// 200 KiB a second at 10 MHz, none lost, for at most a twentieth of the core's bus.
  void itIsFastEnough() {
    ConsoleWorld w(consoleFirmware("FLOOD", {"IMPRIMO_CONSOLE_OUT=4096"}));
    bench::BenchCore& core = w.bench().core("core");
    bench::RingSource ring(core);
    w.hear(ring, 0.1);
    const auto begin = core.now();
    const std::uint64_t accesses = w.sim().board().debugPort().accesses();
    std::uint64_t bytes = 0;
    std::uint8_t next = 0;
    bool first = true;
    while (core.now() - begin < std::chrono::milliseconds(500)) {
      for (const Heard& heard : ring.hear()) {
        for (const std::uint8_t byte : heard.bytes) {
          QVERIFY(first || byte == static_cast<std::uint8_t>(next + 7));
          next = byte;
          first = false;
        }
        bytes += heard.bytes.size();
        QCOMPARE(heard.lost, 0u);
      }
    }
    const double seconds = static_cast<double>((core.now() - begin).count()) * 1e-9;
    const double rate = static_cast<double>(bytes) / seconds / 1024;
    // Two cycles of the bus an access; what sets the address and the like is counted with it.
    const double share =
        2.0 * static_cast<double>(w.sim().board().debugPort().accesses() - accesses) / (seconds * 16e6);
    qInfo("%.0f KiB/s, %.2f %% of the bus", rate, share * 100);
    QVERIFY2(rate >= 200, qPrintable(QString::number(rate)));
    QVERIFY2(share <= 0.05, qPrintable(QString::number(share)));
  }

  void whatFindsNoRoomIsCounted() {
    ConsoleWorld w(consoleFirmware("LOSE", {"IMPRIMO_CONSOLE_OUT=64"}));
    bench::RingSource ring(w.bench().core("core"));
    w.hear(ring, 0.05);
    QVERIFY(w.lost > 0);
  }

  /// Another core than the simulated one, which nobody here wrote, keeps a ring that is believed.
  void theHeaderRunsElsewhere() {
    const QString qemu = QStandardPaths::findExecutable("qemu-system-arm");
    if (qemu.isEmpty()) QSKIP("qemu-system-arm is not installed");
    QTemporaryDir folder;
    const QString image = folder.filePath("f.bin"), memory = folder.filePath("ram.bin");
    writeFileAtomically(image.toStdString(), ByteSpan(consoleFirmware("GREET")));
    QProcess machine;
    machine.start(qemu,
                  {"-M", "microbit", "-display", "none", "-serial", "none", "-monitor", "stdio", "-kernel", image});
    QVERIFY(machine.waitForStarted());
    Ram ram;
    ram.bytes.clear();
    const auto isThere = [&] {
      machine.write("memsave 0x20000000 0x4000 \"" + memory.toUtf8() + "\"\n");
      machine.waitForReadyRead(100);
      QFile file(memory);
      if (!file.open(QIODevice::ReadOnly) || file.size() != 0x4000) return false;
      const QByteArray all = file.readAll();
      ram.bytes.assign(all.begin(), all.end());
      return !findRingMarks(ram.bytes, kRam).empty();
    };
    QVERIFY(QTest::qWaitFor(isThere, 20'000));
    machine.write("quit\n");
    machine.waitForFinished();
    const std::vector<AddressRange> all{{kRam, kRam + 0x4000}};
    ConsoleRing ring(findRingMarks(ram.bytes, kRam).front(), all);
    COMPARE_TEXT(textOf(ring.take(ram).bytes), "gauge ready\n");
  }

  /// Semihosting: what writes is heard, anything else refused and said, and the end has a code.
  void theHostIsAsked() {
    ConsoleWorld w(consoleFirmware("ASK_HOST"));
    w.chip().core().reset(true);
    bench::SemihostingSource source(w.bench().core("core"));
    source.hear();  // debug is on from here
    w.chip().core().reset(false);
    const std::string said = textOf(w.hear(source, 0.1));
    QCOMPARE(said, std::string("from the host's side\nxfrom"));
    QVERIFY(!w.heardAll.empty());
    QCOMPARE(w.heardAll.back().exit, std::optional(7u));
    // It stands where it ended; restarted, it is answered again, and left as it was found.
    w.heardAll.clear();
    w.chip().core().reset(false);
    QCOMPARE(textOf(w.hear(source, 0.1)), said);
    w.load(consoleFirmware("GREET"));
    w.hear(source, 0.01);
    source.end();
    QCOMPARE(w.bench().core("core").bus().readWord(0xE000EDF0) & 1, 0u);
    QVERIFY(std::any_of(w.heardAll.begin(), w.heardAll.end(), [](const Heard& heard) {
      return heard.note == "the target asked to open the file \"log.txt\", which is refused";
    }));
    QVERIFY2(w.sim().violations().empty(), w.sim().violations().c_str());
  }
};

IMPRIMO_TEST(RingTest);
#include "tst_ring.moc"
