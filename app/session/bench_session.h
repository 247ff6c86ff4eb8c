// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QTimer>
#include <map>
#include <memory>
#include <optional>
#include <stop_token>
#include <vector>

#include "app/session/connect.h"
#include "app/session/play_control.h"
#include "app/session/usb_watch.h"
#include "app/session/worker.h"
#include "core/base/error.h"
#include "core/bsdl/library.h"
#include "core/console/source.h"
#include "core/pins/driven_cells.h"
#include "core/pins/wire_search.h"
#include "core/probe/probe_list.h"
#include "core/run/configure_runner.h"
#include "core/run/runner.h"
#include "core/run/word_runs.h"
#include "core/store/copy_store.h"
#include "core/vectors/play.h"

namespace imprimo::records {
struct WhichUnit;
}

namespace imprimo::app {

/// News of what a memory holds: `touched` is no longer what was known, `contents` is known now.
struct ContentsUpdate {
  std::string memory;
  std::vector<AddressRange> touched;
  MemoryImage contents;
  bool doubted = false;  ///< all that was known before this is from before now
};

/// A memory's registers as they were read, or why they could not be.
struct RegisterNews {
  std::string memory;
  std::vector<std::uint8_t> values;
  QString problem;
};

/// A debug port that answers on SWD.
struct FoundPort {
  std::uint32_t dpidr = 0;
  std::optional<std::uint32_t> target;  ///< TARGETID
  std::optional<std::uint32_t> table;   ///< what the chip's ROM table says it is, in the form of TARGETID
  QString words;                        ///< "A debug port answers on SWD: DPIDR 0x0c602ffb, …"
};

/// What is on a chain that there is no sheet for, or on the wires of SWD where no chain answers.
struct Exploration {
  QString address;
  std::optional<FoundPort> port;
  QString problem;  ///< empty when the chain was examined
  jtag::FoundChain chain;
  std::vector<std::vector<bsdl::Library::Candidate>> candidates;  ///< for each part, the descriptions that fit
};

/// How parts are now, or why they could not be looked at.
struct DevicesNews {
  std::map<std::size_t, bench::DeviceReport> devices;
  QString problem;
};

/// One step of a configuration card that is being tried: what came of it.
struct CardStepNews {
  std::size_t step = 0;
  QString note, problem;
  double seconds = 0;
  std::optional<BitVector> status;  ///< of the card's register, behind the step
};

/// What a device's pins did in a piece of time.
struct PinNews {
  std::size_t position = 0;
  std::vector<BitVector> captures;   ///< the last of them, as many as a trace shows, one behind the other
  std::vector<std::uint32_t> edges;  ///< of each port since the last news
  std::uint64_t samples = 0;
  double seconds = 0;
  bool driven = false;
  pins::Drives alongside;                ///< ports that are driven without being asked for
  std::vector<BitVector> also;           ///< what was captured of the other device, as many
  std::vector<std::uint32_t> alsoEdges;  ///< of its ports
};

/// How looking for the wires of a flash goes on.
struct WireNews {
  std::size_t tried = 0, most = 0;
  double longest = 0;  ///< seconds, for all of them
  bool ended = false;
  std::optional<pins::WireSearch::Found> found;
  QString problem;
};

using plan::PlanPtr;
using run::RecordPtr;
using PlayReportPtr = std::shared_ptr<const vectors::PlayReport>;

/// The bench as the window sees it: asks on the GUI thread, answers by signals on the GUI thread. The work is done on a
/// thread of its own; answers to questions of an earlier connection are dropped. One function for each question: what
/// they share is the thread and that only one run goes on.
class BenchSession : public QObject {
  Q_OBJECT
 public:
  explicit BenchSession(QObject* parent = nullptr);
  ~BenchSession() override;

  bool isConnected() const { return connected_; }
  bool isBusy() const { return running_; }

  /// With `wait`, up to so many seconds until power and chain are there; waiting() tells of it.
  void connectTo(const QString& address, const sheet::Sheet& sheet, std::optional<std::uint32_t> wait = {});
  void disconnectBench();
  /// Asks what is on a chain that there is no sheet for; explored() answers.
  void explore(const QString& address);

  /// Looks for probes on USB, and asks those that are ready how long they take unless one is in use; probesListed().
  void listProbes();
  /// Takes a probe away from the kernel's serial driver, or installs the udev rule; then lists again.
  void releaseDriver(const probe::ProbeEntry& entry);
  void installRule();
  /// Where USB is looked for: tests put a made tree here.
  const probe::SystemRoot& systemRoot() const { return system_; }
  void setSystemRoot(probe::SystemRoot root);
  /// Looks for the fastest sound clock; clockSampled() tells of each, clockFound() of the outcome. stop() ends it.
  void findClock();
  /// Takes a clock from now on, and the sheet's for single memories.
  void applyClock(const sheet::Sheet& sheet);
  /// The same devices, cores and memories, with other settings.
  void takeSheet(const sheet::Sheet& sheet) { applyClock(sheet); }

  /// Reads `range` before anything else; an earlier request that is still waiting is given up.
  void readForView(const std::string& memory, AddressRange range);
  /// Reads what is not known of `ranges`, in pieces between other requests.
  void readInBackground(const std::string& memory, const std::vector<AddressRange>& ranges);
  /// Plans with what is known. An earlier plan that is still waiting is given up.
  void plan(const plan::WantedPtr& wanted, const std::optional<memory::Geometry>& onPaper);
  void run(const plan::WantedPtr& wanted);
  /// Reserves a unit of the sheet, or finds it again on the board; unitBegun() or unitRefused(). Runs until
  /// settleUnit() are its own, which unitSettled() answers, also where the connection is lost.
  void beginUnit(const sheet::Sheet& sheet, const records::WhichUnit& which);
  void settleUnit(bool good, const QString& why);
  /// Carries a job for a part out, as a run.
  void configure(const std::shared_ptr<run::ConfigureJob>& job);
  /// Plays a file; playAdvanced(), playMismatch(), playFinished(). `control` holds and lets go; stop() ends it.
  void playVectors(const std::shared_ptr<PlayControl>& control, const vectors::PlayWish& wish);
  /// Only lets the target start again, as a run.
  void restart();
  /// Opens a locked core, as a run.
  void unlock(const std::string& core);
  /// Writes a core's configuration words, and closes a core, as runs.
  void writeWords(const run::WordsWanted& wanted);
  void lock(const std::string& core);
  /// Looks at all parts; partsLooked() answers.
  void lookAtDevices();
  /// Carries out step `step` of a card that is being written, its steps for configuring or for restarting; cardTried()
  /// answers. `data` may be null.
  void tryCardStep(std::size_t position, const std::string& cardText, bool restartSteps, std::size_t step,
                   const std::shared_ptr<const configure::ConfigData>& data);

  /// Reads a memory's registers; registersRead() answers.
  void readRegisters(const std::string& memory);
  /// Writes one and reads all back; registersRead() answers.
  void writeRegister(const std::string& memory, std::size_t index, std::uint8_t value);
  /// Asks something of the bench beside runs, for one page of the window: `work` is called on the worker's thread, and
  /// what it returns then on this one, unless `asker` is gone or the connection is another. Not while a run goes on.
  void ask(QObject* asker, const std::function<std::function<void()>(bench::Bench&)>& work);
  void stop();

  /// Listens to what a core says, as long as it is connected and between all other work; heard(). `speech`: its sources
  /// and how they are; with none it is no longer listened to.
  void listen(const std::string& core, const sheet::CoreSpeech& speech);
  /// Says something to it; saidToTarget() tells how much of it was taken.
  void sayToTarget(const std::string& core, const Bytes& bytes);

  /// Samples a device's pins as long as it is connected, between all other work; pinsSampled(). 0: no longer, and all
  /// pins are the devices' own again. `also`: another device that is sampled in the same scans, or 0.
  void samplePins(std::size_t position, std::size_t also = 0);
  /// Drives these ports of the device that is sampled, everything else let go as far as it can be; nothing: its pins
  /// are its own again. A run ends it; reading in the background waits meanwhile. Ports of `clocks` are among the
  /// drives.
  void drivePins(const pins::Drives& drives, const pins::Clocks& clocks = {},
                 pins::Others others = pins::Others::LetGo);
  /// Looks which of these ports of a device lead to a serial flash; wiresTried(). stopWires() ends it.
  void findWires(std::size_t position, const std::vector<std::size_t>& candidates);
  void stopWires() { wireStop_.request_stop(); }

 signals:
  void connecting(const QString& address);
  void connected(const imprimo::app::ConnectReport& report);
  void disconnected(const QString& why);
  void explored(const imprimo::app::Exploration& exploration);
  void waiting(double secondsLeft);  ///< for the target, while connecting
  void probesListed(const imprimo::probe::ProbeListing& listing);
  void probeTrouble(const QString& why);
  void clockSampled(const imprimo::probe::ClockSample& sample);
  void clockFound(const imprimo::bench::ClockReport& report);
  void clockFailed(const QString& why);
  void contentsChanged(const imprimo::app::ContentsUpdate& update);
  void backgroundRead(const QString& memory);
  void planned(const imprimo::app::PlanPtr& plan);
  void planRefused(const QString& why);
  void registersRead(const imprimo::app::RegisterNews& news);
  void devicesLooked(const imprimo::app::DevicesNews& news);
  void cardTried(const imprimo::app::CardStepNews& news);
  /// A memory was asked who it is during a run.
  void memoryIdentified(const std::string& memory, const imprimo::memory::Identity& identity,
                        const std::vector<std::uint8_t>& registers);
  /// Runs on a memory that did not end, each in a sentence; none when they are finished.
  void earlierFound(const QString& memory, const QStringList& runs);
  void runStarted();
  void runPlanned(const imprimo::app::PlanPtr& plan);
  void stepStarted(int step);
  void stepAdvanced(int step, quint64 done);
  void stepWaiting(int step, double secondsLeft);
  void stepFinished(int step, double seconds);
  void runFinished(const imprimo::app::RecordPtr& record);
  void unitBegun(const std::shared_ptr<const imprimo::sheet::Sheet>& with, const imprimo::units::Unit& unit,
                 bool cameBack);
  void unitRefused(const QString& why);
  void unitSettled(const imprimo::units::Unit& unit, const QString& problem);
  void heard(const std::vector<imprimo::console::Heard>& news);
  void listeningFailed(const QString& why);
  void pinsSampled(const imprimo::app::PinNews& news);
  void pinsFailed(const QString& why);
  void wiresTried(const imprimo::app::WireNews& news);
  void saidToTarget(qsizetype taken, qsizetype of);
  void playAdvanced(const imprimo::svf::Played& played);
  void playMismatch(const imprimo::svf::Mismatch& mismatch, const imprimo::vectors::MismatchStory& story);
  void playFinished(const imprimo::app::PlayReportPtr& report);

 private:
  struct Sampling;
  void sampleOn(quint64 generation, const std::shared_ptr<Sampling>& sampling);
  struct Listening;
  void listenOn(quint64 generation, const std::shared_ptr<Listening>& listening);
  class Observer;
  /// Places for notes and records of a run: those of the unit that goes on, if one does. On the worker's thread.
  const run::RunSeams& seamsOf(const run::RunSeams& usual);
  class Player;
  /// Begins a run; `work` makes its record on the worker's thread.
  void startRun(const std::string& memory,
                const std::function<run::RecordPtr(bench::Bench&, run::RunObserver&, std::stop_token)>& work);
  /// Carries `tell` over to the GUI thread, where it is dropped if the connection is another by then.
  template <typename Tell>
  void answer(quint64 generation, Tell&& tell);
  void postAnswer(quint64 generation, std::function<void()> tell);
  void askRegisters(const std::string& memory, const std::function<void(bench::Bench&)>& work);
  void changeSystem(std::function<void()> change);
  void linkFailed(quint64 generation, const Error& error);
  /// Whether the probe is still there, while nothing else asks it.
  void lookAfter();
  /// A task threw what it should not have; on the worker's thread.
  void faulted(const std::string& what);
  /// Looks for runs that did not end; on the worker's thread.
  void lookForEarlier(quint64 generation, bench::Bench& bench, const std::string& memory);
  void backgroundPiece(quint64 generation, const std::string& memory, const std::vector<AddressRange>& ranges,
                       const std::stop_token& stop);

  bool connected_ = false;
  bool running_ = false;
  quint64 generation_ = 0;
  std::atomic<quint64> latestPlan_ = 0;
  UnitDesk* desk_ = nullptr;              // only on the worker's thread
  std::shared_ptr<Sampling> sampling_;    // the same
  std::shared_ptr<Listening> listening_;  // replaced by another, or none, to end it
  std::atomic<bool> pinsDriven_ = false;  // whoever would take the chain meanwhile waits
  std::stop_source viewStop_, backgroundStop_, runStop_, connectStop_, wireStop_;
  probe::SystemRoot system_;
  UsbWatch usb_;
  QTimer idle_;
  Worker worker_{[this](const std::string& what) { faulted(what); }};  // last: its tasks use all of the above
};

}  // namespace imprimo::app
