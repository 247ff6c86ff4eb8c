// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/probe_address.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/probe/driver.h"

namespace imprimo::probe {

std::string ProbeAddress::text() const {
  if (onUsb()) return fmt::format("usb:{}{}", usb, channel ? fmt::format("/{}", *channel) : "");
  return fmt::format("{}:{}", scheme, place.text());
}

ProbeAddress parseProbeAddress(const std::string& text) {
  const auto bad = [&] {
    return Error(ErrorKind::Usage, fmt::format("'{}' is no probe address", text),
                 "Write tcp:HOST:PORT, for example tcp:localhost:4711 or tcp:[::1]:4711; mpsse-tcp:HOST:PORT; or "
                 "usb:SERIAL as the list of probes has it.")
        .setHelp(Help::ListProbes);
  };
  ProbeAddress address;
  const auto colon = text.find(':');
  if (colon == std::string::npos) throw bad();
  address.scheme = text.substr(0, colon);
  if (address.onUsb()) {
    address.usb = text.substr(colon + 1);
    const auto slash = address.usb.rfind('/');
    if (slash != std::string::npos && slash + 2 == address.usb.size()) {
      address.channel = address.usb[slash + 1];
      if (*address.channel < 'A' || *address.channel > 'D') throw bad();
      address.usb.resize(slash);
    }
    if (address.usb.empty() || address.usb == "@") throw bad();
    return address;
  }
  const auto known = drivers();
  if (std::none_of(known.begin(), known.end(), [&](const Driver* d) { return address.scheme == d->scheme(); }))
    throw bad();
  const auto place = parseHostPort(std::string_view(text).substr(colon + 1));
  if (!place) throw bad();
  address.place = *place;
  return address;
}

}  // namespace imprimo::probe
