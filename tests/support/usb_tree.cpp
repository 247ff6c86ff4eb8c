// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/usb_tree.h"

#include <fmt/format.h>

#include <filesystem>
#include <fstream>

namespace imprimo::test {
namespace fs = std::filesystem;

UsbTree::UsbTree() {
  write("proc/cpuinfo", "processor : 0\nflags : fpu sse\n");
  fs::create_directories(fs::path(folder_.path().toStdString()) / "sys/bus/usb/devices/usb1");
}

void UsbTree::write(const std::string& file, const std::string& text) {
  const fs::path path = fs::path(folder_.path().toStdString()) / file;
  fs::create_directories(path.parent_path());
  std::ofstream(path) << text;
}

void UsbTree::link(const std::string& file, const std::string& target) {
  const fs::path path = fs::path(folder_.path().toStdString()) / file;
  fs::create_directories(path.parent_path());
  fs::create_symlink(target, path);
}

std::string UsbTree::nodeOf(const std::string& port) const {
  return fmt::format("/dev/bus/usb/001/{:03}", 10 + std::stoi(port.substr(port.find_last_of("-.") + 1)));
}

void UsbTree::addDevice(const std::string& port, const std::string& vendor, const std::string& product,
                        const std::string& name, const std::string& serial) {
  const std::string base = "sys/bus/usb/devices/" + port + "/";
  write(base + "idVendor", vendor + "\n");
  write(base + "idProduct", product + "\n");
  write(base + "manufacturer", "Made up\n");
  write(base + "product", name + "\n");
  if (!serial.empty()) write(base + "serial", serial + "\n");
  write(base + "busnum", "1\n");
  write(base + "devnum", std::to_string(std::stoi(nodeOf(port).substr(17))) + "\n");
  write(nodeOf(port).substr(1), "");
}

void UsbTree::addDap(const std::string& port, const std::string& serial, const std::string& product, bool hid,
                     unsigned reportSize) {
  addDevice(port, "1209", "0001", product, serial);
  const std::string base = "sys/bus/usb/devices/" + port + "/" + port + ":1.0/";
  write(base + "bInterfaceNumber", "00\n");
  write(base + "bInterfaceClass", hid ? "03\n" : "ff\n");
  write(base + "interface", "CMSIS-DAP\n");
  if (!hid) return;
  link(base + "driver", "../../../bus/usb/drivers/usbhid");
  write(base + "0003:1209:0001.0001/hidraw/hidraw3/dev", "");
  write("dev/hidraw3", "");
  // Vendor page, one collection with an input and an output report of bytes, and a feature report of one byte.
  const auto low = static_cast<char>(reportSize & 0xFF), high = static_cast<char>(reportSize >> 8);
  const char descriptor[] = {0x06, 0x00, '\xFF', 0x09, 0x01,   '\xA1', 0x01, 0x15,   0x00,   0x26,   '\xFF', 0x00,
                             0x75, 0x08, '\x96', low,  high,   0x09,   0x01, '\x81', 0x02,   '\x96', low,    high,
                             0x09, 0x01, '\x91', 0x02, '\x95', 0x01,   0x09, 0x01,   '\xB1', 0x02,   '\xC0'};
  write(base + "0003:1209:0001.0001/report_descriptor", std::string(descriptor, sizeof descriptor));
}

void UsbTree::addEngine(const std::string& port, const std::string& serial, const std::string& product,
                        const std::string& driver, const std::string& productId) {
  addDevice(port, "0403", productId, product, serial);
  for (int i = 0; i < 2; ++i) {
    const std::string base = fmt::format("sys/bus/usb/devices/{}/{}:1.{}/", port, port, i);
    write(base + "bInterfaceNumber", fmt::format("{:02}\n", i));
    write(base + "bInterfaceClass", "ff\n");
    if (driver.empty() || i != 0) continue;
    link(base + "driver", "../../../bus/usb/drivers/" + driver);
    write(base + "ttyUSB0/port_number", "0\n");
  }
}

void UsbTree::addOther(const std::string& port) {
  addDevice(port, "1d6b", "0104", "Keyboard", "");
  write("sys/bus/usb/devices/" + port + "/" + port + ":1.0/bInterfaceClass", "03\n");
}

void UsbTree::addPlain(const std::string& port, const std::string& serial, const std::string& product) {
  addDevice(port, "1209", "0002", product, serial);
}

void UsbTree::addSerial(const std::string& port, int interface, const std::string& name, const std::string& driver) {
  std::string at = fmt::format("sys/bus/usb/devices/{}/{}:1.{}/", port, port, interface);
  write(at + "bInterfaceNumber", fmt::format("{:02}\n", interface));
  link(at + "driver", "../../../bus/usb/drivers/" + driver);
  if (name.starts_with("ttyUSB")) {
    at += name + "/";
    write(at + "port_number", "0\n");
  }
  link("sys/class/tty/" + name + "/device", folder_.filePath(QString::fromStdString(at)).toStdString());
  write("dev/" + name, "");
}

void UsbTree::addLine(const std::string& name, const std::string& driver) {
  const std::string at = "sys/devices/platform/" + name;
  link(at + "/driver", "../../../bus/platform/drivers/" + driver);
  link("sys/class/tty/" + name + "/device", folder_.filePath(QString::fromStdString(at)).toStdString());
  write("dev/" + name, "");
}

void UsbTree::hold(const std::string& port, int process, const std::string& name, const std::string& node) {
  write(fmt::format("proc/{}/comm", process), name + "\n");
  link(fmt::format("proc/{}/fd/7", process), node.empty() ? nodeOf(port) : node);
}

void UsbTree::lock(const std::string& port) {
  locked_.insert(nodeOf(port));
}

void UsbTree::makeVirtual(const std::string& machine) {
  write("proc/cpuinfo", "processor : 0\nflags : fpu sse hypervisor\n");
  if (!machine.empty()) write("sys/class/dmi/id/product_name", machine + "\n");
}

void UsbTree::removeUsb() {
  fs::remove_all(fs::path(folder_.path().toStdString()) / "sys/bus/usb");
}

probe::SystemRoot UsbTree::root() const {
  probe::SystemRoot root;
  root.root = folder_.path().toStdString();
  root.self = 99999;
  root.mayUse = [locked = locked_, base = folder_.path().toStdString()](const fs::path& path) {
    return fs::exists(path) && !locked.contains(path.string().substr(base.size()));
  };
  root.ask = [](const probe::ProbeEntry&) {
    return probe::ProbeReply{std::vector<std::chrono::microseconds>(5, std::chrono::microseconds(300)), "JTAG, SWD"};
  };
  return root;
}

}  // namespace imprimo::test
