// SPDX-License-Identifier: GPL-3.0-or-later
//
// The session's work with parts themselves: configuring, looking at them, restarting, trying a card.
#include <QElapsedTimer>

#include "app/session/bench_session.h"
#include "core/base/stoppable_progress.h"
#include "core/store/file_records.h"
#include "core/store/folders.h"

namespace imprimo::app {

void BenchSession::configure(std::shared_ptr<run::ConfigureJob> job) {
  startRun({}, [job](bench::Bench& bench, run::RunObserver& observer, std::stop_token stop) {
    store::FileRecordSink records(store::dataFolder() / "records");
    return run::carryOut(*job, bench, records, observer, std::move(stop));
  });
}

void BenchSession::restart() {
  startRun({}, [](bench::Bench& bench, run::RunObserver& observer, std::stop_token stop) {
    store::FileRecordSink records(store::dataFolder() / "records");
    return run::restartTarget(bench, records, observer, std::move(stop));
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
      news.problem = QString::fromStdString(e.full());
      if (e.kind() == ErrorKind::LinkLost) linkFailed(generation, e);
    }
    postAnswer(generation, [this, news] { emit devicesLooked(news); });
  });
}

void BenchSession::tryCardStep(std::size_t position, const std::string& cardText, bool restartSteps, std::size_t step,
                               std::shared_ptr<const configure::ConfigData> data) {
  if (!connected_ || running_) return;
  runStop_ = std::stop_source();
  worker_.post([=, this, generation = generation_, stop = runStop_.get_token()](Worker::State& state) {
    if (!state.bench) return;
    CardStepNews news;
    news.step = step;
    QElapsedTimer timer;
    timer.start();
    try {
      const auto description = state.bench->sheet().chain.at(position - 1).description;
      const configure::Target target{position, state.bench->sheet().chain[position - 1].name, description.get()};
      const configure::ConfigCard card = configure::parseConfigCard(cardText, "card", *description);
      StoppableProgress watch(stop);
      jtag::Chain& chain = state.bench->chain();
      try {
        const auto procedure = configure::cardProcedure(target, card, restartSteps ? card.restart : card.configure,
                                                        data.get(), chain.port().clockHz());
        news.note = QString::fromStdString(procedure->carryOut(step, chain, watch).note);
      } catch (const Error& e) {
        if (e.kind() == ErrorKind::LinkLost) throw;
        news.problem = QString::fromStdString(e.full());
      }
      news.seconds = static_cast<double>(timer.elapsed()) / 1000;
      if (card.status) news.status = configure::lookAt(target, &card, chain).status;
    } catch (const Error& e) {
      news.problem = QString::fromStdString(e.full());
      if (e.kind() == ErrorKind::LinkLost) linkFailed(generation, e);
    }
    postAnswer(generation, [this, news] { emit cardTried(news); });
  });
}

}  // namespace imprimo::app
