// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTemporaryDir>

#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "core/probe/open_probe.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/usb_tree.h"

using namespace imprimo;
using namespace imprimo::probe;
using namespace imprimo::test;

namespace {

std::string listed(const UsbTree& tree) {
  std::string text;
  for (const ProbeEntry& e : listProbes(ProbeOptions{}, tree.root()).probes) {
    text += e.address + " | " + e.kind + " | " + nameOf(e.state) + " | " + e.what + "\n";
  }
  return text;
}

}  // namespace

class ProbeListTest : public QObject {
  Q_OBJECT
 private slots:
  void probesAreKnownByTheirInterface() {
    UsbTree tree;
    tree.addOther("1-1");
    tree.addDap("1-2", "GAUGE-7", "River gauge probe");
    tree.addDap("1-3", "OLD-1", "River gauge CMSIS-DAP", true);
    tree.addEngine("1-4", "", "Two-channel adapter");
    COMPARE_TEXT(listed(tree),
                 "usb:GAUGE-7 | CMSIS-DAP 2 | ready | ready\n"
                 "usb:OLD-1 | CMSIS-DAP 1 | ready | ready\n"
                 "usb:@1-4 | MPSSE, generic | ready | ready\n");
    const ProbeListing listing = listProbes(ProbeOptions{}, tree.root());
    QCOMPARE(listing.probes[0].bus, 1);
    QCOMPARE(listing.probes[0].device, 12);
    COMPARE_TEXT(listing.probes[1].node, "/dev/hidraw3");
  }

  void theInstalledRuleIsTheOneThatIsPrinted() {
    COMPARE_TEXT(readTextFile(IMPRIMO_SOURCE "/cmake/60-imprimo-probes.rules", kListFile), udevRule(ProbeListing{}));
    COMPARE_TEXT(udevRulePath().filename().string(), "60-imprimo-probes.rules");
  }

  void twoOfAKindAreToldApartByTheirPlace() {
    UsbTree tree;
    tree.addDap("1-2", "SAME", "Clone");
    tree.addDap("1-3", "SAME", "Clone");
    COMPARE_TEXT(listed(tree), "usb:@1-2 | CMSIS-DAP 2 | ready | ready\nusb:@1-3 | CMSIS-DAP 2 | ready | ready\n");
  }

  void whatKeepsThemIsSaid() {
    UsbTree tree;
    tree.addEngine("1-1", "", "Adapter", "ftdi_sio");
    tree.addDap("1-2", "A", "Probe");
    tree.hold("1-2", 812, "level-logger");
    tree.addDap("1-3", "B", "Probe");
    tree.lock("1-3");
    tree.addEngine("1-4", "C", "Adapter", "ftdi_sio");
    tree.hold("1-4", 813, "terminal", "/dev/ttyUSB0");
    COMPARE_TEXT(listed(tree),
                 "usb:@1-1 | MPSSE, generic | held | held by terminal (process 813)\n"
                 "usb:A | CMSIS-DAP 2 | held | held by level-logger (process 812)\n"
                 "usb:B | CMSIS-DAP 2 | no-permission | no permission for /dev/bus/usb/001/013\n"
                 "usb:C | MPSSE, generic | held | held by terminal (process 813)\n");
    UsbTree serial;
    serial.addEngine("1-1", "", "Adapter", "ftdi_sio");
    COMPARE_TEXT(
        listed(serial),
        "usb:@1-1 | MPSSE, generic | kernel-driver | claimed by the kernel's serial driver ftdi_sio as /dev/ttyUSB0\n");
  }

  void aSlowLinkNamesAVirtualMachine() {
    UsbTree tree;
    tree.addDap("1-1", "A", "Probe");
    for (const bool machine : {false, true}) {
      if (machine) tree.makeVirtual("Made-up Machine 9");
      SystemRoot root = tree.root();
      root.ask = [](const ProbeEntry&) {
        return ProbeReply{std::vector<std::chrono::microseconds>(9, std::chrono::microseconds(8200)), "JTAG"};
      };
      ProbeListing listing = listProbes(ProbeOptions{}, root);
      measureAll(listing, {}, root);
      COMPARE_TEXT(listing.probes[0].what, "slow link: 8.2 ms round trip");
      VERIFY_CONTAINS(listing.probes[0].remedy, machine ? "virtual machine (Made-up Machine 9)" : "without a hub");
      QVERIFY(listing.probes[0].usable());
    }
  }

  void strangeFirmwareIsSaid() {
    UsbTree tree;
    tree.addDap("1-1", "A", "Probe");
    SystemRoot root = tree.root();
    root.ask = [](const ProbeEntry&) -> ProbeReply {
      throw Error(ErrorKind::NoProbe, "the probe at usb:A cannot do JTAG", "Use one that can.");
    };
    ProbeListing listing = listProbes(ProbeOptions{}, root);
    measureAll(listing, {}, root);
    COMPARE_TEXT(nameOf(listing.probes[0].state), "unknown-firmware");
    COMPARE_TEXT(listing.probes[0].what, "does not answer as it should: the probe at usb:A cannot do JTAG");
    QVERIFY(!listing.probes[0].usable());
  }

  void theOnlyUsableOneIsTaken() {
    UsbTree tree;
    const auto only = [&] { return onlyProbe(listProbes(ProbeOptions{}, tree.root())); };
    VERIFY_CONTAINS(errorOf(only), "USB is there, but no probe on it");
    tree.addDap("1-1", "A", "Probe");
    tree.lock("1-1");
    VERIFY_CONTAINS(errorOf(only), "no probe can be used: usb:A (Probe): no permission");
    tree.addDap("1-2", "B", "Probe");
    COMPARE_TEXT(only(), "usb:B");
    tree.addDap("1-3", "C", "Probe");
    VERIFY_CONTAINS(errorOf(only), "there are 2 probes");
    UsbTree bare;
    bare.removeUsb();
    VERIFY_CONTAINS(errorOf([&] { onlyProbe(listProbes(ProbeOptions{}, bare.root())); }), "this machine has no USB");
  }

  void anUnusableProbeIsNotOpened() {
    UsbTree tree;
    tree.addDap("1-1", "A", "Probe");
    tree.hold("1-1", 7, "other");
    COMPARE_TEXT(errorOf([&] { openProbe("usb:A", {}, tree.root()); }),
                 "the probe at usb:A cannot be used: held by other (process 7)");
    COMPARE_TEXT(errorOf([&] { openProbe("usb:Z", {}, tree.root()); }), "no probe on USB is usb:Z");
  }

  void addressesOfAllKinds() {
    for (const char* text :
         {"tcp:localhost:4711", "tcp:[::1]:1", "mpsse-tcp:127.0.0.1:9", "usb:GAUGE-7", "usb:@1-4.2/B"}) {
      COMPARE_TEXT(parseProbeAddress(text).text(), text);
    }
    for (const char* text :
         {"", "usb:", "usb:@", "usb:X/E", "tcp:host", "tcp:::1:4", "udp:host:1", "mpsse-tcp:host:0"}) {
      QCOMPARE(kindOf([&] { parseProbeAddress(text); }), std::optional{ErrorKind::Usage});
    }
  }

  void theRuleNamesWhatIsThereAndIsInstalledByPkexec() {
    UsbTree tree;
    tree.addDap("1-1", "A", "Probe");
    const std::string rule = udevRule(listProbes(ProbeOptions{}, tree.root()));
    VERIFY_CONTAINS(rule, R"(SUBSYSTEM=="usb", ATTR{idVendor}=="1209", ATTR{idProduct}=="0001", TAG+="uaccess")");
    QTemporaryDir folder;
    const QByteArray path = qgetenv("PATH");
    qputenv("PATH", folder.path().toUtf8());
    VERIFY_CONTAINS(errorOf([&] { installUdevRule(rule); }), "there is no pkexec");
    // One that notes what it was asked to do, and then refuses or not.
    const QString pkexec = folder.filePath("pkexec");
    for (const int code : {126, 0}) {
      writeFileAtomically(pkexec.toStdString(), "#!/bin/sh\n/bin/cp \"$5\" " + folder.filePath("rule").toStdString() +
                                                    "\necho \"$6\" > " + folder.filePath("place").toStdString() +
                                                    "\nexit " + std::to_string(code) + "\n");
      QFile::setPermissions(pkexec, QFile::ReadOwner | QFile::WriteOwner | QFile::ExeOwner);
      const std::string error = errorOf([&] { installUdevRule(rule); });
      COMPARE_TEXT(error, code == 0 ? "no error" : "the udev rule was not installed (pkexec ended with 126)");
      COMPARE_TEXT(readTextFile(folder.filePath("rule").toStdString()), rule);
      COMPARE_TEXT(readTextFile(folder.filePath("place").toStdString()), udevRulePath().string() + "\n");
    }
    qputenv("PATH", path);
  }
};
IMPRIMO_TEST(ProbeListTest);
#include "tst_probe_list.moc"
