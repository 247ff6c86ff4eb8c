// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/probe_address.h"

#include <fmt/format.h>

#include "core/base/error.h"

namespace imprimo::probe {

std::string ProbeAddress::text() const {
  if (via == Via::Usb) return fmt::format("usb:{}{}", usb, channel ? fmt::format("/{}", *channel) : "");
  return fmt::format("{}:{}", via == Via::Tcp ? "tcp" : "mpsse-tcp", place.text());
}

ProbeAddress parseProbeAddress(const std::string& text) {
  const auto bad = [&] {
    return Error(ErrorKind::Usage, fmt::format("'{}' is no probe address", text),
                 "Write tcp:HOST:PORT, for example tcp:localhost:4711 or tcp:[::1]:4711; mpsse-tcp:HOST:PORT; or "
                 "usb:SERIAL as 'imprimoctl probes' lists it.");
  };
  ProbeAddress address;
  const auto colon = text.find(':');
  const std::string via = text.substr(0, colon);
  if (colon == std::string::npos) throw bad();
  if (via == "usb") {
    address.via = ProbeAddress::Via::Usb;
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
  if (via != "tcp" && via != "mpsse-tcp") throw bad();
  address.via = via == "tcp" ? ProbeAddress::Via::Tcp : ProbeAddress::Via::MpsseTcp;
  const auto place = parseHostPort(std::string_view(text).substr(colon + 1));
  if (!place) throw bad();
  address.place = *place;
  return address;
}

}  // namespace imprimo::probe
