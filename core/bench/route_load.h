// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/bench/device_config.h"

namespace imprimo::bench {

/// What makes a device a bridge: its image, and how that goes into it; or a file of vectors that does all of it.
struct RouteLoad {
  configure::Target target;
  DeviceConfigPtr config;  ///< null with a file of vectors
  configure::ConfigData data;
  std::filesystem::path vectors;

  /// The whole procedure; `this` has to stay.
  std::unique_ptr<configure::Procedure> procedure(const configure::Target& there, std::uint32_t clockHz) const;
};

/// Throws BadFile for the sheet's file or card, NoBridge where nothing says how a file goes into the device, and
/// Refused for vectors that were made for another chain.
RouteLoad readRouteLoad(const sheet::Sheet& sheet, const sheet::Route& route, const ConfigCardFinder& find);

}  // namespace imprimo::bench
