// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/console/serial_settings.h"

#include <fmt/format.h>

namespace imprimo::console {

using Parity = SerialSettings::Parity;

std::optional<Parity> parityOf(const std::string& word) {
  if (word == "none") return Parity::None;
  if (word == "even") return Parity::Even;
  if (word == "odd") return Parity::Odd;
  return std::nullopt;
}

std::optional<SerialSettings::Ending> endingOf(const std::string& word) {
  if (word == "lf") return SerialSettings::Ending::Lf;
  if (word == "cr") return SerialSettings::Ending::Cr;
  if (word == "crlf") return SerialSettings::Ending::CrLf;
  return std::nullopt;
}

const char* endingText(SerialSettings::Ending ending) {
  return ending == SerialSettings::Ending::Lf ? "\n" : ending == SerialSettings::Ending::Cr ? "\r" : "\r\n";
}

std::string serialText(const SerialSettings& settings) {
  const char parity = settings.parity == Parity::None ? 'N' : settings.parity == Parity::Even ? 'E' : 'O';
  const std::string frame = fmt::format("{}{}{}", settings.bits, parity, settings.stop);
  return settings.baud == 0 ? frame : fmt::format("{} {}", settings.baud, frame);
}

}  // namespace imprimo::console
