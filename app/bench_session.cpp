// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench_session.h"

#include <QElapsedTimer>
#include <algorithm>
#include <utility>

#include "core/probe/open_probe.h"
#include "core/run/folders.h"

namespace imprimo::app {
namespace {

constexpr std::uint64_t kBackgroundPiece = 32 * 1024;
constexpr int kUpdateMs = 33;  // at most 30 updates a second

/// Reads as long as nobody says stop.
class StoppableProgress : public Progress {
 public:
  explicit StoppableProgress(std::stop_token stop) : stop_(std::move(stop)) {}
  void advanced(const AddressRange&) override {}
  bool stopRequested() const override { return stop_.stop_requested(); }

 private:
  std::stop_token stop_;
};

/// The parts of `ranges` that are not known yet.
std::vector<AddressRange> unknownIn(const MemoryImage& known, const std::vector<AddressRange>& ranges) {
  RangeSet missing(ranges);
  for (const AddressRange& range : ranges) {
    for (const MemoryImage::Segment& s : known.segmentsIn(range)) missing.remove(s.range());
  }
  return missing.ranges();
}

MemoryImage copyOf(const MemoryImage& image, const AddressRange& range) {
  MemoryImage copy;
  for (const MemoryImage::Segment& s : image.segmentsIn(range)) copy.write(s.begin, s.bytes);
  return copy;
}

ConnectReport openBench(std::unique_ptr<run::Bench>& bench, const QString& address, const sheet::Sheet& sheet) {
  ConnectReport report;
  try {
    bench.reset();
    probe::ProbeOptions options;
    options.clockHz = sheet.clockHz.value_or(options.clockHz);
    bench = std::make_unique<run::Bench>(sheet, probe::openProbe(address.toStdString(), options));
    report.probe = bench->probe().info();
    report.clockHz = bench->probe().clockHz();
    report.chain = bench->examine();
    report.rows = jtag::compare(run::expectedChain(sheet), report.chain);
    jtag::requireMatch(run::expectedChain(sheet), report.chain);
    report.matches = true;
    report.link = bench->checkLink(100);
  } catch (const Error& e) {
    report.error = e.kind();
    report.message = QString::fromStdString(e.full());
    if (e.kind() != ErrorKind::ChainMismatch) bench.reset();
    return report;
  }
  for (const sheet::MemoryEntry& entry : sheet.memories) {
    try {
      report.memories[entry.name] = bench->identify(entry.name);
    } catch (const Error& e) {
      report.memoryErrors[entry.name] = QString::fromStdString(e.full());
      if (e.kind() != ErrorKind::LinkLost) continue;
      report.error = e.kind();
      report.message = report.memoryErrors[entry.name];
      bench.reset();
      return report;
    }
  }
  return report;
}

}  // namespace

template <typename Tell>
void BenchSession::answer(quint64 generation, Tell&& tell) {
  QMetaObject::invokeMethod(
      this,
      [this, generation, tell = std::forward<Tell>(tell)] {
        if (generation == generation_) tell();
      },
      Qt::QueuedConnection);
}

/// Sends what a run does to the GUI thread, progress at most 30 times a second.
class BenchSession::Observer : public run::RunObserver {
 public:
  Observer(BenchSession& session, quint64 generation, run::Bench& bench, std::string memory)
      : session_(session), generation_(generation), bench_(bench), memory_(std::move(memory)) {
    sinceUpdate_.start();
  }

  void planned(const run::Plan& plan) override {
    auto shared = std::make_shared<const run::Plan>(plan);
    tell([&s = session_, shared] { emit s.runPlanned(shared); });
  }
  void stepStarted(std::size_t step) override {
    tell([&s = session_, step] { emit s.stepStarted(static_cast<int>(step)); });
  }
  void advanced(std::size_t step, const AddressRange& range, std::uint64_t done) override {
    touched_.add(range);
    step_ = step;
    done_ = done;
    if (sinceUpdate_.elapsed() >= kUpdateMs) update();
  }
  void stepFinished(std::size_t step, const run::RanStep& ran) override {
    update();
    tell([&s = session_, step, seconds = ran.seconds] { emit s.stepFinished(static_cast<int>(step), seconds); });
  }
  void finished(const run::Record& record) override {
    update();
    auto shared = std::make_shared<const run::Record>(record);
    tell([&s = session_, shared] {
      s.running_ = false;
      emit s.runFinished(shared);
    });
  }

 private:
  template <typename Tell>
  void tell(Tell&& what) {
    session_.answer(generation_, std::forward<Tell>(what));
  }

  void update() {
    sinceUpdate_.restart();
    if (touched_.empty()) return;
    ContentsUpdate news{memory_, touched_.ranges(), {}};
    if (bench_.identified(memory_)) {
      for (const AddressRange& r : news.touched) news.contents.write(copyOf(bench_.contents(memory_), r));
    }
    touched_ = {};
    tell([&s = session_, news = std::move(news), step = step_, done = done_] {
      emit s.contentsChanged(news);
      emit s.stepAdvanced(static_cast<int>(step), done);
    });
  }

  BenchSession& session_;
  quint64 generation_;
  run::Bench& bench_;
  std::string memory_;
  QElapsedTimer sinceUpdate_;
  RangeSet touched_;
  std::size_t step_ = 0;
  std::uint64_t done_ = 0;
};

BenchSession::BenchSession(QObject* parent) : QObject(parent) {}

BenchSession::~BenchSession() {
  viewStop_.request_stop();
  backgroundStop_.request_stop();
  runStop_.request_stop();
}

void BenchSession::connectTo(const QString& address, const sheet::Sheet& sheet) {
  disconnectBench();
  const quint64 generation = generation_;
  emit connecting(address);
  worker_.post([=, this](Worker::State& state) {
    auto report = std::make_shared<ConnectReport>(openBench(state.bench, address, sheet));
    answer(generation, [this, report] {
      connected_ = !report->error || report->error == ErrorKind::ChainMismatch;
      emit connected(*report);
    });
  });
}

void BenchSession::disconnectBench() {
  ++generation_;
  viewStop_.request_stop();
  backgroundStop_.request_stop();
  runStop_.request_stop();
  worker_.clear();
  worker_.post([](Worker::State& state) { state.bench.reset(); });
  running_ = false;
  if (std::exchange(connected_, false)) emit disconnected({});
}

void BenchSession::explore(const QString& address) {
  disconnectBench();
  worker_.post([=, this, generation = generation_](Worker::State&) {
    jtag::FoundChain chain;
    QString problem;
    try {
      chain = jtag::examine(*probe::openProbe(address.toStdString(), {}), {});
    } catch (const Error& e) {
      problem = QString::fromStdString(e.full());
    }
    answer(generation, [=, this] { emit explored(address, chain, problem); });
  });
}

void BenchSession::linkFailed(quint64 generation, const Error& error) {
  answer(generation, [this, why = QString::fromStdString(error.full())] {
    ++generation_;
    connected_ = false;
    emit disconnected(why);
  });
}

void BenchSession::readForView(const std::string& memory, AddressRange range) {
  viewStop_.request_stop();
  viewStop_ = std::stop_source();
  if (!connected_ || running_) return;
  worker_.postUrgent([=, this, generation = generation_, stop = viewStop_.get_token()](Worker::State& state) {
    if (stop.stop_requested() || !state.bench || !state.bench->identified(memory)) return;
    try {
      for (const AddressRange& missing : unknownIn(state.bench->contents(memory), {range})) {
        Bytes bytes(missing.size());
        StoppableProgress progress(stop);
        state.bench->memory(memory).read(missing.begin, bytes, progress);
        state.bench->contents(memory).write(missing.begin, bytes);
      }
      ContentsUpdate news{memory, {range}, copyOf(state.bench->contents(memory), range)};
      answer(generation, [this, news = std::move(news)] { emit contentsChanged(news); });
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::Stopped) linkFailed(generation, e);
    }
  });
}

void BenchSession::readInBackground(const std::string& memory, std::vector<AddressRange> ranges) {
  backgroundStop_.request_stop();
  backgroundStop_ = std::stop_source();
  if (!connected_ || running_) return;
  backgroundPiece(generation_, memory, std::move(ranges), backgroundStop_.get_token());
}

/// One piece, then the next one is posted behind whatever was asked for meanwhile.
void BenchSession::backgroundPiece(quint64 generation, std::string memory, std::vector<AddressRange> ranges,
                                   std::stop_token stop) {
  worker_.post([=, this](Worker::State& state) {
    if (stop.stop_requested() || !state.bench || !state.bench->identified(memory)) return;
    try {
      const auto missing = unknownIn(state.bench->contents(memory), ranges);
      if (missing.empty()) {
        answer(generation, [this, memory] { emit backgroundRead(QString::fromStdString(memory)); });
        return;
      }
      const AddressRange piece = missing.front().cut({missing.front().begin, missing.front().begin + kBackgroundPiece});
      Bytes bytes(piece.size());
      StoppableProgress progress(stop);
      state.bench->memory(memory).read(piece.begin, bytes, progress);
      state.bench->contents(memory).write(piece.begin, bytes);
      ContentsUpdate news{memory, {piece}, {}};
      news.contents.write(piece.begin, bytes);
      answer(generation, [this, news = std::move(news)] { emit contentsChanged(news); });
      backgroundPiece(generation, memory, missing, stop);
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::Stopped) linkFailed(generation, e);
    }
  });
}

void BenchSession::plan(const run::Wanted& wanted, std::optional<memory::Geometry> onPaper) {
  const quint64 number = ++latestPlan_;
  auto shared = std::make_shared<const run::Wanted>(wanted);
  worker_.postUrgent([=, this, generation = generation_](Worker::State& state) {
    if (number != latestPlan_) return;
    try {
      run::Knowledge knowledge;
      if (state.bench && state.bench->identified(shared->memory)) {
        knowledge.geometry = state.bench->identity(shared->memory).geometry;
        knowledge.contents = &state.bench->contents(shared->memory);
        knowledge.speed = state.bench->speed();
      } else {
        knowledge.geometry = onPaper;
      }
      auto plan = std::make_shared<const run::Plan>(run::makePlan(*shared, knowledge));
      answer(generation, [this, plan] { emit planned(plan); });
    } catch (const Error& e) {
      answer(generation, [this, why = QString::fromStdString(e.full())] { emit planRefused(why); });
    }
  });
}

void BenchSession::run(const run::Wanted& wanted) {
  if (!connected_ || running_) return;
  viewStop_.request_stop();
  backgroundStop_.request_stop();
  runStop_ = std::stop_source();
  running_ = true;
  emit runStarted();
  auto shared = std::make_shared<const run::Wanted>(wanted);
  worker_.post([=, this, generation = generation_, stop = runStop_.get_token()](Worker::State& state) {
    if (!state.bench) return;
    run::FileBackupStore backups(run::dataFolder() / "backups");
    run::FileRecordSink records(run::dataFolder() / "records");
    Observer observer(*this, generation, *state.bench, shared->memory);
    const run::Record record = run::carryOut(*shared, *state.bench, {backups, records}, observer, stop);
    if (record.error != ErrorKind::LinkLost) return;
    state.bench.reset();
    linkFailed(generation, Error(ErrorKind::LinkLost, "the probe was lost during the run", "Connect again."));
  });
}

void BenchSession::stop() {
  runStop_.request_stop();
}

}  // namespace imprimo::app
