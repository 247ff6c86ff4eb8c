// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/probe/driver.h"

namespace imprimo::probe {

/// Adapters whose chip shifts bits by itself, known by their cards.
class MpsseDriver : public Driver {
 public:
  const char* scheme() const override { return "mpsse-tcp"; }
  std::unique_ptr<Probe> open(const ProbeAddress& address, const ProbeOptions& options) const override;
  std::optional<Claim> claim(const UsbFacts& device, std::span<const InterfaceFacts> interfaces,
                             const std::vector<AdapterCard>& cards, const std::filesystem::path& root) const override;
  std::unique_ptr<Probe> open(const ProbeEntry& entry, const ProbeOptions& options,
                              std::optional<char> channel) const override;
};

}  // namespace imprimo::probe
