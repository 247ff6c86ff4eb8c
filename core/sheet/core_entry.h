// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/base/input_file.h"
#include "core/sheet/core_speech.h"

namespace imprimo::sheet {

/// What a configuration word should hold, or one of its fields.
struct WordWish {
  std::string word;
  std::optional<std::string> field{};
  std::uint32_t value = 0;
  bool permanent = false;  ///< also where that locks the chip permanently
  friend bool operator==(const WordWish&, const WordWish&) = default;
};

/// A processor core that a sheet names (docs/formats/job-sheet.md, cores).
struct CoreEntry {
  enum class Port { Swd, Jtag };
  enum class Connect { Normal, UnderReset, Running };

  std::string name;
  Port port = Port::Swd;
  std::size_t position = 0;             ///< of the device on the chain that is its debug port; 0 with SWD
  std::optional<std::uint32_t> target;  ///< TARGETSEL, where several ports share the wires of SWD
  std::string card;                     ///< a core card's file, relative to the sheet; empty where a chip does
  ReferredFrom cardFrom;                ///< card, or chip
  /// A device of a pack: the pack's file, relative to the sheet or in the user's library, and the name it has there.
  struct Chip {
    std::string pack, name;
  };
  std::optional<Chip> chip;
  std::optional<std::uint32_t> accessPort;  ///< a number, or above 0xFF an address (ADIv6); the pack's, or 0
  Connect connect = Connect::Normal;
  /// Another core of the sheet starts this one, by a word that is written to that one's bus.
  struct StartedBy {
    std::string core;
    std::uint32_t at = 0, value = 0;
  };
  std::optional<StartedBy> startedBy;
  std::vector<WordWish> words;  ///< written after its memories
  bool lock = false;            ///< closed at the end of a run
  CoreSpeech console;
};

}  // namespace imprimo::sheet
