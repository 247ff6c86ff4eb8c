// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/pack_maker.h"

#include <zip.h>

#include <stdexcept>

namespace imprimo::test {

Bytes bytesOfText(const std::string& text) {
  return {text.begin(), text.end()};
}

void writeZip(const std::filesystem::path& path, const std::vector<PackedFile>& files) {
  int error = 0;
  zip_t* archive = zip_open(path.c_str(), ZIP_CREATE | ZIP_TRUNCATE, &error);
  if (archive == nullptr) throw std::runtime_error("the zip cannot be made");
  for (const PackedFile& file : files) {
    zip_source_t* source = zip_source_buffer(archive, file.bytes.data(), file.bytes.size(), 0);
    const zip_int64_t index = zip_file_add(archive, file.name.c_str(), source, ZIP_FL_ENC_UTF_8);
    if (index < 0) throw std::runtime_error("a file cannot be put into the zip");
    zip_set_file_compression(archive, static_cast<zip_uint64_t>(index), file.compressed ? ZIP_CM_DEFLATE : ZIP_CM_STORE,
                             0);
  }
  if (zip_close(archive) != 0) throw std::runtime_error("the zip cannot be written");
}

void writePack(const std::filesystem::path& path, const std::string& devices, std::vector<PackedFile> files,
               bool compressed) {
  const std::string text = R"(<?xml version="1.0" encoding="UTF-8"?>
<package schemaVersion="1.7.7">
 <vendor>Beck</vendor><name>K_DFP</name><description>cores of the river gauge</description>
 <releases><release version="1.2.0" date="2026-01-01">newest</release><release version="1.1.0">older</release></releases>
 <devices>
)" + devices + " </devices>\n</package>\n";
  files.insert(files.begin(), {"Beck.K_DFP.pdsc", bytesOfText(text), compressed});
  for (PackedFile& file : files) file.compressed = compressed;
  writeZip(path, files);
}

}  // namespace imprimo::test
