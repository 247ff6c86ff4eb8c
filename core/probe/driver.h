// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/probe/probe.h"
#include "core/probe/probe_address.h"
#include "core/probe/probe_list.h"
#include "core/probe/transport.h"
#include "core/probe/usb_facts.h"

namespace imprimo::probe {

/// One kind of probe: which USB devices and which address scheme are its, and how it is opened. It has a row in
/// drivers.cpp; nothing else names it.
class Driver {
 public:
  virtual ~Driver() = default;

  /// The scheme of addresses on the network that are its: "tcp" of "tcp:HOST:PORT".
  virtual const char* scheme() const = 0;
  /// Opens what is there. Throws NoProbe, LinkLost.
  virtual std::unique_ptr<Probe> open(const ProbeAddress& address, const ProbeOptions& options) const = 0;

  /// The probe that a USB device is, with the interface that it is used by; nothing where it is not of this kind.
  struct Claim {
    const InterfaceFacts* interface = nullptr;
    std::string kind;            ///< for people: "CMSIS-DAP 2"
    std::string node;            ///< the device file to open
    std::size_t reportSize = 0;  ///< bytes of a HID report; 0 where it is no HID device
    std::optional<AdapterCard> card;
  };
  virtual std::optional<Claim> claim(const UsbFacts& device, std::span<const InterfaceFacts> interfaces,
                                     const std::vector<AdapterCard>& cards,
                                     const std::filesystem::path& root) const = 0;
  /// Opens one that claim() found. `channel` goes before that of its card. Throws NoProbe, LinkLost.
  virtual std::unique_ptr<Probe> open(const ProbeEntry& entry, const ProbeOptions& options,
                                      std::optional<char> channel) const = 0;

  /// Packets of the probe as they are, for who shares it; null for a kind without packets.
  virtual std::unique_ptr<Transport> packets(const ProbeAddress&, const ProbeOptions&) const { return nullptr; }
  virtual std::unique_ptr<Transport> packets(const ProbeEntry&) const { return nullptr; }
};

/// All of them; where two claim a USB device, the first has it.
std::span<const Driver* const> drivers();

}  // namespace imprimo::probe
