// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <vector>

#include "core/base/address_range.h"

namespace imprimo::app {

class Workbench;

/// What the one button is for.
enum class Intent { Write, Erase };

/// Writing what the sheet places, or erasing what it lists; and how.
class WriteChoice : public QObject {
  Q_OBJECT
 public:
  explicit WriteChoice(Workbench& bench);

  Intent intent() const { return intent_; }
  void setIntent(Intent intent);
  /// Another sheet: writing, and nothing else.
  void reset();

  std::vector<AddressRange> eraseRanges() const;
  /// Adds to the list; throws nothing, what cannot be is told by message().
  void addEraseRange(const AddressRange& range);
  void removeEraseRange(std::size_t index);
  /// Refuse what cannot be written without an erase.
  bool noErase() const { return noErase_; }
  void setNoErase(bool on) { choose(noErase_, on); }
  /// What shares a block with an erased range goes too.
  bool wholeBlocks() const { return wholeBlocks_; }
  void setWholeBlocks(bool on) { choose(wholeBlocks_, on); }
  /// Erasing leaves what the sheet keeps, instead of being refused.
  bool skipKept() const { return skipKept_; }
  void setSkipKept(bool on) { choose(skipKept_, on); }

 signals:
  void changed();
  void message(const QString& text, bool trouble);

 private:
  void choose(bool& choice, bool on);

  Workbench& bench_;
  Intent intent_ = Intent::Write;
  bool wholeBlocks_ = false, skipKept_ = false, noErase_ = false;
};

}  // namespace imprimo::app
