// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/bench/route.h"
#include "core/jtag/chain.h"
#include "core/memory/known_contents.h"
#include "core/sheet/sheet.h"
#include "core/svf/writer.h"

namespace imprimo::bench {

/// Where a device is in the chain of a file of vectors.
struct ChainPlace {
  std::vector<std::uint32_t> irBefore, irAfter;  ///< instruction lengths of the devices towards TDI, and towards TDO
  std::size_t before() const { return irBefore.size(); }
  std::size_t after() const { return irAfter.size(); }
  svf::Writer::Padding padding() const;
};

struct BenchState;

/// What a bench does with one kind of route.
struct RouteKind {
  const char* via;                  ///< as sheet::Route::via() has it
  std::uint32_t clocksPerExchange;  ///< beside its bytes, for estimates
  double clocksPerByte;
  const char* loads;  ///< what is loaded into its device, for messages: "bridge"
  memory::ContinuityWords continuity;
  /// `device` is the one it goes through, for messages.
  std::unique_ptr<Route> (*open)(const sheet::Route& route, BenchState& bench, const std::string& device);
  /// Null for a kind that files of vectors do not reach.
  std::unique_ptr<RouteRecorder> (*record)(const sheet::Sheet& sheet, const sheet::Route& route, svf::Writer& writer,
                                           const ChainPlace& place);
  /// How a file of vectors tells of it: "the bridge in correlator (FABRIC_A)".
  std::string (*words)(const sheet::Route& route, const std::string& device);
  /// Where the clocks of a byte are not the same for all routes of the kind; otherwise null.
  double (*clocksOfByte)(const sheet::Route& route, const sheet::Sheet& sheet) = nullptr;
};

/// The row of a memory's route. Throws Usage for one that only sheets know.
const RouteKind& routeKind(const sheet::MemoryEntry& entry);

}  // namespace imprimo::bench
