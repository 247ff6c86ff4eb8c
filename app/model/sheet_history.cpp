// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/sheet_history.h"

#include <stdexcept>
#include <utility>

namespace imprimo::app {

void SheetHistory::add(const QString& what, sheet::Sheet before) {
  past_.push_back({what, std::move(before), now_});
  if (past_.size() > kMost) past_.erase(past_.begin());
  future_.clear();
  now_ = ++last_;
}

sheet::Sheet SheetHistory::undo(sheet::Sheet now) {
  if (past_.empty()) throw std::logic_error("nothing to undo");
  Step step = std::move(past_.back());
  past_.pop_back();
  future_.push_back({step.what, std::move(now), now_});
  now_ = step.state;
  return std::move(step.sheet);
}

sheet::Sheet SheetHistory::redo(sheet::Sheet now) {
  if (future_.empty()) throw std::logic_error("nothing to redo");
  Step step = std::move(future_.back());
  future_.pop_back();
  past_.push_back({step.what, std::move(now), now_});
  now_ = step.state;
  return std::move(step.sheet);
}

void SheetHistory::clear() {
  past_.clear();
  future_.clear();
  now_ = ++last_;
}

void SheetHistory::moveTo(const std::filesystem::path& path) {
  for (std::vector<Step>* steps : {&past_, &future_}) {
    for (Step& step : *steps) step.sheet = sheet::movedTo(std::move(step.sheet), path);
  }
}

}  // namespace imprimo::app
