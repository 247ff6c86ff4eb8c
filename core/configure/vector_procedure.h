// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>

#include "core/configure/procedure.h"

namespace imprimo::configure {

/// Whether a file's name says that it is one of vectors: ".svf", in any case.
bool isVectorFile(const std::filesystem::path& path);

/// A file of vectors that does all of something. Reads it through beforehand: throws BadFile for what cannot be read,
/// Refused for one that needs pins or clocks beside the TAP.
class VectorStage {
 public:
  VectorStage(std::filesystem::path path, std::uint32_t clockHz);

  std::string name() const { return path_.filename().string(); }
  std::uint64_t clocks() const { return clocks_; }
  double seconds() const { return seconds_; }
  /// Plays it; `progress` counts clocks. The port's clock is never faster than the file says, and afterwards as before.
  StageResult play(jtag::Chain& chain, Progress& progress) const;

 private:
  std::filesystem::path path_;
  std::uint64_t clocks_ = 0;
  double seconds_ = 0;
};

/// One stage that plays a file.
std::unique_ptr<Procedure> vectorProcedure(std::filesystem::path path, std::uint32_t clockHz);

}  // namespace imprimo::configure
