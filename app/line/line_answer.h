// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

#include "app/line/line_place.h"

namespace imprimo::app {

/// What a place shows: a word and a shape that are told apart without colour, and what to do.
struct LineAnswer {
  enum class Kind { Ready, Scan, Busy, Good, Failed, Halt } kind = Kind::Ready;
  QString word;
  QString sentence;  ///< what happened
  QString under;     ///< what it means for board and number
  QString next;      ///< what to do
  QString details;   ///< for the engineer; empty: none
  QString button;    ///< what the one action is; where nothing can be done, what is waited for
  bool canAct = false;
  double part = 0;  ///< of a run

  friend bool operator==(const LineAnswer&, const LineAnswer&) = default;
};

LineAnswer answerAt(const LinePlace& place, const release::LineRules& rules);

}  // namespace imprimo::app
