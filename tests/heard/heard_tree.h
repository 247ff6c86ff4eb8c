// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>
#include <QStringList>
#include <memory>
#include <optional>
#include <vector>

struct _AtspiAccessible;

namespace imprimo::test {

/// What a reader gets of a program, over the bus that readers use.
class Heard {
 public:
  explicit Heard(_AtspiAccessible* object);

  QString name() const;
  QString role() const;
  bool isShowing() const;
  bool isFocusable() const;
  std::vector<Heard> children(int most = 4000) const;
  int childCount() const;
  /// The first thing it can do, as a click; false where it can do nothing.
  bool press() const;
  /// It, or the first below it whose name begins so (and has the role, where one is asked for) that is showing.
  std::optional<Heard> find(const QString& name, const QString& role = {}) const;

 private:
  std::shared_ptr<_AtspiAccessible> object_;
};

/// A program by its name on the bus; waits for it.
std::optional<Heard> heardProgram(const QString& name, int milliseconds);
/// Counts what programs tell of objects, while it lives and events are let in.
class Ears {
 public:
  Ears();
  Ears(const Ears&) = delete;
  ~Ears();
  int heard() const;
  /// Of the object of that name.
  int of(const QString& name) const;
  /// What got the keys, by name, one after another; empty names are there too.
  QStringList focused() const;
  /// What was heard most, a line each, while nothing is heard.
  QString most() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace imprimo::test
