// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/about/about.h"

#include <fmt/format.h>
#include <ftdi.h>
#include <gelf.h>
#include <hidapi.h>
#include <libusb.h>
#include <sodium.h>
#include <zip.h>
#include <zlib.h>

#include <nlohmann/json.hpp>
#include <pugixml.hpp>

#include "core/about/commit.h"
#include "core/base/version.h"

namespace imprimo {

std::vector<LibraryVersion> libraryVersions() {
  const libusb_version& usb = *libusb_get_version();
  const ftdi_version_info ftdi = ftdi_get_library_version();
  return {{"libusb", fmt::format("{}.{}.{}", usb.major, usb.minor, usb.micro)},
          {"hidapi", hid_version_str()},
          {"libftdi", ftdi.version_str},
          {"libelf", std::to_string(EV_CURRENT)},
          {"libsodium", sodium_version_string()},
          {"zlib", zlibVersion()},
          {"libzip", zip_libzip_version()},
          {"pugixml", fmt::format("{}.{}", PUGIXML_VERSION / 1000, PUGIXML_VERSION % 1000 / 10)},
          {"nlohmann-json", fmt::format("{}.{}.{}", NLOHMANN_JSON_VERSION_MAJOR, NLOHMANN_JSON_VERSION_MINOR,
                                        NLOHMANN_JSON_VERSION_PATCH)},
          {"fmt", fmt::format("{}.{}.{}", FMT_VERSION / 10000, FMT_VERSION / 100 % 100, FMT_VERSION % 100)}};
}

std::string aboutText(std::string_view program, const std::vector<LibraryVersion>& more) {
  std::string text = fmt::format("{} {}\ncommit {}, built with {} {}\n", program, versionText(), commitText(),
#ifdef __clang__
                                 "clang", __clang_version__
#else
                                 "GCC", __VERSION__
#endif
  );
  std::string libraries;
  const auto add = [&](const LibraryVersion& each) {
    libraries += fmt::format("{}{} {}", libraries.empty() ? "" : ", ", each.first, each.second);
  };
  for (const LibraryVersion& each : more) add(each);
  for (const LibraryVersion& each : libraryVersions()) add(each);
  return text + libraries;
}

}  // namespace imprimo
