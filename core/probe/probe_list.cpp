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
#include "core/probe/driver.h"
#include "core/probe/holders.h"

namespace imprimo::probe {
namespace {

namespace fs = std::filesystem;
using std::chrono::microseconds;

/// Beyond this a page written and confirmed in a few packets is noticeably slow.
constexpr microseconds kSlow{4000};

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
    entry.remedy =
        entry.node.empty() ? "Unplug it and plug it in again." : "Install the udev rule, then plug it in again.";
    if (!entry.node.empty()) entry.help = Help::InstallRule;
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
    entry.remedy = fmt::format("Release it. {}comes back when it is plugged in again.",
                               tty.empty() ? "The serial port " : tty + " ");
    entry.help = Help::ReleaseProbe;
  } else {
    entry.what = "ready";
  }
}

ProbeEntry entryFor(const UsbFacts& d, const Driver& driver, const Driver::Claim& claim) {
  ProbeEntry entry;
  entry.by = &driver;
  entry.kind = claim.kind;
  entry.vendor = d.vendor;
  entry.product = d.product;
  entry.serial = d.serial;
  entry.port = d.port;
  entry.bus = d.bus;
  entry.device = d.device;
  entry.interface = claim.interface->number;
  entry.vendorId = d.vendorId;
  entry.productId = d.productId;
  entry.address = "usb:" + (d.serial.empty() ? "@" + d.port : d.serial);
  entry.node = claim.node;
  entry.reportSize = claim.reportSize;
  if (claim.card) entry.card = *claim.card;
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
  if (firstLine(root.root / "proc/cpuinfo").empty() == false) {
    std::ifstream cpu(root.root / "proc/cpuinfo");
    for (std::string text; std::getline(cpu, text);) {
      if (!text.starts_with("flags") || text.find(" hypervisor") == std::string::npos) continue;
      listing.virtualMachine = firstLine(root.root / "sys/class/dmi/id/product_name");
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
    for (const Driver* driver : drivers()) {
      const auto claim = driver->claim(device, interfaces, cards, root.root);
      if (!claim) continue;
      ProbeEntry entry = entryFor(device, *driver, *claim);
      judge(entry, *claim->interface, root, holders);
      listing.probes.push_back(std::move(entry));
      break;
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
  entry.what = fmt::format("slow link: {:.1f} ms round trip", static_cast<double>(entry.roundTrip->count()) / 1000);
  entry.remedy = listing.virtualMachine.empty()
                     ? "Plug it straight into the computer, without a hub; it works, but slowly."
                     : fmt::format("The likely cause is that this is a virtual machine ({}); it works, but slowly.",
                                   listing.virtualMachine);
}

}  // namespace imprimo::probe
