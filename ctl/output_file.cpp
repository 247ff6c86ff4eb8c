// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/output_file.h"

#include <fmt/format.h>

#include <filesystem>
#include <vector>

#include "core/base/error.h"
#include "core/image/placement.h"

namespace imprimo::ctl {
namespace fs = std::filesystem;

namespace {

/// Every file that the options name as an input, without the sheet's own.
std::vector<fs::path> pathsOf(const CommonOptions& options, const Inputs& inputs) {
  std::vector<fs::path> files;
  const auto add = [&](const std::string& file) {
    if (!file.empty()) files.emplace_back(file);
  };
  const auto addPiece = [&](const std::string& text) {
    if (text.empty()) return;
    const Placement placement = parsePiece(text);
    add(placement.file);
    add(placement.wrapper);
  };
  add(options.adapter);
  if (options.tokenFile != "-") add(options.tokenFile);
  for (const std::string& file : inputs.files) add(file);
  for (const std::string& piece : inputs.pieces) addPiece(piece);
  return files;
}

}  // namespace

void requireNoInput(const std::string& output, const CommonOptions& options, const Inputs& named,
                    const sheet::Sheet* sheet) {
  if (output.empty()) return;
  std::vector<fs::path> inputs = pathsOf(options, named);
  if (sheet != nullptr) {
    for (fs::path& file : sheet::inputFiles(*sheet)) inputs.push_back(std::move(file));
  }
  for (const fs::path& input : inputs) {
    std::error_code none;
    if (!fs::is_regular_file(input, none) || !fs::equivalent(input, output, none)) continue;
    throw Error(ErrorKind::Usage, fmt::format("{} is read by this command, and would be written over", input.string()),
                "Give the output another name.");
  }
}

}  // namespace imprimo::ctl
