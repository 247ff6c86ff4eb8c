// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <pugixml.hpp>
#include <string>

#include "core/base/bytes.h"
#include "core/packs/pack_device.h"

namespace imprimo::packs {

/// A description as its tree, with what is needed to say where something stands.
struct DescriptionText {
  std::string file;
  std::string text;
  pugi::xml_document xml;

  std::size_t lineOf(const pugi::xml_node& node) const;
  [[noreturn]] void fail(const pugi::xml_node& node, const std::string& sentence) const;
};

/// Collects what a device is from the levels that lead to it, the family first: what a lower one says takes the place
/// of the same thing of a higher one.
class DeviceReader {
 public:
  explicit DeviceReader(const DescriptionText& text) : text_(text) {}
  /// A family, sub-family, device or variant. Throws BadFile.
  void level(const pugi::xml_node& node);
  PackDevice take();

 private:
  void processor(const pugi::xml_node& node);
  void memory(const pugi::xml_node& node);
  void algorithm(const pugi::xml_node& node);
  void port(const pugi::xml_node& node);
  void accessPort(const pugi::xml_node& node);
  void debug(const pugi::xml_node& node);
  void sequence(const pugi::xml_node& node);
  std::vector<SequenceNode> sequenceNodes(const pugi::xml_node& node, int depth) const;
  std::optional<std::uint64_t> number(const pugi::xml_node& node, const char* attribute, std::uint64_t most) const;
  std::uint32_t word(const pugi::xml_node& node, const char* attribute, std::uint32_t otherwise) const;
  AddressRange range(const pugi::xml_node& node, const char* from, const char* size) const;

  struct NamedDebug {
    PackDebug debug;
    std::optional<std::uint32_t> accessPortId;
  };
  const DescriptionText& text_;
  PackDevice device_;
  std::vector<NamedDebug> debugs_;
};

}  // namespace imprimo::packs
