// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/packs/chip_text.h"

#include <fmt/format.h>

#include "core/base/number.h"
#include "core/packs/sequence_run.h"

namespace imprimo::packs {

std::string chipText(const Chip& chip, const std::filesystem::path& pack) {
  const PackDevice& device = chip.device;
  std::string text = fmt::format("{} of {}, {}\n", device.name, device.vendor, pack.filename().string());
  for (const PackProcessor& processor : device.processors)
    text += fmt::format("processor: {}{}\n", processor.core, processor.name.empty() ? "" : " (" + processor.name + ")");
  for (const debug::CoreRegion& region : chip.card.regions) {
    text += fmt::format("{:<6} {:<12} {}{}\n", region.flash ? "flash" : "RAM", region.name, rangeText(region.range),
                        region.flash ? "  " + region.algorithm : "");
  }
  for (const PackSequence& sequence : device.sequences) {
    if (sequence.disabled) continue;
    text += "sequence " + sequence.name + ":\n";
    for (const std::string& line : sequenceWords(sequence, pack.string())) text += "    " + line + "\n";
  }
  return text;
}

}  // namespace imprimo::packs
