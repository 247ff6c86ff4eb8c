// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "records/unit_run.h"

namespace imprimo::records {

/// Notes of a unit's runs. The first one is put before anything is changed, so the ledger hears of it then: whatever
/// ends the process afterwards, both say that something may have been written.
class UnitRun::Notes : public run::NoteStore {
 public:
  Notes(run::NoteStore& others, const units::Unit& unit, std::function<void()> begun)
      : others_(others), unit_(unit), begun_(std::move(begun)) {}

  void put(run::RunNote& note) override {
    begun_();
    note.ledger = unit_.ledger;
    note.unit = unit_.id;
    others_.put(note);
  }
  void close(const run::RunNote& note) override { others_.close(note); }
  std::vector<run::RunNote> open(std::vector<std::string>* unreadable) const override {
    return others_.open(unreadable);
  }

 private:
  run::NoteStore& others_;
  const units::Unit& unit_;
  std::function<void()> begun_;
};

/// Records of a unit's runs name it.
class UnitRun::Records : public run::RecordSink {
 public:
  Records(run::RecordSink& others, const units::Unit& unit) : others_(others), unit_(unit) {}

  void keep(const run::Record& record) override {
    run::Record named = record;
    named.unit = unit_;
    named.unit->state = record.good() ? "used" : record.changed ? "failed" : unit_.state;
    others_.keep(named);
  }

 private:
  run::RecordSink& others_;
  const units::Unit& unit_;
};

}  // namespace imprimo::records
