// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QString>
#include <vector>

#include "app/model/board_needs.h"
#include "app/model/library_model.h"
#include "app/model/link_model.h"
#include "core/discover/ways.h"

namespace imprimo::app {

/// Adding a memory to a device: the ways that there could be, what came of asking each, and the one that is chosen.
class WayModel : public QObject {
  Q_OBJECT
 public:
  WayModel(SheetDocument& document, LinkModel& link, BenchSession& session, LibraryModel& library, BoardNeeds& needs,
           QObject* parent = nullptr);

  /// The device, from TDI; 0: nothing is being added.
  std::size_t position() const { return position_; }
  QString deviceName() const;
  void begin(std::size_t position);
  void end();

  struct Offer {
    discover::Way way;
    enum class State { NotAsked, Asking, Answers, NeedsLoading, Silent } state = State::NotAsked;
    QString words;  ///< what came of it, or why it was not asked
  };
  const std::vector<Offer>& offers() const { return offers_; }
  std::size_t chosen() const { return chosen_; }
  void choose(std::size_t index);
  /// Asks one that was not asked by itself; for pins it is wiresWanted().
  void ask(std::size_t index);
  bool isAsking() const;

  /// What the memory will be called.
  QString name() const { return name_; }
  void setName(const QString& name);
  /// Why it cannot be added so; empty: it can.
  QString trouble() const;
  /// What the one button does with the chosen way.
  QString goText() const;
  bool canGo() const;
  /// Adds the memory to the sheet; added() tells its name.
  void go();

 signals:
  void changed();
  void added(const QString& memory);
  void wiresWanted(const QString& memory, std::size_t position);
  void deviceWanted(std::size_t position);  ///< it is configured directly
  void message(const QString& text, bool trouble);

 private:
  void propose();
  void askNext();
  void take(std::size_t index, const discover::WayAnswer& answer);

  SheetDocument& document_;
  LinkModel& link_;
  BenchSession& session_;
  LibraryModel& library_;
  BoardNeeds& needs_;
  std::size_t position_ = 0;
  std::vector<Offer> offers_;
  std::size_t chosen_ = 0;
  bool picked_ = false, named_ = false;  // by the user
  QString name_;
  quint64 turn_ = 0;  // answers to an earlier begin() are dropped
};

}  // namespace imprimo::app
