// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/bench_session.h"

#include <algorithm>
#include <utility>

#include "app/session/connect.h"
#include "app/session/help_words.h"
#include "app/session/session_observer.h"
#include "core/base/number.h"
#include "core/base/stoppable_progress.h"
#include "core/debug/mem_ap.h"
#include "core/debug/rom_table.h"
#include "core/debug/swd_wires.h"
#include "core/probe/open_probe.h"
#include "core/probe/packet_pipe.h"
#include "core/run/earlier_run.h"
#include "core/run/knowledge.h"
#include "core/store/folders.h"
#include "core/store/user_library.h"
#include "records/store_seams.h"

namespace imprimo::app {
namespace {

constexpr std::uint64_t kBackgroundPiece = std::uint64_t{32} * 1024;

/// The parts of `ranges` that are not known for certain.
std::vector<AddressRange> unsureIn(const memory::KnownContents& known, const std::vector<AddressRange>& ranges) {
  RangeSet missing(ranges);
  for (const AddressRange& sure : known.sure().ranges()) missing.remove(sure);
  return missing.ranges();
}

/// What the ROM table behind the first access port says; nothing where that is closed, or has none.
std::optional<std::uint32_t> tableOf(debug::DebugPort& port) {
  try {
    debug::MemAp bus(port, {0});
    bus.identify();
    const std::optional<std::uint32_t> base = bus.base();
    if (!base) return std::nullopt;
    const auto table = debug::romTableAt(*base, [&](std::uint32_t at) { return std::optional(bus.readWord(at)); });
    return table ? std::optional(table->asTarget()) : std::nullopt;
  } catch (const Error&) {
    return std::nullopt;
  }
}

/// Where no chain answers: what does on SWD, if the probe speaks that.
std::optional<FoundPort> portOnSwd(const QString& address, const probe::SystemRoot& system) {
  try {
    probe::ProbeOptions options = probeOptions();
    options.wires = probe::Wires::Swd;
    const auto probe = probe::openProbe(address.toStdString(), options, system);
    debug::SwdWires wires(probe::swdOf(*probe));
    debug::DebugPort port(wires);
    port.connect();
    FoundPort found{port.dpidr(), port.targetId(), tableOf(port), {}};
    found.words =
        BenchSession::tr("A debug port answers on SWD: %1, DPIDR %2")
            .arg(QString::fromStdString(debug::dpidrText(found.dpidr)), QString::fromStdString(hexIdcode(found.dpidr)));
    if (found.target)
      found.words += BenchSession::tr(", TARGETID %1").arg(QString::fromStdString(hexIdcode(*found.target)));
    if (found.table)
      found.words += BenchSession::tr(", ROM table of %1").arg(QString::fromStdString(hexIdcode(*found.table)));
    return found;
  } catch (const Error&) {
    return std::nullopt;  // then it is said that no chain answers
  }
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

void BenchSession::postAnswer(quint64 generation, std::function<void()> tell) {
  answer(generation, std::move(tell));
}

BenchSession::BenchSession(QObject* parent) : QObject(parent) {
  connect(&usb_, &UsbWatch::changed, this, &BenchSession::listProbes);
  constexpr int kLookMs = 1000;
  idle_.setInterval(kLookMs);
  connect(&idle_, &QTimer::timeout, this, &BenchSession::lookAfter);
  connect(this, &BenchSession::connected, this, [this] { idle_.start(); });
  connect(this, &BenchSession::disconnected, this, [this] { idle_.stop(); });
}

BenchSession::~BenchSession() {
  for (std::stop_source* source : {&viewStop_, &backgroundStop_, &runStop_, &connectStop_, &wireStop_})
    source->request_stop();
}

void BenchSession::connectTo(const QString& address, const sheet::Sheet& sheet, std::optional<std::uint32_t> wait) {
  disconnectBench();
  const quint64 generation = generation_;
  connectStop_ = std::stop_source();
  emit connecting(address);
  ConnectWish wish{address, sheet, wait ? wait : sheet.waitSeconds, system_, {}, connectStop_.get_token()};
  wish.told = [this, generation, since = std::make_shared<QElapsedTimer>()](double left) {
    if (since->isValid() && since->elapsed() < kUpdateMs) return;
    since->start();
    answer(generation, [this, left] { emit waiting(left); });
  };
  worker_.post([=, this](Worker::State& state) {
    auto report = std::make_shared<ConnectReport>(openBench(state.bench, wish));
    for (const auto& [memory, identity] : report->memories) {
      if (state.bench) lookForEarlier(generation, *state.bench, memory);
    }
    answer(generation, [this, report] {
      connected_ = !report->error || report->error == ErrorKind::ChainMismatch;
      emit connected(*report);
    });
  });
}

void BenchSession::lookForEarlier(quint64 generation, bench::Bench& bench, const std::string& memory) {
  if (!bench.identified(memory)) return;
  QStringList runs;
  for (const run::RunNote& note : run::earlierRuns(store::userNotes(), bench.at(memory).copyOf(false)))
    runs += QString::fromStdString(run::earlierText(note));
  answer(generation, [this, memory = QString::fromStdString(memory), runs] { emit earlierFound(memory, runs); });
}

void BenchSession::disconnectBench() {
  ++generation_;
  for (std::stop_source* source : {&viewStop_, &backgroundStop_, &runStop_, &connectStop_, &wireStop_})
    source->request_stop();
  worker_.clear();
  worker_.post([](Worker::State& state) { state.bench.reset(); });
  running_ = false;
  if (std::exchange(connected_, false)) emit disconnected({});
}

void BenchSession::explore(const QString& address) {
  disconnectBench();
  worker_.post([=, this, generation = generation_, system = system_](Worker::State&) {
    Exploration found;
    found.address = address;
    try {
      const bsdl::Library library = store::openLibrary();
      std::unique_ptr<probe::Probe> probe;
      try {
        probe = probe::openProbe(address.toStdString(), probeOptions(), system);
        found.chain = jtag::examine(probe::tapOf(*probe), [&](std::uint32_t idcode) { return library.find(idcode); });
      } catch (const Error& e) {
        if (e.kind() != ErrorKind::BrokenChain && e.kind() != ErrorKind::NoProbe) throw;
        probe.reset();  // one connection at a time
        found.port = portOnSwd(address, system);
        if (!found.port) throw;
      }
      for (const jtag::FoundDevice& device : found.chain.devices) {
        found.candidates.push_back(device.idcode ? library.candidates(*device.idcode)
                                                 : std::vector<bsdl::Library::Candidate>{});
      }
    } catch (const Error& e) {
      found.problem = told(e);
    }
    answer(generation, [=, this] { emit explored(found); });
  });
}

void BenchSession::setSystemRoot(probe::SystemRoot root) {
  system_ = std::move(root);
  usb_.setRoot(system_.root);
}

void BenchSession::listProbes() {
  worker_.post([=, this, system = system_](Worker::State& state) {
    try {
      probe::ProbeListing listing = probe::listProbes(probeOptions(), system);
      // Where one of them is in use, the others are not worth disturbing it.
      if (!state.bench) probe::measureAll(listing, probeOptions(), system);
      QMetaObject::invokeMethod(
          this, [this, listing] { emit probesListed(listing); }, Qt::QueuedConnection);
    } catch (const Error& e) {
      QMetaObject::invokeMethod(
          this, [this, why = told(e)] { emit probeTrouble(why); }, Qt::QueuedConnection);
    }
  });
}

void BenchSession::changeSystem(std::function<void()> change) {
  worker_.post([this, change = std::move(change)](Worker::State&) {
    try {
      change();
    } catch (const Error& e) {
      QMetaObject::invokeMethod(
          this, [this, why = told(e)] { emit probeTrouble(why); }, Qt::QueuedConnection);
    }
  });
  listProbes();
}

void BenchSession::releaseDriver(const probe::ProbeEntry& entry) {
  changeSystem([entry] { probe::releaseKernelDriver(entry.bus, entry.device, entry.interface, entry.address); });
}

void BenchSession::installRule() {
  changeSystem(
      [system = system_] { probe::installUdevRule(probe::udevRule(probe::listProbes(probeOptions(), system))); });
}

void BenchSession::findClock() {
  if (!connected_ || running_) return;
  viewStop_.request_stop();
  backgroundStop_.request_stop();
  runStop_ = std::stop_source();
  worker_.post([=, this, generation = generation_, stop = runStop_.get_token()](Worker::State& state) {
    if (!state.bench) return;
    try {
      const bench::ClockReport report = state.bench->findClock(
          [=, this](const probe::ClockSample& sample) {
            answer(generation, [this, sample] { emit clockSampled(sample); });
          },
          stop);
      answer(generation, [this, report] { emit clockFound(report); });
    } catch (const Error& e) {
      answer(generation, [this, why = told(e)] { emit clockFailed(why); });
      if (e.kind() == ErrorKind::LinkLost) linkFailed(generation, e);
    }
  });
}

void BenchSession::applyClock(const sheet::Sheet& sheet) {
  worker_.post([=, this, generation = generation_](Worker::State& state) {
    if (!state.bench) return;
    try {
      state.bench->setSheet(sheet);
      if (sheet.clockHz) state.bench->setClock(*sheet.clockHz);
    } catch (const Error& e) {
      linkFailed(generation, e);
    }
  });
}

void BenchSession::readForView(const std::string& memory, AddressRange range) {
  viewStop_.request_stop();
  viewStop_ = std::stop_source();
  if (!connected_ || running_) return;
  worker_.postUrgent([=, this, generation = generation_, stop = viewStop_.get_token()](Worker::State& state) {
    if (stop.stop_requested() || !state.bench || !state.bench->identified(memory)) return;
    try {
      for (const AddressRange& missing : unsureIn(state.bench->at(memory).contents(), {range})) {
        Bytes bytes(missing.size());
        StoppableProgress progress(stop);
        state.bench->at(memory).memory().read(missing.begin, bytes, progress);
        state.bench->at(memory).contents().write(missing.begin, bytes);
      }
      ContentsUpdate news{memory, {range}, {}, false};
      news.contents = copyOf(state.bench->at(memory).contents().bytes(), range);
      answer(generation, [this, news = std::move(news)] { emit contentsChanged(news); });
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::Stopped) linkFailed(generation, e);
    }
  });
}

void BenchSession::readInBackground(const std::string& memory, const std::vector<AddressRange>& ranges) {
  backgroundStop_.request_stop();
  backgroundStop_ = std::stop_source();
  if (!connected_ || running_) return;
  backgroundPiece(generation_, memory, ranges, backgroundStop_.get_token());
}

/// One piece, then the next one is posted behind whatever was asked for meanwhile.
void BenchSession::backgroundPiece(quint64 generation, const std::string& memory,
                                   const std::vector<AddressRange>& ranges, const std::stop_token& stop) {
  worker_.post([=, this](Worker::State& state) {
    if (stop.stop_requested() || !state.bench || !state.bench->identified(memory)) return;
    if (pinsDriven_) return backgroundPiece(generation, memory, ranges, stop);  // they would be let go for it
    try {
      const auto missing = unsureIn(state.bench->at(memory).contents(), ranges);
      if (missing.empty()) {
        answer(generation, [this, memory] { emit backgroundRead(QString::fromStdString(memory)); });
        return;
      }
      const AddressRange piece = missing.front().cut({missing.front().begin, missing.front().begin + kBackgroundPiece});
      Bytes bytes(piece.size());
      StoppableProgress progress(stop);
      state.bench->at(memory).memory().read(piece.begin, bytes, progress);
      state.bench->at(memory).contents().write(piece.begin, bytes);
      ContentsUpdate news{memory, {piece}, {}, false};
      news.contents.write(piece.begin, bytes);
      answer(generation, [this, news = std::move(news)] { emit contentsChanged(news); });
      backgroundPiece(generation, memory, missing, stop);
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::Stopped) linkFailed(generation, e);
    }
  });
}

void BenchSession::plan(const plan::WantedPtr& shared, const std::optional<memory::Geometry>& onPaper) {
  const quint64 number = ++latestPlan_;
  worker_.postUrgent([=, this, generation = generation_](Worker::State& state) {
    if (number != latestPlan_) return;
    try {
      plan::Knowledge knowledge;
      if (state.bench && state.bench->identified(shared->memory)) {
        knowledge = run::knowledgeOf(*state.bench, shared->memory);
        knowledge.preview = true;
      } else if (auto last = state.bench ? run::lastKnownOf(*state.bench, shared->memory) : std::nullopt) {
        knowledge = std::move(*last);
        knowledge.preview = true;
      } else {
        knowledge.geometry = onPaper;
      }
      auto made = std::make_shared<plan::Plan>(plan::makePlan(*shared, knowledge));
      if (state.bench && state.bench->identified(shared->memory)) {
        const auto earlier = run::earlierRuns(store::userNotes(), state.bench->at(shared->memory).copyOf(false));
        run::addFinishStep(*made, *shared, earlier);
      }
      const PlanPtr plan = std::move(made);
      answer(generation, [this, plan] { emit planned(plan); });
    } catch (const Error& e) {
      answer(generation, [this, why = told(e)] { emit planRefused(why); });
    }
  });
}

void BenchSession::startRun(
    const std::string& memory,
    const std::function<run::RecordPtr(bench::Bench&, run::RunObserver&, std::stop_token)>& work) {
  if (!connected_ || running_) return;
  viewStop_.request_stop();
  backgroundStop_.request_stop();
  wireStop_.request_stop();
  runStop_ = std::stop_source();
  samplePins(0);
  running_ = true;
  emit runStarted();
  worker_.post([=, this, generation = generation_, stop = runStop_.get_token()](Worker::State& state) {
    if (!state.bench) {
      auto record = std::make_shared<run::Record>();
      record->memory = memory;
      record->error = ErrorKind::LinkLost;
      record->message = "The probe is no longer connected; nothing was sent. Connect again.";
      answer(generation, [this, record = RecordPtr(record)] {
        running_ = false;
        emit runFinished(record);
      });
      linkFailed(generation, Error(ErrorKind::LinkLost, "the probe was lost", "Connect again."));
      return;
    }
    const bool knew = !memory.empty() && state.bench->identified(memory);
    std::vector<std::string> known;
    for (const sheet::MemoryEntry& entry : state.bench->sheet().memories) {
      if (state.bench->identified(entry.name)) known.push_back(entry.name);
    }
    Observer observer(*this, generation, *state.bench, memory);
    const run::RecordPtr record = work(*state.bench, observer, stop);
    if (!memory.empty() && !knew && state.bench->identified(memory)) {
      answer(generation, [this, memory, identity = state.bench->at(memory).identity(),
                          registers = state.bench->at(memory).lastRegisters()] {
        emit memoryIdentified(memory, identity, registers);
      });
    }
    if (!memory.empty()) lookForEarlier(generation, *state.bench, memory);
    // Behind a restart, or with another design, memories may hold something else.
    for (const std::string& name : known) {
      if (state.bench->identified(name)) continue;
      answer(generation, [this, name] { emit contentsChanged({name, {}, {}, true}); });
    }
    if (record->error != ErrorKind::LinkLost) return;
    state.bench.reset();
    linkFailed(generation, Error(ErrorKind::LinkLost, "the probe was lost during the run", "Connect again."));
  });
}

void BenchSession::run(const plan::WantedPtr& wanted) {
  startRun(wanted->memory, [this, wanted](bench::Bench& bench, run::RunObserver& observer, std::stop_token stop) {
    records::StoreSeams seams;
    return run::carryOut(*wanted, bench, seamsOf(seams.all), observer, std::move(stop));
  });
}

void BenchSession::stop() {
  runStop_.request_stop();
}

}  // namespace imprimo::app
