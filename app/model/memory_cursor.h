// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <cstdint>
#include <vector>

#include "core/base/address_range.h"

namespace imprimo::app {

/// The one position that map, bytes and address box share. They listen to it, never to each other.
class MemoryCursor : public QObject {
  Q_OBJECT
 public:
  using QObject::QObject;

  std::uint64_t position() const { return position_; }
  /// All addresses of the memory; none without one.
  const AddressRange& whole() const { return whole_; }
  /// Another memory: the position goes to its first address, history is forgotten.
  void reset(const AddressRange& whole);
  /// Moves, within the memory.
  void moveTo(std::uint64_t address);
  /// Moves and remembers where it came from.
  void jumpTo(std::uint64_t address);
  void back();

 signals:
  void moved(quint64 address);

 private:
  std::uint64_t position_ = 0;
  AddressRange whole_;
  std::vector<std::uint64_t> history_;
};

}  // namespace imprimo::app
