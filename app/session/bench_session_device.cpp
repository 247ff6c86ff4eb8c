// SPDX-License-Identifier: GPL-3.0-or-later
//
// The session's questions to one memory, beside its bytes: registers, tables, size.
#include "app/session/bench_session.h"

namespace imprimo::app {

void BenchSession::askRegisters(const std::string& memory, std::function<void(bench::Bench&)> work) {
  if (!connected_ || running_) return;
  worker_.post([=, this, generation = generation_](Worker::State& state) {
    if (!state.bench) return;
    RegisterNews news{memory, {}, {}};
    try {
      work(*state.bench);
      news.values = state.bench->at(memory).registers();
    } catch (const Error& e) {
      news.problem = QString::fromStdString(e.full());
      if (e.kind() == ErrorKind::LinkLost) linkFailed(generation, e);
      try {
        // What a refused write left behind is worth knowing.
        if (e.kind() == ErrorKind::Refused) news.values = state.bench->at(memory).readRegisters();
      } catch (const Error&) {
        news.values.clear();
      }
    }
    postAnswer(generation, [this, news] { emit registersRead(news); });
  });
}

void BenchSession::readRegisters(const std::string& memory) {
  askRegisters(memory, [memory](bench::Bench& bench) { bench.at(memory).readRegisters(); });
}

void BenchSession::writeRegister(const std::string& memory, std::size_t index, std::uint8_t value) {
  askRegisters(memory, [=](bench::Bench& bench) { bench.at(memory).writeRegister(index, value); });
}

void BenchSession::askMemory(const std::string& memory) {
  if (!connected_ || running_) return;
  worker_.post([=, this, generation = generation_](Worker::State& state) {
    if (!state.bench) return;
    MemoryNews news{memory, {}, {}};
    try {
      news.evidence = state.bench->at(memory).ask();
    } catch (const Error& e) {
      news.problem = QString::fromStdString(e.full());
    }
    postAnswer(generation, [this, news] { emit memoryAsked(news); });
  });
}

void BenchSession::probeSize(const std::string& memory, std::uint64_t size) {
  if (!connected_ || running_) return;
  worker_.post([=, this, generation = generation_](Worker::State& state) {
    if (!state.bench) return;
    std::optional<bool> wraps;
    try {
      wraps = state.bench->at(memory).wrapsAt(size);
    } catch (const Error&) {
      // Whatever is wrong with the link is told by others; the size stays untold.
    }
    postAnswer(generation, [=, this] { emit sizeProbed(QString::fromStdString(memory), size, wraps); });
  });
}

}  // namespace imprimo::app
