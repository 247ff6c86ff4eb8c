// SPDX-License-Identifier: GPL-3.0-or-later
//
// The session's work with parts themselves: configuring, looking at them, restarting, trying a card.
#include "app/session/bench_session.h"
#include "app/session/help_words.h"
#include "core/run/core_runs.h"
#include "core/store/folders.h"
#include "records/store_seams.h"

namespace imprimo::app {

void BenchSession::configure(const std::shared_ptr<run::ConfigureJob>& job) {
  startRun({}, [job](bench::Bench& bench, run::RunObserver& observer, std::stop_token stop) {
    records::StoreSink records;
    return run::carryOut(*job, bench, records, observer, std::move(stop));
  });
}

void BenchSession::restart() {
  startRun({}, [](bench::Bench& bench, run::RunObserver& observer, const std::stop_token& stop) {
    records::StoreSink records;
    return run::restartTarget(bench, records, observer, stop);
  });
}

void BenchSession::unlock(const std::string& core) {
  startRun({}, [core](bench::Bench& bench, run::RunObserver& observer, const std::stop_token& stop) {
    records::StoreSink records;
    return run::unlockCore(bench, core, records, observer, stop);
  });
}

void BenchSession::writeWords(const run::WordsWanted& wanted) {
  startRun({}, [this, wanted](bench::Bench& bench, run::RunObserver& observer, const std::stop_token& stop) {
    records::StoreSeams seams;
    return run::writeWords(wanted, bench, seamsOf(seams.all), observer, stop);
  });
}

void BenchSession::lock(const std::string& core) {
  startRun({}, [this, core](bench::Bench& bench, run::RunObserver& observer, const std::stop_token& stop) {
    records::StoreSeams seams;
    return run::lockCore(bench, core, seamsOf(seams.all).records, observer, stop);
  });
}

void BenchSession::lookAtDevices() {
  if (!connected_ || running_) return;
  worker_.post([=, this, generation = generation_](Worker::State& state) {
    if (!state.bench) return;
    DevicesNews news;
    try {
      news.devices = app::lookAtDevices(*state.bench);
    } catch (const Error& e) {
      news.problem = told(e);
      if (e.kind() == ErrorKind::LinkLost) linkFailed(generation, e);
    }
    postAnswer(generation, [this, news] { emit devicesLooked(news); });
  });
}

void BenchSession::tryCardStep(std::size_t position, const std::string& cardText, bool restartSteps, std::size_t step,
                               const std::shared_ptr<const configure::ConfigData>& data) {
  if (!connected_ || running_) return;
  runStop_ = std::stop_source();
  worker_.post([=, this, generation = generation_, stop = runStop_.get_token()](Worker::State& state) {
    if (!state.bench) return;
    CardStepNews news;
    news.step = step;
    try {
      const sheet::Device& device = state.bench->sheet().chain.at(position - 1);
      const run::CardTrial trial{position, configure::parseConfigCard(cardText, "card", *device.description),
                                 restartSteps, step, data};
      records::StoreSink records;
      const run::RecordPtr record = run::tryCardStep(trial, *state.bench, records, stop);
      if (!record->steps.empty()) {
        news.note = QString::fromStdString(record->steps.back().note);
        news.seconds = record->steps.back().seconds;
      }
      if (record->error == ErrorKind::LinkLost) throw Error(ErrorKind::LinkLost, record->message);
      if (record->error) news.problem = withHelp(QString::fromStdString(record->message), record->help);
      const configure::Target target{position, device.name, device.description.get()};
      if (trial.card.status) news.status = configure::lookAt(target, &trial.card, state.bench->chain()).status;
    } catch (const Error& e) {
      news.problem = told(e);
      if (e.kind() == ErrorKind::LinkLost) linkFailed(generation, e);
    }
    postAnswer(generation, [this, news] { emit cardTried(news); });
  });
}

}  // namespace imprimo::app
