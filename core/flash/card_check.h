// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/flash/spi_nor_identity.h"

namespace imprimo::flash {

/// One value of a card held against the part.
struct CardCheck {
  enum Verdict { Agrees, Contradicts, NotTold } verdict = NotTold;
  std::string key;    ///< "id", "size", "page", "erase 4 KiB" …
  std::string words;  ///< "the part answers 0x7e4017"
};

/// Holds every value against what the part says of itself; in the card's order. `sizeWraps`: whether reads at 0 and at
/// the card's size were the same, nothing when that was not tried or tells nothing.
std::vector<CardCheck> checkCard(const PartCard& card, const FlashEvidence& part, std::optional<bool> sizeWraps = {});

/// The first thing in which a card contradicts the part's own table, so that obeying it would change other addresses
/// than those that were asked for: size, page, or what an erase command does. Empty where there is none.
std::string contradiction(const std::string& memory, const PartCard& card, const Sfdp& table);

/// A card that says what the part says of itself; without a table only its ID, the rest is common and has to be
/// corrected.
PartCard cardFromDevice(const std::string& name, const FlashEvidence& part);

/// A card that says all that is known of a part that was identified.
PartCard cardOf(const std::string& name, const FlashIdentity& part);

}  // namespace imprimo::flash
