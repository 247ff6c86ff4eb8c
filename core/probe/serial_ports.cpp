// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/serial_ports.h"

#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>

#include "core/probe/holders.h"
#include "core/probe/usb_facts.h"

namespace imprimo::probe {

namespace fs = std::filesystem;

namespace {

struct Place {
  fs::path device, interface;  // of USB; empty for a port that is not on it
};

/// Up from where the port's driver has it.
Place placeOf(fs::path folder) {
  Place place;
  constexpr int kMostLevels = 4;
  std::error_code failure;
  for (int i = 0; i < kMostLevels && folder.has_relative_path(); ++i, folder = folder.parent_path()) {
    if (folder.filename().string().find(':') != std::string::npos) place.interface = folder;
    if (!fs::exists(folder / "idVendor", failure)) continue;
    place.device = folder;
    return place;
  }
  return {};
}

std::string driverOf(const fs::path& folder) {
  std::error_code failure;
  return fs::read_symlink(folder / "driver", failure).filename().string();
}

/// When its device file was made, as far as that shows; nanoseconds.
std::int64_t madeAt(const fs::path& node) {
  struct stat facts {};
  if (::stat(node.c_str(), &facts) != 0) return 0;
  return facts.st_ctim.tv_sec * 1'000'000'000LL + facts.st_ctim.tv_nsec;
}

/// Made by the kernel for lines that the computer need not have.
bool isNoPort(const fs::path& folder) {
  const std::string driver = driverOf(folder / "device");
  return driver.empty() || driver == "serial8250" || driver == "port";
}

}  // namespace

std::string SerialPort::words() const {
  if (on == On::Computer) return "this computer";
  std::string name = vendor;
  if (!product.empty()) name += (name.empty() ? "" : " ") + product;
  if (!serial.empty()) name += fmt::format(" ({})", serial);
  const char* what = on == On::ThisProbe ? "this probe"
                     : on == On::Probe   ? "another probe"
                     : on == On::Board   ? "a board"
                                         : "an adapter";
  return name.empty() ? what : fmt::format("{}, {}", what, name);
}

std::vector<SerialPort> listSerialPorts(const SystemRoot& root, const std::vector<AdapterCard>& cards,
                                        const std::string& probe) {
  const ProbeListing listing = listProbes(root, cards);
  const Holders holders(root, root.self != 0 ? root.self : ::getpid());
  std::vector<SerialPort> all;
  std::int64_t last = 0;
  std::size_t newest = 0;
  for (const fs::path& folder : entriesOf(root.root / "sys/class/tty")) {
    std::error_code failure;
    const fs::path device = fs::canonical(folder / "device", failure);
    if (failure) continue;
    SerialPort port;
    port.node = "/dev/" + folder.filename().string();
    const Place place = placeOf(device);
    if (place.device.empty()) {
      if (isNoPort(folder)) continue;
    } else {
      const UsbFacts facts = readDevice(place.device);
      port.vendor = facts.vendor;
      port.product = facts.product;
      port.serial = facts.serial;
      port.interface = numberIn(firstLine(place.interface / "bInterfaceNumber"), 16);
      const auto same = [&](const ProbeEntry& entry) { return entry.port == facts.port; };
      const auto found = std::find_if(listing.probes.begin(), listing.probes.end(), same);
      if (found != listing.probes.end()) {
        port.on = !probe.empty() && found->address == probe ? SerialPort::On::ThisProbe : SerialPort::On::Probe;
      } else {
        // What speaks the class of its own accord is no converter.
        port.on = driverOf(place.interface) == "cdc_acm" ? SerialPort::On::Board : SerialPort::On::Adapter;
      }
    }
    if (const auto* holder = holders.of(port.node)) {
      port.holderId = holder->first;
      port.holder = holder->second;
    }
    const std::int64_t made = madeAt(root.root / port.node.substr(1));
    if (port.on != SerialPort::On::Computer && made > last) {
      last = made;
      newest = all.size();
    }
    all.push_back(std::move(port));
  }
  if (last > 0) all[newest].newest = true;
  std::stable_sort(all.begin(), all.end(), [](const SerialPort& a, const SerialPort& b) { return a.on < b.on; });
  return all;
}

const SerialPort& likelyPort(const std::vector<SerialPort>& ports) {
  const auto hangs = [](const SerialPort& port) { return port.on != SerialPort::On::Computer; };
  const auto count = std::count_if(ports.begin(), ports.end(), hangs);
  if (count == 1 ||
      (count > 1 && ports.front().on == SerialPort::On::ThisProbe && (ports[1].on != SerialPort::On::ThisProbe)))
    return ports.front();
  if (count == 0)
    throw Error(ErrorKind::Refused, "there is no serial port on this computer's USB", "Plug it in, or name the port.");
  std::string names;
  for (const SerialPort& port : ports) {
    if (hangs(port)) names += fmt::format("{}{} on {}", names.empty() ? "" : ", ", port.node, port.words());
  }
  throw Error(ErrorKind::Refused, "there are several serial ports: " + names, "Name the one that is meant.");
}

}  // namespace imprimo::probe
