// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "core/debug/core_card.h"
#include "core/packs/pack_device.h"
#include "core/packs/pack_file.h"

namespace imprimo::packs {

/// What a device's description says, as a core card: memories that are written to are RAM, others are flash where an
/// algorithm covers them, the preferred one where there are several. `processor`: as processorOf() gives it.
/// Algorithms are read out of the pack when they are asked for.
debug::CoreCard chipCard(const std::shared_ptr<const PackFile>& pack, const PackDevice& device,
                         const std::string& processor);
/// The processor that is meant, as the pack writes it; the first where `wanted` is empty. Throws Usage for one that the
/// device does not have.
std::string processorOf(const PackDevice& device, const std::string& wanted);

/// A device of a pack, as it is asked for by name.
struct Chip {
  PackDevice device;
  std::string processor;  ///< which one is meant, as the pack writes it; empty where there is only one without a name
  debug::CoreCard card;
};

/// By the pack's file and the name "DEVICE" or "DEVICE:PROCESSOR"; what was read last is kept for as long as the file
/// does not change. Throws BadFile, Usage.
std::shared_ptr<const Chip> readChip(const std::filesystem::path& pack, const std::string& name);

/// Writes the card and its algorithms beside it, so that the pack is not needed any more. Throws BadFile, CannotWrite.
void writeCardWithAlgorithms(const debug::CoreCard& card, const PackFile& pack, const std::filesystem::path& path);

}  // namespace imprimo::packs
