// SPDX-License-Identifier: GPL-3.0-or-later
//
// The session's questions to one memory, beside its bytes.
#include <QPointer>

#include "app/session/bench_session.h"
#include "app/session/help_words.h"
#include "core/store/folder_notes.h"
#include "core/store/folders.h"
#include "records/store_seams.h"

namespace imprimo::app {

void BenchSession::askRegisters(const std::string& memory, const std::function<void(bench::Bench&)>& work) {
  if (!connected_ || running_) return;
  worker_.post([=, this, generation = generation_](Worker::State& state) {
    if (!state.bench) return;
    RegisterNews news{memory, {}, {}};
    try {
      work(*state.bench);
      news.values = state.bench->at(memory).lastRegisters();
    } catch (const Error& e) {
      news.problem = told(e);
      if (e.kind() == ErrorKind::LinkLost) linkFailed(generation, e);
      try {
        // What a refused write left behind is worth knowing.
        if (e.kind() == ErrorKind::Refused) news.values = state.bench->at(memory).registers().read();
      } catch (const Error&) {
        news.values.clear();
      }
    }
    postAnswer(generation, [this, news] { emit registersRead(news); });
  });
}

void BenchSession::readRegisters(const std::string& memory) {
  askRegisters(memory, [memory](bench::Bench& bench) { bench.at(memory).registers().read(); });
}

void BenchSession::writeRegister(const std::string& memory, std::size_t index, std::uint8_t value) {
  askRegisters(memory, [=](bench::Bench& bench) {
    plan::Wanted wanted;
    wanted.task = plan::Task::SetRegisters;
    wanted.memory = memory;
    wanted.registers = {{bench.at(memory).identity().registers.at(index).name, value}};
    store::CopyStore backups = store::userCopies();
    records::StoreSink records;
    store::FolderNotes notes = store::userNotes();
    run::RunObserver nobody;
    const run::RecordPtr record = run::carryOut(wanted, bench, {backups, records, notes}, nobody, {});
    if (!record->good()) throw Error(record->error.value_or(ErrorKind::Internal), record->message);
  });
}

void BenchSession::ask(QObject* asker, const std::function<std::function<void()>(bench::Bench&)>& work) {
  if (!connected_ || running_) return;
  worker_.post([=, this, asker = QPointer<QObject>(asker), generation = generation_](Worker::State& state) {
    if (!state.bench) return;
    postAnswer(generation, [asker, tell = work(*state.bench)] {
      if (asker) tell();
    });
  });
}

}  // namespace imprimo::app
