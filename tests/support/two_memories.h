// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTemporaryDir>
#include <memory>

#include "core/sheet/sheet.h"
#include "sim/bench.h"

namespace imprimo::test {

/// A chain of three parts with a memory behind the first and one behind the last, each described by a card.
class TwoMemories {
 public:
  TwoMemories();
  std::string path(const std::string& name) const {
    return folder_.filePath(QString::fromStdString(name)).toStdString();
  }
  sim::Bench& sim() { return *sim_; }
  const sheet::Sheet& sheet() const { return sheet_; }

 private:
  QTemporaryDir folder_;
  std::unique_ptr<sim::Bench> sim_;
  sheet::Sheet sheet_;
};

}  // namespace imprimo::test
