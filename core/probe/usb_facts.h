// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace imprimo::probe {

/// One USB device of sysfs.
struct UsbFacts {
  std::filesystem::path folder;
  std::string port, vendor, product, serial;
  std::uint16_t vendorId = 0, productId = 0;
  int bus = 0, device = 0;
  /// "/dev/bus/usb/001/004"
  std::string node() const;
};

/// One interface of it.
struct InterfaceFacts {
  std::filesystem::path folder;
  int number = 0, usbClass = 0;
  std::string name, driver;
};

UsbFacts readDevice(const std::filesystem::path& folder);
std::vector<InterfaceFacts> readInterfaces(const std::filesystem::path& device);

/// A file's first line, without what does not print; empty where there is none.
std::string firstLine(const std::filesystem::path& file);
/// Of text that begins with digits; 0 for any other.
int numberIn(const std::string& text, int base);
/// What a folder has, sorted; empty where it cannot be read.
std::vector<std::filesystem::path> entriesOf(const std::filesystem::path& folder);

}  // namespace imprimo::probe
