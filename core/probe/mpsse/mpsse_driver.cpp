// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/mpsse/mpsse_driver.h"

#include "core/probe/mpsse/ftdi_stream.h"
#include "core/probe/mpsse/mpsse_probe.h"
#include "core/probe/tcp_transport.h"

namespace imprimo::probe {

std::unique_ptr<Probe> MpsseDriver::open(const ProbeAddress& address, const ProbeOptions& options) const {
  return std::make_unique<MpsseProbe>(
      std::make_unique<TcpStream>(address.place, address.text(), options.connectLimit, options.stop),
      options.adapter.empty() ? genericAdapter() : readAdapterCard(options.adapter), options);
}

std::unique_ptr<Probe> MpsseDriver::open(const ProbeEntry& entry, const ProbeOptions& options,
                                         std::optional<char> channel) const {
  AdapterCard card = options.adapter.empty() ? entry.card : readAdapterCard(options.adapter);
  card.channel = channel.value_or(card.channel);
  auto probe =
      std::make_unique<MpsseProbe>(openFtdiStream(entry.bus, entry.device, card.channel,
                                                  answerRoomOf(entry.vendorId, entry.productId), entry.address),
                                   card, options);
  probe->setNames(entry.vendor, entry.product, entry.serial);
  return probe;
}

std::optional<Driver::Claim> MpsseDriver::claim(const UsbFacts& device, std::span<const InterfaceFacts> interfaces,
                                                const std::vector<AdapterCard>& cards,
                                                const std::filesystem::path&) const {
  const AdapterCard* card = cardFor(cards, device.vendorId, device.productId, device.product);
  if (card == nullptr) return std::nullopt;
  for (const InterfaceFacts& i : interfaces) {
    if (i.number == card->channel - 'A') return Claim{&i, "MPSSE, " + card->name, device.node(), 0, *card};
  }
  return std::nullopt;
}

}  // namespace imprimo::probe
