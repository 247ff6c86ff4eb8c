// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QString>
#include <functional>
#include <map>
#include <memory>
#include <vector>

#include "core/sheet/sheet.h"
#include "core/units/unit.h"

namespace imprimo::app {

class Workbench;

/// The unit that the next board becomes: which numbers go in, seen before anything is written, and what became of it.
class UnitModel : public QObject {
  Q_OBJECT
 public:
  explicit UnitModel(Workbench& bench);

  /// The sheet has numbers for units.
  bool hasUnits() const;
  /// They go in with what is written next.
  bool isOn() const { return on_ && hasUnits(); }
  void setOn(bool on);

  /// One field as it is shown.
  struct Shown {
    QString name, value;
    QString where;  ///< "boot-flash 0x7E0000", or the configuration word
    bool secret = false;
    bool given = false;  ///< typed or scanned
    std::string memory;
    std::uint64_t at = 0;
  };
  const std::vector<Shown>& shown() const { return shown_; }
  /// The next one's number in its ledger; 0 where none is known.
  std::uint64_t id() const { return unit_.id; }
  QString ledger() const;
  /// "12 used, 1 failed, 987 left"
  QString counts() const { return counts_; }
  /// Why nothing is known of it, or what is still to be given; empty otherwise.
  QString problem() const { return problem_; }
  /// Units that were set aside for this station, to go on with while the server is away; 0: none, or it is there.
  std::uint64_t leftAside() const { return leftAside_; }
  /// Goes on with them from now on, until the server is there again.
  void goOnAside();
  /// What became of the last one: "Unit 7 is used."
  QString last() const { return last_; }

  QString given(const QString& name) const;
  void give(const QString& name, const QString& value);

  /// The sheet with what is planned for the unit, or with what it got while it is being written.
  sheet::Sheet applied(const sheet::Sheet& sheet) const;
  /// Where its fields stand in a memory, and which bytes there nobody may see.
  std::vector<AddressRange> rangesIn(const std::string& memory, bool onlySecret) const;

  /// Its fields lie in more than this memory, and its core: such a unit is only written whole.
  bool reachesBeyond(const std::string& memory) const;
  /// Reserves it, or finds it again on the board, and then does this.
  void beginThen(std::function<void()> act);
  /// What was to be written for the unit that was begun cannot be.
  void fails(const QString& why);
  /// All that belongs to it was done: a connection that ends from now on is no trouble of its.
  void ends();
  /// The runs of a unit go on.
  bool isUnderWay() const { return begun_ != nullptr; }
  /// Looks again which one is next.
  void refresh();

 signals:
  void changed();

 private:
  void take(const sheet::Sheet& planned, const units::Unit& unit, const QString& counts, const QString& problem);
  void fail(const QString& problem);
  void planAside(const QString& why);
  void show();
  /// What goes in is planned anew, behind a run that goes on.
  void plan();
  void settle(bool good, const QString& why);
  /// Behind the last of its runs.
  void settleWhereIdle(const QString& why);

  Workbench& bench_;
  bool on_ = true;
  std::map<std::string, std::string> given_;
  std::shared_ptr<const sheet::Sheet> planned_, begun_;
  units::Unit unit_;
  std::vector<Shown> shown_;
  QString counts_, problem_, last_, why_;
  std::function<void()> then_;
  bool good_ = true;
  quint64 asked_ = 0;
  std::uint64_t leftAside_ = 0;
  bool aside_ = false, stale_ = false;
};

}  // namespace imprimo::app
