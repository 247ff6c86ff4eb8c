// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>

#include "core/base/input_file.h"

namespace imprimo::sheet {

/// A processor core that a sheet names, reached by Serial Wire Debug (docs/formats/job-sheet.md, cores).
struct CoreEntry {
  enum class Connect { Normal, UnderReset };

  std::string name;
  std::string card;  ///< a core card's file, relative to the sheet
  ReferredFrom cardFrom;
  std::uint8_t accessPort = 0;
  Connect connect = Connect::Normal;
};

}  // namespace imprimo::sheet
