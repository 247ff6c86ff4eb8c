// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/probe/probe_address.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/base/number.h"

namespace imprimo::probe {

std::string TcpAddress::text() const {
  return host.find(':') == std::string::npos ? fmt::format("tcp:{}:{}", host, port)
                                             : fmt::format("tcp:[{}]:{}", host, port);
}

TcpAddress parseProbeAddress(const std::string& text) {
  const auto bad = [&] {
    return Error(ErrorKind::Usage, fmt::format("'{}' is no probe address", text),
                 "Write tcp:HOST:PORT, for example tcp:localhost:4711 or tcp:[::1]:4711.");
  };
  if (!text.starts_with("tcp:")) throw bad();
  std::string host = text.substr(4);
  const auto colon = host.rfind(':');
  if (colon == std::string::npos) throw bad();
  const auto port = parseNumber(std::string_view(host).substr(colon + 1));
  host.resize(colon);
  if (host.size() > 2 && host.front() == '[' && host.back() == ']') {
    host = host.substr(1, host.size() - 2);
  } else if (host.find(':') != std::string::npos) {
    throw bad();
  }
  if (host.empty() || !port || *port == 0 || *port > 65535) throw bad();
  return {host, static_cast<std::uint16_t>(*port)};
}

}  // namespace imprimo::probe
