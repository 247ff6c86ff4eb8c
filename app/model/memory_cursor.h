// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <cstdint>
#include <vector>

namespace imprimo::app {

/// The one position that map, bytes and address box share. They listen to it, never to each other.
class MemoryCursor : public QObject {
  Q_OBJECT
 public:
  using QObject::QObject;

  std::uint64_t position() const { return position_; }
  std::uint64_t size() const { return size_; }
  /// A memory of another size: the position goes to 0, history is forgotten.
  void reset(std::uint64_t size);
  /// Moves, within the memory.
  void moveTo(std::uint64_t address);
  /// Moves and remembers where it came from.
  void jumpTo(std::uint64_t address);
  void back();

 signals:
  void moved(quint64 address);

 private:
  std::uint64_t position_ = 0;
  std::uint64_t size_ = 0;
  std::vector<std::uint64_t> history_;
};

}  // namespace imprimo::app
