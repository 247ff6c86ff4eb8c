// SPDX-License-Identifier: GPL-3.0-or-later
//
// The session's work with a unit of the sheet: it is begun before its runs and settled behind them.
#include "app/session/bench_session.h"
#include "app/session/help_words.h"
#include "app/session/unit_desk.h"
#include "core/run/job.h"

namespace imprimo::app {

void BenchSession::beginUnit(const sheet::Sheet& sheet, const records::WhichUnit& which) {
  if (!connected_ || running_) return;
  viewStop_.request_stop();
  backgroundStop_.request_stop();
  runStop_ = std::stop_source();
  samplePins(0);
  running_ = true;
  emit runStarted();
  worker_.post([=, this, generation = generation_, stop = runStop_.get_token()](Worker::State& state) {
    const auto refuse = [&](const QString& why) {
      desk_ = nullptr;
      state.desk.reset();
      postAnswer(generation, [this, why] {
        running_ = false;
        emit unitRefused(why);
      });
    };
    try {
      guarded([&] {
        if (!state.bench) throw Error(ErrorKind::LinkLost, "the probe is no longer connected", "Connect again.");
        auto desk = std::make_shared<UnitDesk>(sheet, which);
        desk_ = desk.get();
        state.desk = desk;
        const auto read = [&](const std::string& memory, const std::vector<AddressRange>& ranges) {
          plan::Wanted look = run::wantedFor(sheet, memory, plan::Task::Read);
          look.ranges = ranges;
          run::RunObserver nobody;
          const run::RecordPtr record = run::carryOut(look, *state.bench, desk->usual().all, nobody, stop);
          if (!record->good()) throw Error(record->error.value_or(ErrorKind::Internal), record->message);
        };
        const auto with = std::make_shared<const sheet::Sheet>(desk->unit().begin(*state.bench, read));
        state.bench->setSheet(*with);
        postAnswer(generation, [this, with, unit = desk->unit().unit(), cameBack = desk->unit().cameBack()] {
          running_ = false;
          emit unitBegun(with, unit, cameBack);
        });
      });
    } catch (const Error& e) {
      refuse(told(e));
    }
  });
}

void BenchSession::settleUnit(bool good, const QString& why) {
  // Whatever is begun or ended next, this is not dropped with what else waits.
  worker_.postKept([=, this](Worker::State& state) {
    if (desk_ == nullptr) return;
    QString problem;
    try {
      guarded([&] { desk_->unit().settle(good, why.toStdString()); });
    } catch (const Error& e) {
      problem = told(e);
    }
    const units::Unit unit = desk_->unit().unit();
    desk_ = nullptr;
    state.desk.reset();
    // The bench is connected or not by now: what became of the unit is told all the same.
    QMetaObject::invokeMethod(
        this, [this, unit, problem] { emit unitSettled(unit, problem); }, Qt::QueuedConnection);
  });
}

const run::RunSeams& BenchSession::seamsOf(const run::RunSeams& usual) {
  return desk_ == nullptr ? usual : desk_->seams();
}

}  // namespace imprimo::app
