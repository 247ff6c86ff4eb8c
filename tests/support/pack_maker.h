// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "core/base/bytes.h"

namespace imprimo::test {

struct PackedFile {
  std::string name;
  Bytes bytes;
  bool compressed = true;
};

/// A zip of these files.
void writeZip(const std::filesystem::path& path, const std::vector<PackedFile>& files);

/// A pack with this between <devices> and </devices>, beside files that it names. Its maker is the gauge's.
void writePack(const std::filesystem::path& path, const std::string& devices, std::vector<PackedFile> files = {},
               bool compressed = true);

Bytes bytesOfText(const std::string& text);

}  // namespace imprimo::test
