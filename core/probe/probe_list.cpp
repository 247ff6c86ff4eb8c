// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/probe_list.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <charconv>
#include <fstream>
#include <map>

#include "core/base/error.h"
#include "core/probe/hid_report.h"

namespace imprimo::probe {
namespace {

namespace fs = std::filesystem;
using std::chrono::microseconds;

/// Beyond this a page written and confirmed in a few packets is noticeably slow.
constexpr microseconds kSlow{4000};

std::string line(const fs::path& file) {
  std::ifstream stream(file);
  std::string text;
  std::getline(stream, text);
  while (!text.empty() && (text.back() == ' ' || text.back() == '\n' || text.back() == '\r')) text.pop_back();
  return visibleText(text);
}

int number(const std::string& text, int base) {
  int value = 0;
  std::from_chars(text.data(), text.data() + text.size(), value, base);
  return value;
}

std::vector<fs::path> entriesOf(const fs::path& folder) {
  std::error_code ignored;
  std::vector<fs::path> entries;
  for (const auto& entry : fs::directory_iterator(folder, ignored)) entries.push_back(entry.path());
  std::sort(entries.begin(), entries.end());
  return entries;
}

/// Device files that processes have open.
class Holders {
 public:
  Holders(const SystemRoot& root, int self) {
    for (const fs::path& process : entriesOf(root.root / "proc")) {
      const int id = number(process.filename().string(), 10);
      if (id <= 0 || id == self) continue;
      for (const fs::path& open : entriesOf(process / "fd")) {
        std::error_code failure;
        const fs::path target = fs::read_symlink(open, failure);
        if (!failure && target.string().starts_with("/dev/"))
          held_.emplace(target.string(), std::pair{id, line(process / "comm")});
      }
    }
  }
  const std::pair<int, std::string>* of(const std::string& node) const {
    const auto it = held_.find(node);
    return it == held_.end() ? nullptr : &it->second;
  }

 private:
  std::map<std::string, std::pair<int, std::string>> held_;
};

/// One USB device of sysfs.
struct UsbFacts {
  fs::path folder;
  std::string port, vendor, product, serial;
  std::uint16_t vendorId = 0, productId = 0;
  int bus = 0, device = 0;
  std::string node() const { return fmt::format("/dev/bus/usb/{:03}/{:03}", bus, device); }
};

struct InterfaceFacts {
  fs::path folder;
  int number = 0, usbClass = 0;
  std::string name, driver;
};

UsbFacts readDevice(const fs::path& folder) {
  UsbFacts d;
  d.folder = folder;
  d.port = folder.filename().string();
  d.vendor = line(folder / "manufacturer");
  d.product = line(folder / "product");
  d.serial = line(folder / "serial");
  d.vendorId = static_cast<std::uint16_t>(number(line(folder / "idVendor"), 16));
  d.productId = static_cast<std::uint16_t>(number(line(folder / "idProduct"), 16));
  d.bus = number(line(folder / "busnum"), 10);
  d.device = number(line(folder / "devnum"), 10);
  return d;
}

std::vector<InterfaceFacts> readInterfaces(const fs::path& device) {
  std::vector<InterfaceFacts> interfaces;
  for (const fs::path& folder : entriesOf(device)) {
    if (folder.filename().string().find(':') == std::string::npos) continue;
    InterfaceFacts i;
    i.folder = folder;
    i.number = number(line(folder / "bInterfaceNumber"), 16);
    i.usbClass = number(line(folder / "bInterfaceClass"), 16);
    i.name = line(folder / "interface");
    std::error_code failure;
    const fs::path driver = fs::read_symlink(folder / "driver", failure);
    if (!failure) i.driver = driver.filename().string();
    interfaces.push_back(std::move(i));
  }
  return interfaces;
}

/// "/dev/hidraw3", below the HID device of an interface; empty when the kernel made none.
std::string hidNode(const fs::path& interface) {
  for (const fs::path& hid : entriesOf(interface)) {
    for (const fs::path& raw : entriesOf(hid / "hidraw")) return "/dev/" + raw.filename().string();
  }
  return {};
}

/// From the report descriptor, as the kernel shows it below the interface and by the node's name; 64 where it does not.
std::size_t hidReportSize(const fs::path& root, const fs::path& interface, const std::string& node) {
  std::vector<fs::path> places = entriesOf(interface);
  places.push_back(root / "sys/class/hidraw" / fs::path(node).filename() / "device");
  for (const fs::path& hid : places) {
    std::ifstream file(hid / "report_descriptor", std::ios::binary);
    const Bytes descriptor{std::istreambuf_iterator<char>(file), {}};
    if (const std::size_t bytes = hidOutputReport(descriptor); bytes > 0) return bytes;
  }
  return 64;
}

/// "/dev/ttyUSB0", when a serial driver has the interface.
std::string serialNode(const fs::path& interface) {
  for (const fs::path& entry : entriesOf(interface)) {
    if (entry.filename().string().starts_with("ttyUSB")) return "/dev/" + entry.filename().string();
  }
  return {};
}

void judge(ProbeEntry& entry, const InterfaceFacts& interface, const SystemRoot& root, const Holders& holders) {
  const std::string tty = serialNode(interface.folder);
  const auto* holder = holders.of(entry.node);
  if (holder == nullptr && !tty.empty()) holder = holders.of(tty);
  const bool serial = !interface.driver.empty() && interface.driver != "usbfs" && interface.driver != "usbhid";
  entry.driver = interface.driver;
  if (entry.node.empty() || !root.mayUse(root.root / entry.node.substr(1))) {
    entry.state = ProbeState::NoPermission;
    entry.what = entry.node.empty() ? "the kernel has made no device file for it"
                                    : fmt::format("no permission for {}", entry.node);
    entry.remedy = entry.node.empty()
                       ? "Unplug it and plug it in again."
                       : "Install the udev rule ('imprimoctl probes --install-rule'), then plug it in again.";
  } else if (holder != nullptr) {
    entry.state = ProbeState::HeldByProcess;
    entry.holderId = holder->first;
    entry.holder = holder->second;
    entry.what = fmt::format("held by {} (process {})", entry.holder, entry.holderId);
    entry.remedy = fmt::format("End {}, or let it go there.", entry.holder);
  } else if (serial) {
    entry.state = ProbeState::KernelDriver;
    entry.what =
        fmt::format("claimed by the kernel's serial driver {}{}", interface.driver, tty.empty() ? "" : " as " + tty);
    entry.remedy =
        fmt::format("Release it: 'imprimoctl probes --release {}'. {}comes back when it is plugged in again.",
                    entry.address, tty.empty() ? "The serial port " : tty + " ");
  } else {
    entry.what = "ready";
  }
}

ProbeEntry entryFor(const fs::path& root, const UsbFacts& d, const InterfaceFacts& i, ProbeEntry::Kind kind) {
  ProbeEntry entry;
  entry.kind = kind;
  entry.vendor = d.vendor;
  entry.product = d.product;
  entry.serial = d.serial;
  entry.port = d.port;
  entry.bus = d.bus;
  entry.device = d.device;
  entry.interface = i.number;
  entry.vendorId = d.vendorId;
  entry.productId = d.productId;
  entry.address = "usb:" + (d.serial.empty() ? "@" + d.port : d.serial);
  entry.node = kind == ProbeEntry::Kind::DapHid ? hidNode(i.folder) : d.node();
  if (kind == ProbeEntry::Kind::DapHid) entry.reportSize = hidReportSize(root, i.folder, entry.node);
  return entry;
}

}  // namespace

const char* nameOf(ProbeState state) {
  switch (state) {
    case ProbeState::Ready:
      return "ready";
    case ProbeState::KernelDriver:
      return "kernel-driver";
    case ProbeState::HeldByProcess:
      return "held";
    case ProbeState::NoPermission:
      return "no-permission";
    case ProbeState::UnknownFirmware:
      return "unknown-firmware";
    case ProbeState::SlowLink:
      return "slow-link";
  }
  return "";
}

std::string ProbeEntry::kindText() const {
  switch (kind) {
    case Kind::DapBulk:
      return "CMSIS-DAP 2";
    case Kind::DapHid:
      return "CMSIS-DAP 1";
    case Kind::Mpsse:
      return "MPSSE, " + card.name;
  }
  return {};
}

std::string ProbeListing::nothingFound() const {
  if (!usbThere) {
    return "this machine has no USB" +
           (virtualMachine.empty()
                ? std::string()
                : fmt::format(" ({}): pass the probe on to it in the host's settings", virtualMachine)) +
           "; a probe shared from another machine is reached with tcp:HOST:PORT";
  }
  return "USB is there, but no probe on it: no interface is named CMSIS-DAP and no adapter card fits; is it plugged "
         "in, and "
         "is the cable more than a charging cable?";
}

ProbeListing listProbes(const SystemRoot& given, const std::vector<AdapterCard>& cards) {
  SystemRoot root = given;
  if (!root.mayUse)
    root.mayUse = [](const fs::path& p) { return ::faccessat(AT_FDCWD, p.c_str(), R_OK | W_OK, AT_EACCESS) == 0; };
  ProbeListing listing;
  if (line(root.root / "proc/cpuinfo").empty() == false) {
    std::ifstream cpu(root.root / "proc/cpuinfo");
    for (std::string text; std::getline(cpu, text);) {
      if (!text.starts_with("flags") || text.find(" hypervisor") == std::string::npos) continue;
      listing.virtualMachine = line(root.root / "sys/class/dmi/id/product_name");
      if (listing.virtualMachine.empty()) listing.virtualMachine = "a virtual machine";
      break;
    }
  }
  const std::vector<fs::path> devices = entriesOf(root.root / "sys/bus/usb/devices");
  listing.usbThere = !devices.empty();
  const Holders holders(root, root.self != 0 ? root.self : ::getpid());
  for (const fs::path& folder : devices) {
    const std::string name = folder.filename().string();
    if (name.find(':') != std::string::npos || name.starts_with("usb")) continue;
    const UsbFacts device = readDevice(folder);
    const auto interfaces = readInterfaces(folder);
    const AdapterCard* card = cardFor(cards, device.vendorId, device.productId, device.product);
    // A probe with both forms of CMSIS-DAP is used by the newer one.
    const InterfaceFacts *bulk = nullptr, *hid = nullptr;
    for (const InterfaceFacts& i : interfaces) {
      const bool named = i.name.find("CMSIS-DAP") != std::string::npos;
      if (named && i.usbClass == 0xFF && bulk == nullptr) bulk = &i;
      if ((named || device.product.find("CMSIS-DAP") != std::string::npos) && i.usbClass == 0x03 && hid == nullptr)
        hid = &i;
    }
    if (bulk != nullptr || hid != nullptr) {
      const InterfaceFacts& i = bulk != nullptr ? *bulk : *hid;
      ProbeEntry entry =
          entryFor(root.root, device, i, bulk != nullptr ? ProbeEntry::Kind::DapBulk : ProbeEntry::Kind::DapHid);
      judge(entry, i, root, holders);
      listing.probes.push_back(std::move(entry));
    } else if (card != nullptr) {
      for (const InterfaceFacts& i : interfaces) {
        if (i.number != card->channel - 'A') continue;
        ProbeEntry entry = entryFor(root.root, device, i, ProbeEntry::Kind::Mpsse);
        entry.card = *card;
        judge(entry, i, root, holders);
        listing.probes.push_back(std::move(entry));
      }
    }
  }
  // Two of a kind without a number of their own, or with the same one, are told apart by where they are plugged in.
  for (ProbeEntry& entry : listing.probes) {
    const auto same = std::count_if(listing.probes.begin(), listing.probes.end(),
                                    [&](const ProbeEntry& e) { return e.serial == entry.serial; });
    if (same > 1) entry.address = "usb:@" + entry.port;
  }
  return listing;
}

void measure(ProbeEntry& entry, const ProbeListing& listing, const std::function<ProbeReply(const ProbeEntry&)>& ask) {
  if (entry.state != ProbeState::Ready) return;
  std::vector<microseconds> times;
  try {
    ProbeReply reply = ask(entry);
    times = std::move(reply.times);
    entry.speaks = std::move(reply.speaks);
  } catch (const Error& e) {
    entry.state = ProbeState::UnknownFirmware;
    entry.what = fmt::format("does not answer as it should: {}", e.what());
    entry.remedy = e.remedy().empty() ? "See whether its maker has newer firmware." : e.remedy();
    return;
  }
  if (times.empty()) return;
  std::nth_element(times.begin(), times.begin() + static_cast<std::ptrdiff_t>(times.size() / 2), times.end());
  entry.roundTrip = times[times.size() / 2];
  if (*entry.roundTrip < kSlow) return;
  entry.state = ProbeState::SlowLink;
  entry.what =
      fmt::format("slow link: {:.1f} ms from question to answer", static_cast<double>(entry.roundTrip->count()) / 1000);
  entry.remedy = listing.virtualMachine.empty()
                     ? "Plug it straight into the computer, without a hub; it works, but slowly."
                     : fmt::format("The likely cause is that this is a virtual machine ({}); it works, but slowly.",
                                   listing.virtualMachine);
}

}  // namespace imprimo::probe
