// SPDX-License-Identifier: GPL-3.0-or-later
//
// The USB transports against stand-ins for their libraries, from the made sysfs to the parts of a chain.
#include "core/jtag/examine.h"
#include "core/probe/open_probe.h"
#include "core/probe/packet_pipe.h"
#include "tests/support/check.h"
#include "tests/support/fake_usb.h"
#include "tests/support/test_registry.h"
#include "tests/support/usb_tree.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::probe;
using namespace imprimo::test;

class UsbTest : public QObject {
  Q_OBJECT
  UsbTree tree_;
  std::unique_ptr<World> world_;
  std::unique_ptr<Probe> open(const char* address) { return openProbe(address, {}, tree_.root()); }

 private slots:
  void initTestCase() {
    tree_.addDap("1-2", "BULK", "Probe");
    tree_.addDap("1-3", "HID", "Probe CMSIS-DAP", true);
    tree_.addEngine("1-4", "ENGINE", "Adapter");
    tree_.addEngine("1-5", "FOUR", "Adapter", {}, "6011");
    tree_.addEngine("1-6", "ONE", "Adapter", {}, "6014");
    tree_.addDap("1-7", "HID512", "Probe CMSIS-DAP", true, 512);
    tree_.addDap("1-8", "HID1024", "Probe CMSIS-DAP", true, 1024);
  }
  void init() {
    WorldOptions options;
    options.packetSize = 64;
    world_ = std::make_unique<World>(options);
    FakeUsb::the().reset();
    FakeUsb::the().bench = &world_->sim();
    FakeUsb::the().device = 12;
  }

  void aChainIsExaminedThroughEach() {
    for (const auto& [address, device] : {std::pair{"usb:BULK", 12}, {"usb:HID", 13}, {"usb:ENGINE", 14}}) {
      FakeUsb::the().device = device;
      const auto probe = open(address);
      QCOMPARE(jtag::examine(tapOf(*probe), {}).devices.size(), 3u);
      COMPARE_TEXT(probe->info().address, address);
      COMPARE_TEXT(world_->sim().violations(), "");
    }
    QCOMPARE(FakeUsb::the().hidReport, 65u);
  }

  void reportsAreAsLongAsTheDescriptorSays() {
    for (const auto& [address, device, size] :
         {std::tuple{"usb:HID", 13, 64u}, {"usb:HID512", 17, 512u}, {"usb:HID1024", 18, 1024u}}) {
      // The firmware says its packets are larger than its reports, as some do.
      WorldOptions options;
      options.packetSize = 1024;
      world_ = std::make_unique<World>(options);
      FakeUsb::the().reset();
      FakeUsb::the().bench = &world_->sim();
      FakeUsb::the().device = device;
      FakeUsb::the().reportSize = size;
      const auto probe = open(address);
      QCOMPARE(probe->info().packetSize, std::size_t{size});
      QCOMPARE(jtag::examine(tapOf(*probe), {}).devices.size(), 3u);
      QCOMPARE(FakeUsb::the().hidReport, std::size_t{size} + 1);
      COMPARE_TEXT(world_->sim().violations(), "");
    }
  }

  void noChipHasToKeepMoreThanItCan() {
    // The same chain through chips with one, two and four channels; each stalls where it is asked for more.
    for (const auto& [address, device, buffer] :
         {std::tuple{"usb:ONE", 16, 1024u}, {"usb:FOUR", 15, 2048u}, {"usb:ENGINE", 14, 4096u}}) {
      WorldOptions options;
      options.bench = R"(, "mpsse": {"buffer": )" + std::to_string(buffer) + "}";
      world_ = std::make_unique<World>(options);
      FakeUsb::the().reset();
      FakeUsb::the().bench = &world_->sim();
      FakeUsb::the().device = device;
      const auto probe = open(address);
      jtag::ScanBatch batch;
      batch.reset().exchange(jtag::Register::Data, BitVector(200'000, true));
      QCOMPARE(tapOf(*probe).run(batch).at(0).size(), 200'000u);
      QVERIFY(FakeUsb::the().mostUnread > buffer / 3 && FakeUsb::the().mostUnread <= buffer);
    }
  }

  void answersThatSomebodyLeftAreThrownAway() {
    FakeUsb::the().answers = {Bytes{0x14, 0x00, 0xAA}, Bytes{0x00, 0x01, 0x09}};
    QCOMPARE(jtag::examine(tapOf(*open("usb:BULK")), {}).devices.size(), 3u);
  }

  void packetsThatAreFullNeedNoEndMarkAndOthersGetOne() {
    QCOMPARE(jtag::examine(tapOf(*open("usb:BULK")), {}).devices.size(), 3u);
    QCOMPARE(FakeUsb::the().emptyPackets, 0);  // the probe takes 64 bytes, which is one USB packet
    auto pipe = openBulkPipe(1, 12, 0, "usb:BULK");
    pipe->setPacketSize(512);
    pipe->write(Bytes(128, 0), std::chrono::seconds(1));
    QCOMPARE(FakeUsb::the().emptyPackets, 1);
    pipe->write(Bytes(512, 0), std::chrono::seconds(1));
    pipe->write(Bytes(130, 0), std::chrono::seconds(1));
    QCOMPARE(FakeUsb::the().emptyPackets, 1);
  }

  void unpluggedInEveryState() {
    for (const auto& [address, device] : {std::pair{"usb:BULK", 12}, {"usb:HID", 13}, {"usb:ENGINE", 14}}) {
      bool whole = false;
      for (int n = 0; !whole && n < 400; n += n < 40 ? 1 : 7) {
        init();
        FakeUsb::the().device = device;
        FakeUsb::the().unplugAt = n;
        const auto kind = kindOf([&, a = address] { jtag::examine(tapOf(*open(a)), {}); });
        QVERIFY(!kind || *kind == ErrorKind::LinkLost || *kind == ErrorKind::NoProbe);
        whole = !kind;
      }
      QVERIFY(whole);
    }
  }

  void aProbeThatAnswersLateIsGivenUpOnAndSaidSo() {
    const auto probe = open("usb:BULK");
    FakeUsb::the().lateBy = 1;
    VERIFY_CONTAINS(errorOf([&] { probe->roundTrip(); }), "lost the probe at usb:BULK: no answer within 5000 ms");
    // The answer that came after all is not taken for that to the next question.
    COMPARE_TEXT(errorOf([&] { probe->roundTrip(); }), "the probe at usb:BULK is no longer connected");
    FakeUsb::the().lateBy = 0;
    QCOMPARE(jtag::examine(tapOf(*open("usb:BULK")), {}).devices.size(), 3u);
  }

  void whatKeepsItFromBeingOpenedIsSaid() {
    FakeUsb::the().claimResult = -6;
    VERIFY_CONTAINS(errorOf([&] { open("usb:BULK"); }), "cannot open the probe at usb:BULK: Resource busy");
    FakeUsb::the().device = 14;
    VERIFY_CONTAINS(errorOf([&] { open("usb:ENGINE"); }), "does not switch to its serial engine");
    init();
    FakeUsb::the().openResult = -3;
    VERIFY_CONTAINS(errorOf([&] { open("usb:BULK"); }), "Access denied");
    init();
    FakeUsb::the().device = 0;
    VERIFY_CONTAINS(errorOf([&] { open("usb:BULK"); }), "No such device");
    VERIFY_CONTAINS(errorOf([&] { open("usb:HID"); }), "cannot open the probe at usb:HID");
    init();
    FakeUsb::the().inEndpoints = 0;
    VERIFY_CONTAINS(errorOf([&] { open("usb:BULK"); }), "has no bulk endpoints on interface 0");
  }

  void roundTripsAreMeasuredOnTheDevice() {
    ProbeListing listing = listProbes(ProbeOptions{}, tree_.root());
    SystemRoot root = tree_.root();
    root.ask = {};
    FakeUsb::the().device = 12;
    measureAll(listing, {}, root);
    QCOMPARE(listing.probes[0].state, ProbeState::Ready);
    QVERIFY(listing.probes[0].roundTrip.has_value());
  }

  void aKernelDriverIsReleased() {
    releaseKernelDriver(1, 12, 0, "usb:BULK");
    QVERIFY(FakeUsb::the().detached);
  }
};
IMPRIMO_TEST(UsbTest);
#include "tst_usb.moc"
