// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/console/itm_ports.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>

namespace imprimo::console {
namespace {

using As = ItmPort::As;

std::int32_t signedValue(const ItmStream::Written& write) {
  if (write.bytes == 1) return static_cast<std::int8_t>(write.value);
  if (write.bytes == 2) return static_cast<std::int16_t>(write.value);
  return static_cast<std::int32_t>(write.value);
}

std::string numberText(const ItmStream::Written& write, As as) {
  if (as == As::Signed) return fmt::format("{}", signedValue(write));
  if (as == As::Hex) return fmt::format("0x{:0{}x}", write.value, 2 * write.bytes);
  if (as == As::Float && write.bytes == 4) return fmt::format("{}", std::bit_cast<float>(write.value));
  return fmt::format("{}", write.value);
}

/// Text in words ends with zeros where it does not fill them.
void addText(const ItmStream::Written& write, Bytes& out) {
  unsigned count = write.bytes;
  while (count > 1 && (write.value >> (8 * (count - 1)) & 0xFF) == 0) --count;
  for (unsigned i = 0; i < count; ++i) out.push_back(static_cast<std::uint8_t>(write.value >> (8 * i)));
}

}  // namespace

std::optional<As> itmPortAs(const std::string& word) {
  const std::map<std::string, As> words{
      {"text", As::Text}, {"unsigned", As::Unsigned}, {"signed", As::Signed}, {"hex", As::Hex}, {"float", As::Float}};
  const auto found = words.find(word);
  return found == words.end() ? std::nullopt : std::optional(found->second);
}

std::vector<Heard> itmHeard(const std::vector<ItmStream::Written>& writes, const ItmPorts& ports) {
  std::vector<Heard> all;
  for (const ItmStream::Written& write : writes) {
    const std::string channel = fmt::format("itm {}", write.port);
    const auto same = [&](const Heard& heard) { return heard.channel == channel; };
    auto heard = std::find_if(all.begin(), all.end(), same);
    if (heard == all.end()) heard = all.insert(all.end(), Heard{channel});
    const auto known = ports.find(write.port);
    const As as = known == ports.end() ? As::ByWidth : known->second.as;
    if (as == As::Text || (as == As::ByWidth && write.bytes == 1)) {
      addText(write, heard->bytes);
      continue;
    }
    const std::string name =
        known == ports.end() || known->second.name.empty() ? fmt::format("itm{}", write.port) : known->second.name;
    const std::string line = fmt::format("{}={}\n", name, numberText(write, as));
    heard->bytes.insert(heard->bytes.end(), line.begin(), line.end());
  }
  return all;
}

}  // namespace imprimo::console
