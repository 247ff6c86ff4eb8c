// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>

#include "core/bench/chain_view.h"
#include "core/jtag/examine.h"
#include "core/probe/probe.h"
#include "core/run/record.h"
#include "core/sheet/sheet.h"
#include "core/svf/fit.h"
#include "core/svf/player.h"

namespace imprimo::vectors {

struct PlayWish {
  std::filesystem::path file;
  std::uint64_t from = 0;       ///< offset of the safe point to begin at; 0: the start
  bool anyChain = false;        ///< also on a chain that the file cannot have been made for
  std::uint32_t highestHz = 0;  ///< of TCK, whatever the file asks for; 0: what the probe is set to
  svf::FromPause fromPause = svf::FromPause::Update;
};

/// What a mismatch means, as far as it can be told.
struct MismatchStory {
  std::optional<std::size_t> device;  ///< index from TDI
  std::string deviceName;
  std::string doing;                     ///< "status: busy must be 0"
  std::optional<std::uint64_t> address;  ///< of a memory's byte that is read otherwise than it should be
  std::string hint;                      ///< what it may come from, and what to try
};

/// Watches a file being played; called on the thread that plays.
class PlayWatch {
 public:
  virtual ~PlayWatch() = default;
  virtual void begins(const svf::ChainView&) {}
  virtual void advanced(const svf::Played&) {}
  virtual bool goesOnPast(const svf::Mismatch&, const MismatchStory&) { return false; }
};

struct PlayReport {
  run::Record record;
  svf::PlayResult result;
  MismatchStory story;  ///< of the first mismatch
};

/// Examines the chain, refuses a file that was made for another one, and plays it. Never throws an Error: what went
/// wrong is in the record.
PlayReport playVectors(const PlayWish& wish, probe::Probe& probe, const sheet::Sheet* sheet,
                       const jtag::Describe& describe, run::RecordSink& records, PlayWatch& watch,
                       const std::stop_token& stop);

}  // namespace imprimo::vectors
