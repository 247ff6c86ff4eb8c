// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <optional>

#include "core/base/bytes.h"
#include "core/packs/pack_device.h"

namespace imprimo::packs {

/// A device as a list has it.
struct ListedDevice {
  std::string name, vendor, family, subFamily, core;
  std::optional<std::uint32_t> target{};  ///< TARGETSEL of its debug port, where the pack says it
};

/// The description of a pack (.pdsc, Open-CMSIS-Pack): XML whose families, sub-families, devices and variants inherit
/// from above.
class PackDescription {
 public:
  /// `file`: for messages. Throws BadFile with file and line.
  PackDescription(ByteSpan xml, std::string file);
  ~PackDescription();
  PackDescription(PackDescription&&) noexcept;

  const std::string& vendor() const { return vendor_; }
  const std::string& name() const { return name_; }
  const std::string& version() const { return version_; }  ///< of the newest release

  /// Devices, and the variants of those that have some, as the description has them; one with several processors
  /// for each as "NAME:PROCESSOR".
  std::vector<ListedDevice> devices() const;
  /// By its name, case ignored, and without the processor. Throws Usage, naming what is alike; BadFile with file and
  /// line for what is wrong with it.
  PackDevice device(const std::string& name) const;

 private:
  struct Document;
  std::unique_ptr<Document> document_;
  std::string file_, vendor_, name_, version_;
};

/// "NAME:PROCESSOR" in two.
std::pair<std::string, std::string> nameAndProcessor(const std::string& name);

}  // namespace imprimo::packs
