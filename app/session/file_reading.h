// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QTimer>
#include <chrono>
#include <deque>
#include <functional>
#include <memory>

#include "core/base/input_file.h"

namespace imprimo::app {

/// Reads files on a thread of its own, so that large ones and slow disks hold up nothing. What is read within a blink
/// is there when read() returns.
class FileReading : public QObject {
  Q_OBJECT
 public:
  explicit FileReading(QObject* parent = nullptr);
  /// How long read() waits for what is quick; with none, what is read is never there at once.
  static void setBlink(std::chrono::milliseconds time);
  /// The result is dropped.
  ~FileReading() override;

  /// Reads by the rules, on another thread; returns what is to be done with it on this one. Its Errors are its own.
  using Work = std::function<std::function<void()>(const ReadRules& rules)>;
  /// What was being read is given up. `bytes` are expected, for percent().
  void read(std::uint64_t bytes, Work work);
  /// The same behind what is being read: of several files none is given up for the next.
  void add(std::uint64_t bytes, Work work);
  /// What waits is given up too.
  void cancel();
  bool isReading() const { return state_ != nullptr; }
  int percent() const;

 signals:
  /// Some more is read; at most ten times a second.
  void progressed();
  /// What was read after read() returned has been taken.
  void taken();

 private:
  struct State;
  void begin(std::uint64_t bytes, Work work);
  void finish(const std::shared_ptr<State>& state);
  void next();
  std::shared_ptr<State> state_;
  std::deque<std::pair<std::uint64_t, Work>> waiting_;
  QTimer tell_;
};

}  // namespace imprimo::app
