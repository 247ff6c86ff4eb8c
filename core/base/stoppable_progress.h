// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <stop_token>

#include "core/base/progress.h"

namespace imprimo {

/// Goes on as long as nobody says stop.
class StoppableProgress : public Progress {
 public:
  explicit StoppableProgress(std::stop_token stop) : stop_(std::move(stop)) {}
  bool stopRequested() const override { return stop_.stop_requested(); }

 private:
  std::stop_token stop_;
};

}  // namespace imprimo
