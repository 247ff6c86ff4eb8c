// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>

namespace imprimo::console {

/// How bytes come on a serial port.
struct SerialSettings {
  enum class Parity : std::uint8_t { None, Even, Odd };
  std::uint32_t baud = 0;  ///< 0: found by what comes
  unsigned bits = 8;
  Parity parity = Parity::None;
  unsigned stop = 1;
  enum class Ending : std::uint8_t { Lf, Cr, CrLf } ending = Ending::Lf;  ///< of lines that are sent
  friend bool operator==(const SerialSettings&, const SerialSettings&) = default;
};

/// Nothing where there is no such word: "none", "even", "odd".
std::optional<SerialSettings::Parity> parityOf(const std::string& word);
/// Nothing where there is no such word: "lf", "cr", "crlf".
std::optional<SerialSettings::Ending> endingOf(const std::string& word);
const char* endingText(SerialSettings::Ending ending);
/// "115200 8N1"; "8N1" where the rate is to be found.
std::string serialText(const SerialSettings& settings);

}  // namespace imprimo::console
