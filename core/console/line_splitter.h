// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/base/bytes.h"

namespace imprimo::console {

/// Makes lines of what one channel says: they end with LF, CR LF, or CR; one that does not end is cut into pieces.
class LineSplitter {
 public:
  static constexpr std::size_t kLongest = 1024;
  struct Line {
    std::string text;
    bool ended = true;  ///< false for a piece of a longer one
  };

  std::vector<Line> add(ByteSpan bytes);
  /// What has come of the line that is not at its end.
  const std::string& open() const { return open_; }

 private:
  std::string open_;
  bool afterReturn_ = false;
};

}  // namespace imprimo::console
