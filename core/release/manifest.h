// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace imprimo::release {

/// How a line works with a release.
struct LineRules {
  bool startsByItself = true;          ///< as soon as a target appears; otherwise at a key
  bool signOn = false;                 ///< operators say who they are first
  std::optional<std::uint64_t> units;  ///< no more good ones than these; nothing: no end
  std::string afterGood, afterFailed;  ///< what the operator does then, in a sentence
  friend bool operator==(const LineRules&, const LineRules&) = default;
};

/// What a release is (docs/formats/release.md).
struct Manifest {
  struct Part {
    std::string name;  ///< with '/', from where the sheet is
    std::uint64_t bytes = 0;
    std::string sha256;  ///< 64 small digits
    friend bool operator==(const Part&, const Part&) = default;
  };
  std::uint64_t number = 0;
  std::string title, made, software;  ///< `made`: UTC, ISO 8601
  std::string sheet;                  ///< the part that is the sheet
  LineRules line;
  std::vector<Part> parts;
};

/// The text that is signed; the same for the same manifest.
std::string manifestText(const Manifest& manifest);
/// Throws BadFile with line and path, also for names that lead out of a folder.
Manifest parseManifest(std::string_view text, const std::string& fileName);

}  // namespace imprimo::release
