// SPDX-License-Identifier: GPL-3.0-or-later
#include "line/station.h"

#include <fmt/format.h>

#include "core/base/utc.h"
#include "line/health.h"
#include "line/operator_words.h"

namespace imprimo::line {
namespace {

constexpr std::chrono::milliseconds kBetweenLooks{100}, kAtLeast{5};
constexpr int kInARow = 3, kDeadLooks = 30;

std::mutex gClaims;
std::map<std::string, std::uint64_t> gUnderWay;  // boards that are being done, by release

/// Of the plan that is carried out, how far it is.
class Progress : public run::RunObserver {
 public:
  explicit Progress(Watcher& watcher) : watcher_(watcher) {}
  void planned(const plan::PlanPtr& plan) override { plan_ = plan; }
  void stepStarted(std::size_t step) override { tell(step, 0); }
  void advanced(std::size_t step, const AddressRange&, const Amount& done) override {
    if (!plan_ || step >= plan_->steps.size()) return;
    const double all = plan_->steps[step].amount.empty() ? 0 : static_cast<double>(plan_->steps[step].amount.count);
    tell(step, all <= 0 ? 0 : std::min(1.0, static_cast<double>(done.count) / all));
  }

 private:
  void tell(std::size_t step, double part) {
    if (!plan_ || step >= plan_->steps.size()) return;
    double before = 0, all = 0;
    for (std::size_t i = 0; i < plan_->steps.size(); ++i) {
      const double seconds = std::max(plan_->steps[i].seconds, 0.001);
      all += seconds;
      before += i < step ? seconds : i == step ? seconds * part : 0;
    }
    watcher_.advanced(plan_->steps[step].title, before / all);
  }

  Watcher& watcher_;
  plan::PlanPtr plan_;
};

}  // namespace

Station::Station(const release::Release& release, const sheet::Sheet& sheet, Place place, Watcher& watcher)
    : release_(release),
      sheet_(sheet),
      place_(std::move(place)),
      watcher_(watcher),
      run_(sheet, place_.store),
      book_(bookFolder(), release.id) {}

void Station::press() {
  const std::lock_guard lock(mutex_);
  pressed_ = true;
  told_.notify_all();
}

void Station::give(const std::string& value) {
  const std::lock_guard lock(mutex_);
  value_ = value;
  told_.notify_all();
}

void Station::interrupt() {
  const std::lock_guard lock(mutex_);
  turn_.request_stop();
}

/// Places of one release share its limit: a board that is being done counts until it is booked.
class Station::Claim {
 public:
  explicit Claim(Station& station) : id_(station.release_.id) {
    for (;;) {
      {
        const std::lock_guard lock(gClaims);
        station.requireLeft();
        const auto left = station.limitLeft();
        if (!left || gUnderWay[id_] < *left) {
          ++gUnderWay[id_];
          return;
        }
      }
      // The last ones may fail yet, and then there is one more to do.
      std::unique_lock lock(station.mutex_);
      station.told_.wait_for(lock, station.stop_, kBetweenLooks, [] { return false; });
      if (station.stop_.stop_requested()) throw Error(ErrorKind::Stopped, "stopped before the board was touched");
    }
  }
  Claim(const Claim&) = delete;
  Claim& operator=(const Claim&) = delete;
  ~Claim() {
    const std::lock_guard lock(gClaims);
    --gUnderWay[id_];
  }

 private:
  std::string id_;
};

std::optional<BoardResult> Station::work(std::optional<std::uint64_t> units, std::stop_token stop) {
  stop_ = std::move(stop);
  std::optional<BoardResult> last;
  for (std::uint64_t turns = 0; !stop_.stop_requested() && (!units || turns < *units);) {
    {
      const std::lock_guard lock(mutex_);
      turn_ = std::stop_source();
    }
    const std::stop_callback ends(stop_, [this] { interrupt(); });
    try {
      if (!begin()) break;
      last = carryOut();
      if (last->kind == BoardResult::Kind::Halted) {
        if (!awaitKey(Phase::Halted, last->sentence)) break;
        continue;
      }
      ++turns;
      if ((!units || turns < *units) && !awaitRemoval()) break;
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::Stopped) break;
      last = halted(e);
      if (!awaitKey(Phase::Halted, last->sentence)) break;
    } catch (const std::exception& e) {
      last = halted(Error(ErrorKind::Internal, e.what()));
      if (!awaitKey(Phase::Halted, last->sentence)) break;
    }
  }
  bench_.reset();
  watcher_.entered(Phase::Ended, "");
  return last;
}

/// All that comes before a board is touched. False where it was stopped.
bool Station::begin() {
  release::requireUnchanged(release_, release::releasesFolder());
  requireLeft();
  if (!askFields()) return false;
  open();
  return awaitStart();
}

/// One board's turn. What became of it is told whatever happens to the books.
BoardResult Station::carryOut() {
  const Claim claim(*this);
  watcher_.entered(Phase::Running, "");
  Progress progress(watcher_);
  BoardResult result = run_.carryOut(*bench_, given_, progress, turn_.get_token());
  given_.clear();
  std::optional<Error> unbooked;
  try {
    book(result);
  } catch (const Error& e) {
    unbooked = e;
  }
  watcher_.finished(result);
  if (unbooked) throw Error(*unbooked);
  if (result.error == ErrorKind::LinkLost || result.error == ErrorKind::NoProbe) bench_.reset();
  return result;
}

/// Nothing can be done here until somebody puts it right; the next board has its own code.
BoardResult Station::halted(const Error& why) {
  bench_.reset();
  given_.clear();
  BoardResult result;
  result.kind = BoardResult::Kind::Halted;
  result.error = why.kind();
  result.sentence = operatorSentence(why, result.kind);
  result.details = {why.full()};
  watcher_.finished(result);
  return result;
}

/// A bench for each board: nothing that was known of the one before is.
void Station::open() {
  bench_.reset();
  store::BenchSetup setup = place_.bench;
  setup.probe.stop = stop_;
  bench_ = store::openBench(sheet_, setup);
}

bool Station::awaitKey(Phase phase, const std::string& sentence) {
  {
    const std::lock_guard lock(mutex_);
    pressed_ = false;
  }
  watcher_.entered(phase, sentence);
  std::unique_lock lock(mutex_);
  return told_.wait(lock, stop_, [this] { return pressed_; });
}

/// What is scanned is looked at before anything is touched.
bool Station::askFields() {
  const std::vector<std::string> fields = run_.givenFields();
  std::string wrong;
  while (given_.size() < fields.size()) {
    const std::string& field = fields[given_.size()];
    watcher_.entered(Phase::AsksField, wrong.empty() ? field : wrong);
    std::string value;
    {
      std::unique_lock lock(mutex_);
      if (!told_.wait(lock, stop_, [this] { return value_.has_value(); })) return false;
      value = *std::exchange(value_, std::nullopt);
    }
    given_[field] = value;
    wrong.clear();
    if (given_.size() < fields.size()) continue;
    try {
      run_.requireNext(given_);
    } catch (const Error& e) {
      if (e.kind() != ErrorKind::Usage) throw;
      wrong = e.what();
      given_.clear();
    }
  }
  if (fields.empty()) run_.requireNext({});
  return true;
}

/// A board that answers badly is one all the same: its run says what is wrong.
bool Station::isThere() {
  try {
    bench_->examine();
    return true;
  } catch (const jtag::BrokenChain& e) {
    return !e.dead() && e.how() != jtag::BrokenChain::How::NoDevices;
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::BrokenChain) return false;
    throw;
  }
}

/// Pins bounce: it has to be so several times in a row.
bool Station::awaitThat(bool there) {
  int same = 0, dead = 0;
  while (!stop_.stop_requested()) {
    if (isThere() == there) {
      if (++same == kInARow) return true;
    } else {
      same = 0;
    }
    // Who put a board in and sees nothing happen has to be told.
    if (there && same == 0 && ++dead == kDeadLooks && bench_->probe().targetPowered().value_or(false))
      watcher_.entered(Phase::AwaitsBoard, "There is power, but the board does not answer. Is it pressed down?");
    pause();
  }
  return false;
}

/// Time passes as the bench is asked to; a virtual one would otherwise keep a processor busy.
void Station::pause() {
  std::chrono::milliseconds here = kBetweenLooks;
  if (probe::TapPort* tap = bench_->probe().tap(); tap != nullptr && !sheet_.chain.empty()) {
    jtag::ScanBatch batch;
    batch.delay(kBetweenLooks);
    tap->run(batch);
    here = kAtLeast;
  }
  std::unique_lock lock(mutex_);
  told_.wait_for(lock, stop_, here, [] { return false; });
}

bool Station::awaitStart() {
  // A code that was scanned is a key.
  if (!release_.manifest.line.startsByItself) return !run_.givenFields().empty() || awaitKey(Phase::AwaitsKey, "");
  watcher_.entered(Phase::AwaitsBoard, "");
  return awaitThat(true);
}

bool Station::awaitRemoval() {
  if (!release_.manifest.line.startsByItself) return true;
  watcher_.entered(Phase::AwaitsRemoval, "");
  if (!bench_) open();
  return awaitThat(false);
}

void Station::requireLeft() const {
  if (const auto left = limitLeft(); left && *left == 0)
    throw Error(ErrorKind::Refused,
                fmt::format("all {} units of this release are done", *release_.manifest.line.units));
}

std::optional<std::uint64_t> Station::limitLeft() const {
  const auto& units = release_.manifest.line.units;
  if (!units) return std::nullopt;
  const std::uint64_t done = book_.counts().goodEver;
  return *units > done ? *units - done : 0;
}

void Station::book(BoardResult& result) {
  if (result.kind == BoardResult::Kind::Stopped && !result.changed) return;
  DayBook::Entry entry;
  entry.at = utcNow();
  entry.good = result.kind == BoardResult::Kind::Good;
  entry.again = result.cameBack;
  entry.unit = result.unit ? result.unit->id : 0;
  entry.seconds = result.seconds;
  entry.operatorName = place_.name;
  if (result.kind != BoardResult::Kind::Halted || result.changed) book_.add(entry);
  if (!bench_) return;
  noteHealth(*bench_, healthFolder());
  // Once in a while is enough, and takes its time.
  if (entry.good && !std::exchange(lookedForClock_, true)) noteFastest(*bench_, healthFolder(), turn_.get_token());
  result.health = worsening(readHealth(healthFolder(), probeName(bench_->probe().info()))).value_or("");
}

}  // namespace imprimo::line
