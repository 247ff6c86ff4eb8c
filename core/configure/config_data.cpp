// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/configure/config_data.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/number.h"
#include "core/bsdl/lexer.h"
#include "core/image/jesd3.h"
#include "core/image/pieces.h"

namespace imprimo::configure {
namespace {

ConfigData fromFuses(FuseFile&& file) {
  ConfigData data;
  data.format = ConfigData::Format::Fuses;
  data.security = file.security;
  if (!file.design.empty()) data.facts.emplace_back("design", file.design.substr(0, file.design.find('\n')));
  for (const std::string& note : file.notes) data.facts.emplace_back("note", note);
  data.facts.emplace_back("fuse checksum",
                          fmt::format("{:04X}{}", file.checksum, file.checksumGiven ? "" : ", the file has none"));
  data.sections.push_back({"", std::move(file.fuses), {}, {}, {}});
  if (file.user) data.setUsercode(static_cast<std::uint32_t>(file.user->bits(0, 32)));
  return data;
}

ConfigData fromIscData(IscDataFile&& file) {
  ConfigData data;
  data.format = ConfigData::Format::IscData;
  data.entity = file.entity;
  data.facts = std::move(file.facts);
  data.sections = std::move(file.sections);
  return data;
}

}  // namespace

const ConfigData::Section* ConfigData::section(const std::string& name) const {
  for (const Section& s : sections) {
    if (bsdl::sameWord(s.name, name)) return &s;
  }
  const bool unnamed = !sections.empty() && sections.front().name.empty();
  return unnamed && !bsdl::sameWord(name, "USERCODE") ? &sections.front() : nullptr;
}

void ConfigData::setUsercode(std::uint32_t code) {
  std::erase_if(sections, [](const Section& s) { return bsdl::sameWord(s.name, "USERCODE"); });
  sections.push_back({"USERCODE", BitVector::fromLsbFirst(code, 32), {}, {}, {}});
}

std::uint64_t ConfigData::bits() const {
  std::uint64_t sum = 0;
  for (const Section& s : sections) sum += s.bits.size();
  return sum;
}

ConfigData rawConfigData(Bytes bytes, std::string name, bool highBitFirst) {
  ConfigData data;
  data.file = std::move(name);
  BitVector bits;
  bits.reserve(bytes.size() * 8);
  highBitFirst ? bits.appendMsbFirst(bytes) : bits.appendLsbFirst(bytes);
  data.sections.push_back({"", std::move(bits), {}, {}, {}});
  data.bytes = std::move(bytes);
  return data;
}

ConfigData readConfigData(const Placement& placement, const std::filesystem::path& folder, bool highBitFirst) {
  const std::filesystem::path path = folder / placement.file;
  const std::string name = shortName(placement);
  if (!placement.pattern && placement.wrapper.empty() && !placement.format) {
    const std::string text = readReferred(placement.referredFrom, [&] {
      return readTextFile(path, kImageFile, {placement.large, {}});
    });
    if (looksLikeJesd3(text)) {
      ConfigData data = fromFuses(parseJesd3(text, name));
      data.file = name;
      return data;
    }
    if (looksLikeIscData(text)) {
      ConfigData data = fromIscData(parseIscData(text, name));
      data.file = name;
      return data;
    }
  }
  Placement placed = placement;
  if (!placed.at) placed.at = 0;
  Piece piece = readPiece(placed, folder);
  if (piece.image.segments().size() != 1) {
    throw Error(ErrorKind::BadFile,
                fmt::format("{}: a bitstream has no gaps, this has {} pieces", name, piece.image.segments().size()),
                "Is it the file for the memory, or code for a core?");
  }
  const ByteSpan bytes = piece.image.segments().front().bytes;
  ConfigData data = rawConfigData({bytes.begin(), bytes.end()}, name, highBitFirst);
  if (piece.source) {
    for (const auto& field : piece.source->fields) {
      if (!field.name.empty()) data.facts.emplace_back(field.name, field.text);
    }
  }
  return data;
}

}  // namespace imprimo::configure
