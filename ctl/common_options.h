// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace imprimo::ctl {

/// What every command can be told.
struct CommonOptions {
  std::string probe;
  std::string tokenFile;
  std::optional<std::uint32_t> speed;
  std::vector<std::string> libraries;
  std::string adapter;
  std::string store;
  std::optional<std::uint32_t> wait;
  bool json = false;
  bool verbose = false;
  bool large = false;
};

/// Of commands for one memory of a sheet, or all of them.
struct SheetOptions : CommonOptions {
  std::string sheet, memory, core;
};

/// Of commands that carry out a run.
struct RunOptions : SheetOptions {
  bool dryRun = false;
  bool finishEarlier = false, forgetEarlier = false;
};

/// What an image is for, so that it can be looked over.
struct ImageUse {
  std::string use, sync, ram, block, size, from;
};

}  // namespace imprimo::ctl
