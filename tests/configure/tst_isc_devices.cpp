// SPDX-License-Identifier: GPL-3.0-or-later
//
// Four parts that are not the river gauge's, each of another kind, configured from the text of their attributes alone.
#include <QTest>

#include "core/base/input_file.h"
#include "core/image/isc_data.h"
#include "tests/support/check.h"
#include "tests/support/device_world.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

std::string file(const char* name) {
  return readTextFile(std::string(IMPRIMO_SOURCE) + name);
}
const char* const kHeron = "/tests/configure/files/heron_h12.bsd";   // volatile array
const char* const kWren = "/demo/parts/wren_c64.bsd";                // rows behind an address, a data register
const char* const kPlover = "/tests/configure/files/plover_p8.bsd";  // works by itself, a status tells when it is done
const char* const kSnipe = "/tests/configure/files/snipe_s16.bsd";   // counts rows itself, has to be erased before

const char* const kHeronCells =
    R"({"rows": 64, "width": 64, "program": "array", "volatile": true, "checked": true, "seconds": {"program": 0.0005, "disable": 0.0005}})";
const char* const kWrenCells =
    R"({"rows": 96, "width": 128, "address_bits": 7, "needs_erase": true, "seconds": {"enable": 0.0005, "disable": 0.0005, "erase": 0.1, "program": 0.002, "read": 0.00001}})";
const char* const kPloverCells =
    R"({"rows": 16, "width": 64, "address_bits": 4, "program": "row", "self_timed": true, "seconds": {"erase": 0.06, "program": 0.004, "read": 0, "enable": 0.00005}})";
const char* const kSnipeCells =
    R"({"rows": 40, "width": 96, "address_bits": 8, "program": "row", "increments": true, "needs_erase": true, "blank": 0, "seconds": {"erase": 0.05, "program": 0.0008, "read": 0.000008}})";

/// A bitstream for the array: it begins with the part's IDCODE and ends with a check sum.
configure::ConfigData heronData(std::uint32_t idcode, unsigned seed) {
  configure::ConfigData data = randomData(4096, seed);
  BitVector& bits = data.sections.front().bits;
  BitVector whole = BitVector::fromLsbFirst(idcode, 32);
  whole.append(bits.slice(32, 4096 - 64));
  whole.append(BitVector::fromLsbFirst(iscCrc(whole), 32));
  bits = whole;
  return data;
}

BitVector cellsOf(DeviceWorld& w) {
  BitVector bits;
  for (const auto& row : w.cells().rows()) {
    for (const bool cell : row) bits.append(cell);
  }
  return bits;
}

/// Stops after so many pieces.
class StopAfter : public Progress {
 public:
  explicit StopAfter(int pieces) : left_(pieces) {}
  void passed(const Amount& more) override {
    --left_;
    done += more.count;
  }
  bool stopRequested() const override { return left_ <= 0; }
  std::uint64_t done = 0;

 private:
  int left_;
};

}  // namespace

class IscDevicesTest : public QObject {
  Q_OBJECT
 private slots:
  void aVolatileArrayTakesItsBitstream() {
    for (const std::uint32_t clock : {10'000'000u, 40'000u}) {  // at the slow one the array goes in pieces
      DeviceWorld w(file(kHeron), {.cells = kHeronCells, .clock = clock});
      const auto data = heronData(0x1A0C2FFD, 1);
      COMPARE_TEXT(w.run({"program"}, &data), "done");
      QCOMPARE(cellsOf(w), data.sections[0].bits);
      COMPARE_TEXT(w.state(), "programmed, user code 0xffffffff");
      COMPARE_TEXT(w.sim().violations(), "");
    }
  }

  void aBitstreamForAnotherPartIsToldByTheStatus() {
    DeviceWorld w(file(kHeron), {.cells = kHeronCells});
    const auto other = heronData(0x1A0C3FFD, 2);
    COMPARE_TEXT(w.run({"program"}, &other), "flow_check: ISC_STATUS should give 04, and gives 13");
    auto damaged = heronData(0x1A0C2FFD, 3);
    damaged.sections[0].bits.set(1000, !damaged.sections[0].bits[1000]);
    COMPARE_TEXT(w.run({"program"}, &damaged), "flow_check: ISC_STATUS should give 04, and gives 13");
    COMPARE_TEXT(w.sim().violations(), "");
  }

  void anotherPartIsFoundByItsIdcodeBeforeAnythingIsChanged() {
    // The part is another die than its file describes.
    std::string text = file(kHeron);
    DeviceWorld w(text,
                  {.cells = kHeronCells, .faults = R"({"kind": "other-die", "position": 2, "idcode": "0x1A0C9FFD"})"});
    const auto data = heronData(0x1A0C2FFD, 1);
    COMPARE_TEXT(w.run({"program"}, &data), "flow_verify_idcode: IDCODE should give 1A0C2FFD, and gives 1A0C9FFD");
    QCOMPARE(cellsOf(w), BitVector(4096, true));
  }

  void filesThatDoNotFitAreRefusedByTheBit() {
    DeviceWorld w(file(kHeron), {.cells = kHeronCells});
    for (const std::size_t bits : {4095u, 4097u}) {
      const auto data = randomData(bits, 4);
      COMPARE_TEXT(errorOf([&] { w.run({"program"}, &data); }),
                   bits == 4095
                       ? "random.jed: is 1 bits too short for flow_program(array): 4095 bits, and this asks for "
                         "at least 4096"
                       : "random.jed: is 1 bits too long for proc_program, which takes 4096");
    }
    COMPARE_TEXT(errorOf([&] { w.run({"program"}, nullptr); }), "flow_program(array) needs a file");
    COMPARE_TEXT(errorOf([&] { w.run({"wipe"}, nullptr); }), "part (HERON_H12) has no action wipe");
    QCOMPARE(w.sim().board().dataClocks(), 0u);
  }

  void rowsBehindAnAddressAreErasedProgrammedAndRead() {
    for (const auto& [before, after] : {std::pair{0, 0}, {1, 1}, {3, 2}}) {
      DeviceWorld w(
          file(kWren),
          {.cells = kWrenCells, .before = static_cast<std::size_t>(before), .after = static_cast<std::size_t>(after)});
      const auto data = randomData(96 * 128, 5);
      VERIFY_CONTAINS(w.run({"program"}, &data), "CRC ");
      QCOMPARE(cellsOf(w), data.sections[0].bits);
      VERIFY_CONTAINS(w.run({"verify"}, &data), "CRC ");
      COMPARE_TEXT(w.run({"read"}, nullptr), "done");
      QCOMPARE(w.procedure().output(), data.sections[0].bits);
      VERIFY_CONTAINS(w.run({"blank_check"}, nullptr), "of ISC_READ differ");
      COMPARE_TEXT(w.run({"erase"}, nullptr), "done");
      COMPARE_TEXT(w.run({"blank_check"}, nullptr), "done");
      COMPARE_TEXT(w.state(), "not programmed, user code 0xffffffff");
      COMPARE_TEXT(w.sim().violations(), "");
    }
  }

  void aWrongCellIsFoundWithItsRow() {
    DeviceWorld w(file(kWren), {.cells = kWrenCells});
    w.cells().stick(17, 5);
    auto data = randomData(96 * 128, 6);
    data.sections[0].bits.set(17 * 128 + 5, false);
    COMPARE_TEXT(
        w.run({"program"}, &data),
        "flow_verify(array), round 18: 1 of 128 bits of ISC_READ differ, the first is bit 5 (should be 0, is 1)");
  }

  void choicesAreDoneWhenWantedAndUserCodesGoIn() {
    DeviceWorld w(file(kWren), {.cells = kWrenCells});
    auto data = randomData(96 * 128, 7);
    data.setUsercode(0x5E0A0099);
    w.run({.action = "program", .with = {"PROC_PROGRAM_USERCODE", "PROC_SECURE"}, .without = {"PROC_VERIFY"}}, &data);
    COMPARE_TEXT(w.state(), "programmed, user code 0x5e0a0099, secured");
    // A secured part gives zeros, and only an erase opens it again.
    const std::string verify = w.run({"verify"}, &data);
    VERIFY_CONTAINS(verify, "flow_verify(array), round 1:");
    w.run({"erase"}, nullptr);
    COMPARE_TEXT(w.state(), "not programmed, user code 0xffffffff");
    COMPARE_TEXT(w.run({"program_usercode"}, &data), "done");
    COMPARE_TEXT(w.sim().violations(), "");
  }

  void aPartThatWorksByItselfIsWaitedForByItsStatus() {
    DeviceWorld w(file(kPlover), {.cells = kPloverCells});
    const auto data = randomData(16 * 64, 8);
    COMPARE_TEXT(w.run({"program"}, &data), "done");
    QCOMPARE(cellsOf(w), data.sections[0].bits);
    COMPARE_TEXT(w.state(), "programmed, user code 0xffffffff");
    COMPARE_TEXT(w.sim().violations(), "");
    // One that takes longer than the file allows is told, with how often it was looked at.
    DeviceWorld slow(
        file(kPlover),
        {.cells =
             R"({"rows": 16, "width": 64, "address_bits": 4, "program": "row", "self_timed": true, "seconds": {"erase": 0.3}})"});
    COMPARE_TEXT(slow.run({"program"}, &data), "flow_erase, after 40 looks: ISC_STATUS should give 01, and gives 10");
  }

  void aPartThatCountsRowsItselfNeedsItsErase() {
    DeviceWorld w(file(kSnipe), {.cells = kSnipeCells});
    const auto first = randomData(40 * 96, 9);
    COMPARE_TEXT(w.run({"program"}, &first), "done");
    QCOMPARE(cellsOf(w), first.sections[0].bits);
    COMPARE_TEXT(w.sim().violations(), "");
    const auto second = randomData(40 * 96, 10);
    VERIFY_CONTAINS(w.run({.action = "program", .without = {"PROC_ERASE"}}, &second), "flow_verify(array), round 1:");
    VERIFY_CONTAINS(w.sim().violations(), "row 0 is programmed and was not erased");
    COMPARE_TEXT(w.run({"program"}, &second), "done");
    QCOMPARE(cellsOf(w), second.sections[0].bits);
  }

  void checkSumsAreComparedWithTheFiles() {
    DeviceWorld w(file(kSnipe), {.cells = kSnipeCells});
    auto data = randomData(40 * 96, 11);
    w.run({"program"}, &data);
    // The other side's arithmetic, bit by bit.
    std::uint32_t crc = 0xFFFFFFFF;
    for (std::size_t i = 0; i < 40 * 96; ++i) {
      const bool low = ((crc & 1) != 0) != data.sections[0].bits[i];
      crc = crc >> 1 ^ (low ? 0xEDB88320u : 0u);
    }
    COMPARE_TEXT(w.run({"crc"}, nullptr), fmt::format("CRC {:08X}", ~crc));
    data.sections[0].name = "array";
    data.sections[0].crc = ~crc ^ 1;
    VERIFY_CONTAINS(w.run({"crc"}, &data), "check sum: CRC should give");
  }

  void aStopLeavesThePartOutOfItsMode() {
    DeviceWorld w(file(kWren), {.cells = kWrenCells});
    const auto data = randomData(96 * 128, 12);
    StopAfter stop(2);
    QCOMPARE(kindOf([&] { w.run({"program"}, &data, &stop); }), std::optional{ErrorKind::Stopped});
    QVERIFY(stop.done > 0 && stop.done < 96 * 128);
    w.procedure().leave(w.chain());
    COMPARE_TEXT(w.state(), "not programmed, user code 0xffffffff");
    COMPARE_TEXT(w.sim().violations(), "");
    VERIFY_CONTAINS(w.run({"program"}, &data), "CRC ");
  }

  /// Power goes at every few milliseconds; the next run always makes it whole again.
  void powerThatGoesAnywhereIsMendedByTheNextRun() {
    const auto data = randomData(40 * 96, 13);
    for (int i = 1; i < 24; ++i) {
      const double seconds = 0.004 * i;
      DeviceWorld w(file(kSnipe), {.cells = kSnipeCells,
                                   .faults = fmt::format(R"({{"kind": "power-loss", "seconds": {}}})", seconds)});
      const std::string first = w.run({"program"}, &data);
      if (sim::toSeconds(w.sim().board().now()) > seconds) QVERIFY2(first != "done", qPrintable(QString::number(i)));
      w.sim().board().repair();
      w.chain().port().run(jtag::ScanBatch().reset());
      COMPARE_TEXT(w.run({"program"}, &data), "done");
      QCOMPARE(cellsOf(w), data.sections[0].bits);
    }
  }
};
IMPRIMO_TEST(IscDevicesTest);

#include "tst_isc_devices.moc"
