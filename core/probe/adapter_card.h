// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace imprimo::probe {

/// How an adapter's board wires a serial engine to the target (docs/formats/adapter-card.md). Pins 0 to 7 are the
/// engine's low byte (D0 to D7), 8 to 15 the high one (C0 to C7); D0 to D3 are TCK, TDI, TDO and TMS.
struct AdapterCard {
  struct Pin {
    int number = 0;
    bool level = false;
  };
  struct Usb {
    std::uint16_t vendor = 0, product = 0;
    std::string text;  ///< has to stand in the product's name; empty: any
  };
  std::string name = "generic";
  std::vector<Usb> usb;
  char channel = 'A';
  std::vector<Pin> drive;      ///< levels that stand as long as the adapter is used: buffer enables
  std::optional<Pin> reset;    ///< level that pulls the target's nRESET
  bool resetOpenDrain = true;  ///< let go by turning the pin into an input
  /// SWDIO is TDI through a resistor, which the target outdoes, and is read as TDO; with `enable` a buffer drives it
  /// only while that pin has this level.
  struct Swd {
    std::optional<Pin> enable;
  };
  std::optional<Swd> swd;
  std::optional<Pin> sense;  ///< level that says the target has power
  std::uint32_t highestClock = 30'000'000;
  std::filesystem::path file;  ///< empty for the one that is built in
};

/// Throws BadFile with the key's path and line.
AdapterCard parseAdapterCard(std::string_view text, const std::string& name);
AdapterCard readAdapterCard(const std::filesystem::path& file);

/// Fits every adapter whose engine is wired to the four JTAG pins and needs nothing else.
AdapterCard genericAdapter();

/// The cards in folders (*.json that are adapter cards; others are passed over), then the generic one.
std::vector<AdapterCard> adapterCards(const std::vector<std::filesystem::path>& folders);

/// The first card that fits; null when none does.
const AdapterCard* cardFor(const std::vector<AdapterCard>& cards, std::uint16_t vendor, std::uint16_t product,
                           const std::string& productName);

}  // namespace imprimo::probe
