// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/packs/device_reader.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/letter_case.h"
#include "core/base/number.h"
#include "core/base/visible_text.h"
#include "core/packs/pack_description.h"

namespace imprimo::packs {
namespace {

using pugi::xml_node;

constexpr std::uint64_t kSpace = 1ull << 32;
/// What somebody would write by hand; each is a call deeper here.
constexpr int kDeepest = 32;
constexpr std::size_t kMostOfAKind = 4096;

std::string text(const xml_node& node, const char* attribute) {
  return node.attribute(attribute).as_string();
}

/// "Vendor:7" is the vendor's name and its number in the standard's list.
std::string withoutNumber(const std::string& vendor) {
  return vendor.substr(0, vendor.rfind(':'));
}

/// Takes the place of the one that is the same thing, or comes to the others.
template <typename T, typename Same>
void put(std::vector<T>& all, T&& next, Same&& same) {
  const auto there = std::find_if(all.begin(), all.end(), same);
  if (there == all.end()) {
    all.push_back(std::forward<T>(next));
  } else {
    *there = std::forward<T>(next);
  }
}

}  // namespace

std::size_t DescriptionText::lineOf(const xml_node& node) const {
  const std::ptrdiff_t offset = node.offset_debug();
  if (offset < 0) return 1;
  const auto end = text.begin() + std::min<std::ptrdiff_t>(offset, static_cast<std::ptrdiff_t>(text.size()));
  return 1 + static_cast<std::size_t>(std::count(text.begin(), end, '\n'));
}

void DescriptionText::fail(const xml_node& node, const std::string& sentence) const {
  throw Error(ErrorKind::BadFile, fmt::format("{}:{}: {}: {}", file, lineOf(node), node.name(), sentence),
              "The pack's maker has to mend that; a core card can describe the chip instead.");
}

std::optional<std::uint64_t> DeviceReader::number(const xml_node& node, const char* attribute,
                                                  std::uint64_t most) const {
  const std::string value = text(node, attribute);
  if (value.empty()) return std::nullopt;
  // The standard has no units here, and numbers as C has them.
  const bool unit = value.find_first_of("KMGkmg") != std::string::npos && !value.starts_with("0x");
  const auto parsed = unit ? std::nullopt : parseNumber(value);
  if (!parsed || *parsed > most)
    text_.fail(node,
               fmt::format("{} is \"{}\", and should be a number up to 0x{:x}", attribute, visibleText(value), most));
  return parsed;
}

std::uint32_t DeviceReader::word(const xml_node& node, const char* attribute, std::uint32_t otherwise) const {
  return static_cast<std::uint32_t>(number(node, attribute, UINT32_MAX).value_or(otherwise));
}

AddressRange DeviceReader::range(const xml_node& node, const char* from, const char* size) const {
  const auto begin = number(node, from, UINT32_MAX), count = number(node, size, kSpace);
  if (!begin || !count) text_.fail(node, fmt::format("{} and {} are needed", from, size));
  if (*count == 0 || *count > kSpace - *begin)
    text_.fail(node, fmt::format("{} and {} do not end before 0x100000000", from, size));
  return {*begin, *begin + *count};
}

void DeviceReader::level(const xml_node& node) {
  for (const char* name : {"Dfamily", "DsubFamily", "Dname", "Dvariant"}) {
    const std::string value = text(node, name);
    if (value.empty()) continue;
    std::string& place = std::string_view(name) == "Dfamily"      ? device_.family
                         : std::string_view(name) == "DsubFamily" ? device_.subFamily
                                                                  : device_.name;
    place = value;
  }
  if (const std::string vendor = text(node, "Dvendor"); !vendor.empty()) device_.vendor = withoutNumber(vendor);
  std::string described;
  for (const xml_node& child : node.children()) {
    const std::string_view name = child.name();
    if (name == "processor") processor(child);
    if (name == "description") described += (described.empty() ? "" : "\n") + std::string(child.text().as_string());
    if (name == "memory") memory(child);
    if (name == "algorithm") algorithm(child);
    if (name == "debugport") port(child);
    if (name == "accessportV1" || name == "accessportV2") accessPort(child);
    if (name == "debug") debug(child);
    if (name == "debugvars") {
      device_.variables = child.text().as_string();
      device_.variablesLine = text_.lineOf(child);
    }
    if (name != "sequences") continue;
    for (const xml_node& each : child.children("sequence")) sequence(each);
  }
  if (!described.empty()) device_.description = described;
  if (std::max({device_.memories.size(), device_.algorithms.size(), device_.sequences.size()}) > kMostOfAKind)
    text_.fail(node, fmt::format("has more than {} memories, algorithms or sequences", kMostOfAKind));
}

void DeviceReader::processor(const xml_node& node) {
  const std::string name = text(node, "Pname");
  for (PackProcessor& there : device_.processors) {
    // What only adds an attribute to the one above is that one.
    if (there.name != name && !there.name.empty()) continue;
    there.name = name.empty() ? there.name : name;
    if (const std::string core = text(node, "Dcore"); !core.empty()) there.core = core;
    return;
  }
  device_.processors.push_back({name, text(node, "Dcore")});
}

void DeviceReader::memory(const xml_node& node) {
  PackMemory memory;
  const std::string id = text(node, "id"), access = text(node, "access");
  memory.name = text(node, "name").empty() ? id : text(node, "name");
  if (memory.name.empty()) text_.fail(node, "name or id is needed");
  memory.processor = text(node, "Pname");
  memory.range = range(node, "start", "size");
  // Older packs have an id instead of an access: IRAM1 and the like are written to.
  memory.writable = access.empty() ? id.find("RAM") != std::string::npos : access.find('w') != std::string::npos;
  memory.preferred = node.attribute("default").as_bool();
  put(device_.memories, std::move(memory),
      [&](const PackMemory& m) { return m.name == memory.name && m.processor == memory.processor; });
}

void DeviceReader::algorithm(const xml_node& node) {
  PackAlgorithm algorithm;
  algorithm.file = text(node, "name");
  // Others are no ELF of the standard's kind.
  if (!lowered(algorithm.file).ends_with(".flm")) return;
  algorithm.processor = text(node, "Pname");
  algorithm.range = range(node, "start", "size");
  if (node.attribute("RAMstart") || node.attribute("RAMsize")) algorithm.ram = range(node, "RAMstart", "RAMsize");
  algorithm.preferred = node.attribute("default").as_bool();
  put(device_.algorithms, std::move(algorithm), [&](const PackAlgorithm& a) {
    return a.range == algorithm.range && a.file == algorithm.file && a.processor == algorithm.processor;
  });
}

void DeviceReader::port(const xml_node& node) {
  PackPort port;
  port.number = word(node, "__dp", 0);
  const xml_node jtag = node.child("jtag"), swd = node.child("swd");
  port.jtag = static_cast<bool>(jtag);
  port.swd = static_cast<bool>(swd);
  for (const xml_node& each : {swd, jtag}) {
    if (const auto target = number(each, "targetsel", UINT32_MAX)) port.target = static_cast<std::uint32_t>(*target);
  }
  if (const auto length = number(jtag, "irlen", 1024)) port.irLength = static_cast<std::uint32_t>(*length);
  if (const auto code = number(jtag, "idcode", UINT32_MAX)) port.idcode = static_cast<std::uint32_t>(*code);
  put(device_.ports, PackPort(port), [&](const PackPort& p) { return p.number == port.number; });
}

void DeviceReader::accessPort(const xml_node& node) {
  PackAccessPort port;
  port.id = word(node, "__apid", 0);
  port.port = word(node, "__dp", 0);
  port.at = word(node, std::string_view(node.name()) == "accessportV1" ? "index" : "address", 0);
  put(device_.accessPorts, PackAccessPort(port), [&](const PackAccessPort& p) { return p.id == port.id; });
}

void DeviceReader::debug(const xml_node& node) {
  NamedDebug next;
  next.debug.processor = text(node, "Pname");
  next.debug.port = word(node, "__dp", 0);
  next.debug.accessPort = word(node, "__ap", 0);
  if (const auto id = number(node, "__apid", UINT32_MAX)) next.accessPortId = static_cast<std::uint32_t>(*id);
  put(debugs_, std::move(next), [&](const NamedDebug& d) { return d.debug.processor == next.debug.processor; });
}

void DeviceReader::sequence(const xml_node& node) {
  PackSequence sequence;
  sequence.name = text(node, "name");
  if (sequence.name.empty()) text_.fail(node, "name is needed");
  sequence.processor = text(node, "Pname");
  sequence.info = text(node, "info");
  sequence.disabled = node.attribute("disable").as_bool();
  sequence.nodes = sequenceNodes(node, 0);
  put(device_.sequences, std::move(sequence),
      [&](const PackSequence& s) { return s.name == sequence.name && s.processor == sequence.processor; });
}

std::vector<SequenceNode> DeviceReader::sequenceNodes(const xml_node& parent, int depth) const {
  if (depth > kDeepest) text_.fail(parent, fmt::format("lies {} deep in others", depth));
  std::vector<SequenceNode> nodes;
  for (const xml_node& child : parent.children()) {
    const std::string_view name = child.name();
    SequenceNode node;
    node.line = text_.lineOf(child);
    node.info = text(child, "info");
    if (name == "block") {
      node.text = child.text().as_string();
      node.atomic = child.attribute("atomic").as_bool();
    } else if (name == "control") {
      node.control = true;
      node.condition = text(child, "if");
      node.loop = text(child, "while");
      node.timeout = number(child, "timeout", UINT64_MAX);
      node.nodes = sequenceNodes(child, depth + 1);
    } else {
      continue;
    }
    nodes.push_back(std::move(node));
  }
  return nodes;
}

PackDevice DeviceReader::take() {
  for (NamedDebug& named : debugs_) {
    if (named.accessPortId) {
      const auto port = std::find_if(device_.accessPorts.begin(), device_.accessPorts.end(),
                                     [&](const PackAccessPort& p) { return p.id == *named.accessPortId; });
      if (port != device_.accessPorts.end()) {
        named.debug.accessPort = port->at;
        named.debug.port = port->port;
      }
    }
    device_.debugs.push_back(named.debug);
  }
  debugs_.clear();
  return std::move(device_);
}

}  // namespace imprimo::packs
