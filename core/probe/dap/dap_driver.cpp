// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/dap/dap_driver.h"

#include <fstream>

#include "core/probe/dap/dap_probe.h"
#include "core/probe/dap/hid_report.h"
#include "core/probe/packet_pipe.h"
#include "core/probe/tcp_transport.h"

namespace imprimo::probe {

namespace fs = std::filesystem;

namespace {

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

}  // namespace

std::unique_ptr<Transport> DapDriver::packets(const ProbeAddress& address, const ProbeOptions& options) const {
  return std::make_unique<TcpTransport>(address.place, address.text(), options.connectLimit, options.stop);
}

std::unique_ptr<Transport> DapDriver::packets(const ProbeEntry& entry) const {
  auto pipe = entry.reportSize == 0 ? openBulkPipe(entry.bus, entry.device, entry.interface, entry.address)
                                    : openHidPipe(entry.node, entry.reportSize, entry.address);
  return std::make_unique<PipeTransport>(std::move(pipe));
}

std::unique_ptr<Probe> DapDriver::open(const ProbeAddress& address, const ProbeOptions& options) const {
  return std::make_unique<DapProbe>(packets(address, options), options);
}

std::unique_ptr<Probe> DapDriver::open(const ProbeEntry& entry, const ProbeOptions& options,
                                       std::optional<char>) const {
  return std::make_unique<DapProbe>(packets(entry), options);
}

std::optional<Driver::Claim> DapDriver::claim(const UsbFacts& device, std::span<const InterfaceFacts> interfaces,
                                              const std::vector<AdapterCard>&, const fs::path& root) const {
  // A probe with both forms of CMSIS-DAP is used by the newer one.
  const InterfaceFacts *bulk = nullptr, *hid = nullptr;
  for (const InterfaceFacts& i : interfaces) {
    const bool named = i.name.find("CMSIS-DAP") != std::string::npos;
    if (named && i.usbClass == 0xFF && bulk == nullptr) bulk = &i;
    if ((named || device.product.find("CMSIS-DAP") != std::string::npos) && i.usbClass == 0x03 && hid == nullptr)
      hid = &i;
  }
  if (bulk != nullptr) return Claim{bulk, "CMSIS-DAP 2", device.node(), 0, {}};
  if (hid == nullptr) return std::nullopt;
  const std::string node = hidNode(hid->folder);
  return Claim{hid, "CMSIS-DAP 1", node, hidReportSize(root, hid->folder, node), {}};
}

}  // namespace imprimo::probe
