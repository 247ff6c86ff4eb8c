// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/usb_facts.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <fstream>

#include "core/base/visible_text.h"

namespace imprimo::probe {

namespace fs = std::filesystem;

std::string UsbFacts::node() const {
  return fmt::format("/dev/bus/usb/{:03}/{:03}", bus, device);
}

std::string firstLine(const fs::path& file) {
  std::ifstream stream(file);
  std::string text;
  std::getline(stream, text);
  while (!text.empty() && (text.back() == ' ' || text.back() == '\n' || text.back() == '\r')) text.pop_back();
  return visibleText(text);
}

int numberIn(const std::string& text, int base) {
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

UsbFacts readDevice(const fs::path& folder) {
  UsbFacts d;
  d.folder = folder;
  d.port = folder.filename().string();
  d.vendor = firstLine(folder / "manufacturer");
  d.product = firstLine(folder / "product");
  d.serial = firstLine(folder / "serial");
  d.vendorId = static_cast<std::uint16_t>(numberIn(firstLine(folder / "idVendor"), 16));
  d.productId = static_cast<std::uint16_t>(numberIn(firstLine(folder / "idProduct"), 16));
  d.bus = numberIn(firstLine(folder / "busnum"), 10);
  d.device = numberIn(firstLine(folder / "devnum"), 10);
  return d;
}

std::vector<InterfaceFacts> readInterfaces(const fs::path& device) {
  std::vector<InterfaceFacts> interfaces;
  for (const fs::path& folder : entriesOf(device)) {
    if (folder.filename().string().find(':') == std::string::npos) continue;
    InterfaceFacts i;
    i.folder = folder;
    i.number = numberIn(firstLine(folder / "bInterfaceNumber"), 16);
    i.usbClass = numberIn(firstLine(folder / "bInterfaceClass"), 16);
    i.name = firstLine(folder / "interface");
    std::error_code failure;
    const fs::path driver = fs::read_symlink(folder / "driver", failure);
    if (!failure) i.driver = driver.filename().string();
    interfaces.push_back(std::move(i));
  }
  return interfaces;
}

}  // namespace imprimo::probe
