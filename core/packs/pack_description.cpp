// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/packs/pack_description.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/base/letter_case.h"
#include "core/base/number.h"
#include "core/base/visible_text.h"
#include "core/packs/device_reader.h"

namespace imprimo::packs {
namespace {

using pugi::xml_node;

/// The levels from a family down to one device or variant.
using Path = std::vector<xml_node>;

constexpr std::size_t kMostDevices = 100'000;

const char* nameOf(const xml_node& node) {
  const char* variant = node.attribute("Dvariant").as_string();
  return *variant != '\0' ? variant : node.attribute("Dname").as_string();
}

/// Each device and variant with the way to it.
template <typename Each>
void walk(const xml_node& package, Each&& each) {
  const auto devices = [&](Path& path, const xml_node& parent) {
    for (const xml_node& device : parent.children("device")) {
      path.push_back(device);
      each(path, static_cast<bool>(device.child("variant")));
      for (const xml_node& variant : device.children("variant")) {
        path.push_back(variant);
        each(path, false);
        path.pop_back();
      }
      path.pop_back();
    }
  };
  for (const xml_node& family : package.child("devices").children("family")) {
    Path path{family};
    devices(path, family);
    for (const xml_node& subFamily : family.children("subFamily")) {
      path.push_back(subFamily);
      devices(path, subFamily);
      path.pop_back();
    }
  }
}

/// The last one on the way that says it.
std::string attributeOn(const Path& path, const char* name) {
  for (auto node = path.rbegin(); node != path.rend(); ++node) {
    if (const char* value = node->attribute(name).as_string(); *value != '\0') return value;
  }
  return {};
}

struct Processors {
  std::vector<std::string> names;
  std::string core;
};

Processors processorsOn(const Path& path) {
  Processors all;
  for (const xml_node& level : path) {
    for (const xml_node& processor : level.children("processor")) {
      const std::string name = processor.attribute("Pname").as_string();
      if (const char* core = processor.attribute("Dcore").as_string(); *core != '\0') all.core = core;
      if (!name.empty() && std::find(all.names.begin(), all.names.end(), name) == all.names.end())
        all.names.push_back(name);
    }
  }
  return all;
}

/// Of the first debug port that says it; lower levels count more.
std::optional<std::uint32_t> targetOn(const Path& path) {
  for (auto node = path.rbegin(); node != path.rend(); ++node) {
    for (const xml_node& port : node->children("debugport")) {
      for (const char* kind : {"swd", "jtag"}) {
        const auto value = parseNumber(port.child(kind).attribute("targetsel").as_string());
        if (value && *value <= UINT32_MAX) return static_cast<std::uint32_t>(*value);
      }
    }
  }
  return std::nullopt;
}

}  // namespace

struct PackDescription::Document : DescriptionText {};

PackDescription::PackDescription(ByteSpan xml, std::string file)
    : document_(std::make_unique<Document>()), file_(std::move(file)) {
  document_->file = file_;
  document_->text.assign(xml.begin(), xml.end());
  const pugi::xml_parse_result result = document_->xml.load_buffer(
      document_->text.data(), document_->text.size(), pugi::parse_default | pugi::parse_doctype, pugi::encoding_auto);
  if (!result) {
    const auto line =
        1 + std::count(document_->text.begin(),
                       document_->text.begin() +
                           std::clamp<std::ptrdiff_t>(result.offset, 0, static_cast<std::ptrdiff_t>(xml.size())),
                       '\n');
    throw Error(ErrorKind::BadFile, fmt::format("{}:{}: this is no XML: {}", file_, line, result.description()),
                "Fetch the pack once more.");
  }
  for (const xml_node& node : document_->xml.children()) {
    if (node.type() == pugi::node_doctype && std::string_view(node.value()).find("<!ENTITY") != std::string_view::npos)
      throw Error(ErrorKind::BadFile, fmt::format("{}: it declares entities of its own, which no pack needs", file_),
                  "Such a pack is damaged or made to do harm; fetch it from its maker.");
  }
  const xml_node package = document_->xml.child("package");
  if (!package) throw Error(ErrorKind::BadFile, fmt::format("{}: it has no package", file_), "Is this a .pdsc file?");
  vendor_ = visibleText(package.child("vendor").text().as_string());
  name_ = visibleText(package.child("name").text().as_string());
  version_ = visibleText(package.child("releases").child("release").attribute("version").as_string());
  if (name_.empty()) throw Error(ErrorKind::BadFile, fmt::format("{}: the package has no name", file_));
}

PackDescription::~PackDescription() = default;
PackDescription::PackDescription(PackDescription&&) noexcept = default;

std::vector<ListedDevice> PackDescription::devices() const {
  std::vector<ListedDevice> list;
  walk(document_->xml.child("package"), [&](const Path& path, bool hasVariants) {
    const std::string name = nameOf(path.back());
    if (hasVariants || name.empty()) return;
    const Processors processors = processorsOn(path);
    const std::string vendor = attributeOn(path, "Dvendor");
    ListedDevice device{name,
                        vendor.substr(0, vendor.rfind(':')),
                        attributeOn(path, "Dfamily"),
                        attributeOn(path, "DsubFamily"),
                        processors.core,
                        targetOn(path)};
    if (list.size() >= kMostDevices) document_->fail(path.front(), "there are more devices than any pack has");
    if (processors.names.size() < 2) {
      list.push_back(std::move(device));
      return;
    }
    for (const std::string& processor : processors.names) {
      list.push_back(device);
      list.back().name += ":" + processor;
    }
  });
  return list;
}

PackDevice PackDescription::device(const std::string& wanted) const {
  const std::string name = nameAndProcessor(wanted).first;
  std::optional<Path> found;
  std::string alike;
  std::size_t shown = 0;
  walk(document_->xml.child("package"), [&](const Path& path, bool) {
    const std::string each = nameOf(path.back());
    if (!found && sameButForCase(each, name)) found = path;
    constexpr std::size_t kMostShown = 5;
    if (shown >= kMostShown || name.empty() || lowered(each).find(lowered(name)) == std::string::npos) return;
    alike += (shown++ == 0 ? "" : ", ") + each;
  });
  if (!found)
    throw Error(ErrorKind::Usage, fmt::format("{}: it has no device named {}", file_, visibleText(name)),
                alike.empty() ? "Search for a part of the name." : "It has " + visibleText(alike) + ".");
  DeviceReader reader(*document_);
  for (const xml_node& level : *found) reader.level(level);
  return reader.take();
}

std::pair<std::string, std::string> nameAndProcessor(const std::string& name) {
  const std::size_t colon = name.find(':');
  return colon == std::string::npos ? std::pair{name, std::string()}
                                    : std::pair{name.substr(0, colon), name.substr(colon + 1)};
}

}  // namespace imprimo::packs
