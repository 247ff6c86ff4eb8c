// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/bench/bench.h"

namespace imprimo::line {

/// How good the link of a probe was behind one board.
struct LinkSample {
  std::string at;               ///< UTC, ISO 8601
  int sent = 0, whole = 0;      ///< patterns through the chain
  std::uint32_t clockHz = 0;    ///< with which
  std::uint32_t fastestHz = 0;  ///< that was found sound; 0: not looked for
};

/// Sends patterns and keeps what came back, in a file of the probe. A link that is gone is no sample: the board's own
/// result says it.
void noteHealth(bench::Bench& bench, const std::filesystem::path& folder);
/// Looks for the fastest sound clock besides; what is connected is as before.
void noteFastest(bench::Bench& bench, const std::filesystem::path& folder, const std::stop_token& stop);

std::vector<LinkSample> readHealth(const std::filesystem::path& folder, const std::string& probe);
/// Says what got worse against how it was at first, before it fails; nothing where nothing did.
std::optional<std::string> worsening(const std::vector<LinkSample>& samples);

/// By what a probe is known here: its serial number, or its address where it has none.
std::string probeName(const probe::ProbeInfo& info);
std::filesystem::path healthFolder();

}  // namespace imprimo::line
