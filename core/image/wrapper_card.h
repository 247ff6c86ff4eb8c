// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/address_range.h"
#include "core/base/bytes.h"

namespace imprimo {

/// How the header of a bitfile is built, so that its payload can be taken out (docs/formats/wrapper-card.md).
struct WrapperCard {
  enum class As { Text, Number, Digits };
  struct Item {
    enum Kind { Mark, Skip, Field, Entries } kind = Skip;
    std::string path;  ///< in the card, for messages: "header[2]"
    std::string name = {};
    Bytes mark = {};         ///< Mark: exactly these bytes
    std::uint64_t size = 0;  ///< Skip and Field: bytes; 0 for a field with its length before it
    int lengthSize = 0;      ///< bytes of the length before a field, or before each entry
    As as = As::Text;
    int tagSize = 0;                                                ///< Entries
    std::optional<std::uint64_t> endTag = {};                       ///< nothing stands behind it
    std::map<std::uint64_t, std::pair<std::string, As>> tags = {};  ///< entries that are shown; others are passed over
  };

  std::string name;
  std::string fileName;
  bool lowByteFirst = false;
  std::vector<Item> header;
  int payloadLengthSize = 0;      ///< bytes of the length before the payload; 0: none
  std::string payloadLengthFrom;  ///< or the name of the field that holds it
  bool lengthInBits = false;
  bool reversed = false;  ///< bit 7 and bit 0 of each byte of the payload swap
  Bytes sync;             ///< how the payload begins, behind its pad; empty: not known
};

/// Throws BadFile with the key's path and line.
WrapperCard parseWrapperCard(std::string_view text, const std::string& fileName);
WrapperCard readWrapperCard(const std::filesystem::path& path);

/// A file taken apart by a card.
struct Unwrapped {
  struct Field {
    std::string name;  ///< empty for what is passed over
    std::string text;
    AddressRange at;  ///< of its value, in the file
  };
  std::vector<Field> fields;
  AddressRange payload;
  std::string problem;  ///< why it went no further; empty when all is well. The fields before it are there.
};

/// Goes as far as the file fits the card; never throws for what the file has.
Unwrapped tryUnwrap(const WrapperCard& card, ByteSpan bytes);
/// Throws BadFile "NAME: offset 0x…: …" where the file does not fit.
Unwrapped unwrap(const WrapperCard& card, ByteSpan bytes, const std::string& name);

}  // namespace imprimo
