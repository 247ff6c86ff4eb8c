// SPDX-License-Identifier: GPL-3.0-or-later
//
// The description of a pack: each of its devices is read, and its sequences are put into words.
#include <cstdint>

#include "core/base/error.h"
#include "core/packs/pack_description.h"
#include "core/packs/sequence_run.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace imprimo;
  constexpr std::size_t kMostDevices = 16;
  try {
    const packs::PackDescription description({data, size}, "a.pdsc");
    std::size_t read = 0;
    for (const packs::ListedDevice& listed : description.devices()) {
      if (++read > kMostDevices) break;
      try {
        const packs::PackDevice device = description.device(listed.name);
        for (const packs::PackMemory& memory : device.memories)
          if (memory.range.empty() || memory.name.empty()) __builtin_trap();
        for (const packs::PackSequence& sequence : device.sequences) packs::sequenceWords(sequence, "a.pdsc");
      } catch (const Error&) {
        // One of them may be wrong.
      }
    }
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
