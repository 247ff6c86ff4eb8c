// SPDX-License-Identifier: GPL-3.0-or-later
//
// A station at work: whatever a board is, its record and its number say what became of it.
#include <QTest>
#include <list>
#include <set>

#include "line/health.h"
#include "line/station.h"
#include "records/ledger.h"
#include "records/record_store.h"
#include "tests/line/line_bench.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::line;
using namespace imprimo::test;
using records::UnitState;

namespace {

const char* const kFloatUnits =
    "{\"ledger\": \"float\", \"fields\": [{\"name\": \"serial\", \"memory\": \"program\", \"at\": \"0x3E000\", "
    "\"bytes\": 4, \"from\": {\"count\": \"1\", \"to\": \"9\"}}]}";

/// What a station told, and what stood on the board then.
class Journal : public Watcher {
 public:
  explicit Journal(SimulatedPlace& place) : place_(place) {}
  void entered(Phase phase, const std::string& sentence) override {
    phases += std::to_string(static_cast<int>(phase));
    sentences.push_back(sentence);
    if (onPhase) onPhase(phase, sentence);
  }
  void advanced(const std::string&, double part) override {
    QVERIFY(part >= 0 && part <= 1.0001);
    ++progress;
  }
  void finished(const BoardResult& result) override {
    results.push_back(result);
    serials.push_back(place_.server().with([](sim::Bench& b) {
      std::uint64_t value = 0;
      if (b.board().flashes().empty()) return value;
      for (unsigned i = 0; i < 4; ++i)
        value |= std::uint64_t{b.flash("boot-flash").cells().get(ReleasedGauge::kAt + i)} << (8 * i);
      return value;
    }));
  }

  std::function<void(Phase, const std::string&)> onPhase;
  std::string phases;
  std::vector<std::string> sentences;
  std::vector<BoardResult> results;
  std::vector<std::uint64_t> serials;
  int progress = 0;

 private:
  SimulatedPlace& place_;
};

/// A release with a station at a simulated place.
struct Floor {
  explicit Floor(const release::LineRules& rules = {}, sim::FixtureModel boards = {}, const std::string& last = "1999",
                 const std::string& more = "")
      : gauge(rules, last, more),
        release(release::readRelease(gauge.file(), release::trustedKeys())),
        sheet(release::sheetOf(release, release::releasesFolder(), release::secretsFolder())),
        place(gauge.benchFile(), boards),
        journal(place) {}
  std::optional<BoardResult> work(std::uint64_t units, std::stop_token stop = {}) {
    line::Place where;
    where.bench = {place.address(), "test", {}, {}, {}, {}};
    if (sheet.clockHz) where.bench.probe.clockHz = *sheet.clockHz;
    where.store = store;
    station = std::make_unique<Station>(release, sheet, where, journal);
    return station->work(units, std::move(stop));
  }
  std::vector<records::UnitRow> units() const {
    records::Database database(records::chosenStore(store));
    const units::ValueMaker maker(*sheet.units, sheet.folder());
    return records::Ledger(database, maker).list();
  }

  ReleasedGauge gauge;
  release::Release release;
  sheet::Sheet sheet;
  SimulatedPlace place;
  Journal journal;
  std::string store;
  std::unique_ptr<Station> station;
};

std::uint64_t boardsWanted(std::uint64_t usual) {
  const int wish = qEnvironmentVariableIntValue("IMPRIMO_LINE_BOARDS");
  return wish > 0 ? static_cast<std::uint64_t>(wish) : usual;
}

}  // namespace

class StationTest : public QObject {
  Q_OBJECT

  /// Each result, the ledger and what stood on the board say the same.
  static void requireTrue(const Floor& floor) {
    std::map<std::uint64_t, records::UnitRow> rows;
    std::set<std::string> serials;
    for (const records::UnitRow& row : floor.units()) {
      QVERIFY(serials.insert(row.fields.at("serial")).second);
      QVERIFY(row.state != UnitState::Reserved);
      rows.emplace(row.id, row);
    }
    for (std::size_t i = 0; i < floor.journal.results.size(); ++i) {
      const BoardResult& result = floor.journal.results[i];
      if (result.kind == BoardResult::Kind::Good) {
        QVERIFY(result.unit);
        QCOMPARE(rows.at(result.unit->id).state, UnitState::Used);
        QCOMPARE(floor.journal.serials[i], 999 + result.unit->id);
      } else {
        QVERIFY(!result.sentence.empty() && !result.details.empty());
        if (!result.unit) continue;
        QCOMPARE(rows.at(result.unit->id).state, result.changed ? UnitState::Failed : UnitState::Void);
      }
    }
  }

 private slots:
  void boardsComeAndGo() {
    sim::FixtureModel boards;
    const std::uint64_t count = boardsWanted(16);
    boards.faulty = count > 100 ? 0.05 : 0.25;
    Floor floor({}, boards, "3999");
    floor.work(count);
    QCOMPARE(floor.journal.results.size(), count);
    requireTrue(floor);
    const auto good = std::count_if(floor.journal.results.begin(), floor.journal.results.end(),
                                    [](const auto& each) { return each.kind == BoardResult::Kind::Good; });
    QVERIFY2(good >= static_cast<long>(count * 6 / 10) && good < static_cast<long>(count),
             qPrintable(QString::number(good)));
    QVERIFY(floor.journal.progress > 0);
    // Every one has its record, which names its unit.
    records::Database database(records::chosenStore());
    records::RecordStore store(database);
    std::set<std::uint64_t> recorded;
    for (const records::KeptRecord& record : store.find({}, 10'000)) {
      const auto json = nlohmann::ordered_json::parse(store.record(record.id).text);
      if (json.contains("unit")) recorded.insert(json["unit"]["id"].get<std::uint64_t>());
    }
    for (const records::UnitRow& row : floor.units()) {
      if (row.state == UnitState::Used || row.state == UnitState::Failed) QVERIFY(recorded.contains(row.id));
    }
    const DayBook::Counts counts = DayBook(bookFolder(), floor.release.id).counts();
    QCOMPARE(counts.good, static_cast<std::uint64_t>(good));
    QCOMPARE(counts.good + counts.failed, count);
    QVERIFY(!readHealth(healthFolder(), "GAUGE-1").empty());
  }

  void aKeyBeginsWhereTheReleaseSaysSo() {
    release::LineRules rules;
    rules.startsByItself = false;
    Floor floor(rules);
    int keys = 0;
    floor.journal.onPhase = [&](Phase phase, const std::string&) {
      if (phase != Phase::AwaitsKey) return;
      ++keys;
      floor.station->press();
    };
    floor.work(2);
    QCOMPARE(keys, 2);
    // Nobody took the board out: it is known again, and keeps its number.
    QVERIFY(floor.journal.results[1].cameBack);
    COMPARE_TEXT(floor.journal.results[1].sentence, "This board is unit 1 already, and keeps its numbers.");
    QCOMPARE(floor.units().size(), 1U);
    QCOMPARE(DayBook(bookFolder(), floor.release.id).counts().goodEver, 1U);
  }

  void aCodeThatDoesNotFitTouchesNothing() {
    Floor floor({}, {}, "1999",
                R"(, {"name": "code", "memory": "boot-flash", "at": "0x7E0040", "bytes": 8, "as": "text",
                  "from": {"given": true, "pattern": "[A-Z]{2}[0-9]{4}"}})");
    std::vector<std::string> asked;
    floor.journal.onPhase = [&](Phase phase, const std::string& sentence) {
      if (phase != Phase::AsksField) return;
      asked.push_back(sentence);
      QCOMPARE(floor.place.server().with([](sim::Bench& b) { return b.packets(); }) > 0, asked.size() > 2);
      floor.station->give(asked.size() == 1 ? "nonsense" : asked.size() == 2 ? "AB1234" : "CD0001");
    };
    floor.work(2);
    QCOMPARE(asked.size(), 3U);
    COMPARE_TEXT(asked[0], "code");
    QVERIFY2(asked[1].find("does not fit the pattern") != std::string::npos, asked[1].c_str());
    QCOMPARE(floor.journal.results.size(), 2U);
    QCOMPARE(floor.units().size(), 2U);
    requireTrue(floor);
  }

  void limitsStopTheLine() {
    release::LineRules rules;
    rules.units = 2;
    Floor floor(rules);
    std::stop_source stop;
    floor.journal.onPhase = [&](Phase phase, const std::string&) {
      if (phase == Phase::Halted) stop.request_stop();
    };
    const auto last = floor.work(5, stop.get_token());
    QVERIFY(last && last->kind == BoardResult::Kind::Halted);
    COMPARE_TEXT(last->sentence, "All 2 units of this release are done. Call the engineer.");
    QCOMPARE(floor.units().size(), 2U);
  }

  /// Also where the last ones are under way at several places at once.
  void placesShareALimit() {
    release::LineRules rules;
    rules.units = 3;
    Floor floor(rules);
    SimulatedPlace second(floor.gauge.benchFile(), {});
    Journal other(second);
    std::stop_source stop;
    floor.journal.onPhase = other.onPhase = [&](Phase phase, const std::string&) {
      if (phase == Phase::Halted) stop.request_stop();
    };
    line::Place where;
    where.bench = {second.address(), "test", {}, {}, {}, {}};
    where.bench.probe.clockHz = *floor.sheet.clockHz;
    static_cast<void>(records::Database(records::chosenStore()));
    Station beside(floor.release, floor.sheet, where, other);
    {
      const std::jthread thread([&] { beside.work(9, stop.get_token()); });
      floor.work(9, stop.get_token());
    }
    QCOMPARE(DayBook(bookFolder(), floor.release.id).counts().goodEver, 3U);
    QCOMPARE(floor.units().size(), 3U);
  }

  /// What became of a board is told, and true, also where the station cannot keep its own book of it.
  void aBookThatCannotBeWrittenStopsTheLineBehindTheBoard() {
    Floor floor;
    writeFileAtomically(bookFolder(), std::string_view("a file where a folder should be"));
    std::stop_source stop;
    floor.journal.onPhase = [&](Phase phase, const std::string&) {
      if (phase == Phase::Halted) stop.request_stop();
    };
    floor.work(3, stop.get_token());
    QCOMPARE(floor.journal.results.size(), 2U);
    QCOMPARE(floor.journal.results[0].kind, BoardResult::Kind::Good);
    QCOMPARE(floor.journal.results[1].kind, BoardResult::Kind::Halted);
    QCOMPARE(floor.units().front().state, UnitState::Used);
  }

  /// A good code is not to blame where there are no more numbers.
  void usedUpIsNotAWrongCode() {
    Floor floor({}, {}, "1000",
                R"(, {"name": "code", "memory": "boot-flash", "at": "0x7E0040", "bytes": 8, "as": "text",
                  "from": {"given": true, "pattern": "[A-Z]{2}[0-9]{4}"}})");
    std::stop_source stop;
    int asked = 0;
    floor.journal.onPhase = [&](Phase phase, const std::string&) {
      if (phase == Phase::AsksField && ++asked <= 2) floor.station->give("AB000" + std::to_string(asked));
      if (phase == Phase::Halted || asked > 2) stop.request_stop();
    };
    const auto last = floor.work(3, stop.get_token());
    QCOMPARE(asked, 2);
    QVERIFY(last && last->kind == BoardResult::Kind::Halted);
    QVERIFY2(last->sentence.find("serial ends at 1000") != std::string::npos, last->sentence.c_str());
  }

  void numbersThatAreUsedUpStopTheLine() {
    Floor floor({}, {}, "1000");
    std::stop_source stop;
    floor.journal.onPhase = [&](Phase phase, const std::string&) {
      if (phase == Phase::Halted) stop.request_stop();
    };
    const auto last = floor.work(5, stop.get_token());
    QVERIFY(last && last->kind == BoardResult::Kind::Halted);
    QVERIFY2(last->sentence.find("no more units: serial ends at 1000") != std::string::npos, last->sentence.c_str());
    QCOMPARE(floor.units().size(), 1U);
  }

  void aStoreThatIsAwayStopsTheLineUntilItIsBack() {
    Floor floor;
    const std::filesystem::path there = std::filesystem::path(floor.gauge.path("stores")) / "line.sqlite";
    floor.store = "sqlite:" + there.string();
    writeFileAtomically(floor.gauge.path("stores"), std::string_view("a file where a folder should be"));
    int halts = 0;
    floor.journal.onPhase = [&](Phase phase, const std::string&) {
      if (phase != Phase::Halted) return;
      ++halts;
      std::filesystem::remove(floor.gauge.path("stores"));
      floor.station->press();
    };
    floor.work(1);
    QCOMPARE(halts, 1);
    QCOMPARE(floor.journal.results.front().kind, BoardResult::Kind::Halted);
    QCOMPARE(floor.journal.results.back().kind, BoardResult::Kind::Good);
    QCOMPARE(floor.units().size(), 1U);
  }

  void aFileThatIsChangedStopsTheLine() {
    Floor floor;
    writeFileAtomically(floor.sheet.folder() / "fallback.bin", std::string_view("other bytes"));
    std::stop_source stop;
    floor.journal.onPhase = [&](Phase phase, const std::string&) {
      if (phase == Phase::Halted) stop.request_stop();
    };
    const auto last = floor.work(1, stop.get_token());
    QVERIFY(last && last->kind == BoardResult::Kind::Halted);
    QVERIFY2(last->sentence.find("fallback.bin is not what was released") != std::string::npos, last->sentence.c_str());
    QCOMPARE(floor.place.server().with([](sim::Bench& b) { return b.packets(); }), 0U);
  }

  void aDayBookIsReadAfterALostSupply() {
    QTemporaryDir folder;
    DayBook book(folder.path().toStdString(), std::string(64, 'a'));
    book.add({"2031-04-05T06:07:08Z", true, false, 1, 3.5, "K7"});
    const std::string file = folder.filePath(QString(32, 'a') + ".jsonl").toStdString();
    writeFileAtomically(file, readTextFile(file) + "{\"at\": \"2031-04-05T0");  // cut through
    book.add({"2031-04-05T06:08:08Z", false, false, 2, 1, ""});
    book.add({"2031-04-06T06:08:08Z", true, true, 1, 1, ""});
    const DayBook::Counts counts = book.counts("2031-04-05");
    QCOMPARE(counts.good, 1U);
    QCOMPARE(counts.failed, 1U);
    QCOMPARE(counts.goodEver, 1U);
  }

  void aCableThatGetsWorseIsSaid() {
    std::vector<LinkSample> samples(100, LinkSample{"2031-04-05T06:07:08Z", 8, 8, 10'000'000, 0});
    QVERIFY(!worsening(samples).has_value());
    samples.insert(samples.end(), 20, LinkSample{"2031-04-06T06:07:08Z", 8, 7, 10'000'000, 0});
    COMPARE_TEXT(worsening(samples).value_or("nothing"),
                 "the cable gets worse: 88 of 100 patterns come back whole, at first 100 did");
    samples.assign(4, LinkSample{"2031-04-05T06:07:08Z", 8, 8, 10'000'000, 20'000'000});
    QVERIFY(!worsening(samples).has_value());
    samples.back().fastestHz = 12'000'000;
    COMPARE_TEXT(worsening(samples).value_or("nothing"),
                 "the cable gets worse: its fastest sound clock is 12 MHz, at first it was 20 MHz");
  }

  /// A board without a chain is there when its debug port answers.
  void aDebugPortIsABoard() {
    const ReleasedGauge keys;
    QTemporaryDir folder;
    copyFolder(QString(IMPRIMO_DEMO) + "/float", folder.path());
    const std::string file = folder.filePath("float-sensor.imprimo").toStdString();
    auto json = nlohmann::ordered_json::parse(readTextFile(file));
    json["units"] = nlohmann::ordered_json::parse(kFloatUnits);
    writeFileAtomically(file, json.dump(2));
    const release::Release release = release::freeze(sheet::readSheet(file), 1, {});
    const sheet::Sheet sheet = release::sheetOf(release, release::releasesFolder(), release::secretsFolder());
    sim::FixtureModel boards;
    boards.patience = 1e9;
    SimulatedPlace place(folder.filePath("bench.json").toStdString(), boards);
    Journal journal(place);
    const auto power = [&](bool on) {
      place.server().with([&](sim::Bench& b) {
        b.board().repair();
        if (!on) b.board().addFault({.kind = sim::BoardFault::Kind::NoPower, .from = UINT64_MAX});
        if (on) b.board().cyclePower();
      });
    };
    journal.onPhase = [&](Phase phase, const std::string&) {
      if (phase == Phase::AwaitsRemoval) power(false);
      if (phase == Phase::AwaitsBoard) power(true);
    };
    line::Place where;
    where.bench = {place.address(), "test", {}, {}, {}, {}};
    where.bench.probe.clockHz = *sheet.clockHz;
    Station(release, sheet, where, journal).work(2, {});
    QCOMPARE(journal.results.size(), 2U);
    for (const BoardResult& result : journal.results)
      QVERIFY2(result.kind == BoardResult::Kind::Good, result.sentence.c_str());
    // The flash of the second is that of the first: it is known again by its number.
    QVERIFY(journal.results[1].cameBack);
    QVERIFY(journal.phases.find(std::to_string(static_cast<int>(Phase::AwaitsRemoval))) != std::string::npos);
  }

  /// Each in its own time, and one that hangs holds nobody up.
  void placesDoNotWaitForEachOther() {
    constexpr std::size_t kPlaces = 4;
    static constexpr std::uint64_t kBoards = 3;
    ReleasedGauge gauge;
    const release::Release release = release::readRelease(gauge.file(), release::trustedKeys());
    const sheet::Sheet sheet = release::sheetOf(release, release::releasesFolder(), release::secretsFolder());
    static_cast<void>(records::Database(records::chosenStore()));
    std::list<SimulatedPlace> places;
    std::list<Journal> journals;
    std::list<Station> stations;
    for (std::size_t i = 0; i < kPlaces; ++i) {
      places.emplace_back(gauge.benchFile(), sim::FixtureModel{});
      journals.emplace_back(places.back());
      line::Place where;
      where.bench = {places.back().address(), "test", {}, {}, {}, {}};
      where.bench.probe.clockHz = *sheet.clockHz;
      stations.emplace_back(release, sheet, where, journals.back());
    }
    {
      std::vector<std::jthread> threads;
      for (Station& station : stations) threads.emplace_back([&] { station.work(kBoards, {}); });
    }
    double longest = 0, sum = 0;
    for (SimulatedPlace& place : places) {
      longest = std::max(longest, place.virtualSeconds());
      sum += place.virtualSeconds();
    }
    for (const Journal& journal : journals) {
      for (const BoardResult& result : journal.results) QCOMPARE(result.kind, BoardResult::Kind::Good);
      QCOMPARE(journal.results.size(), kBoards);
    }
    // So many times what one of them does in the bench's own time.
    QVERIFY2(sum / longest >= 0.875 * kPlaces, qPrintable(QString::number(sum / longest)));
    records::Database database(records::chosenStore());
    const units::ValueMaker maker(*sheet.units, sheet.folder());
    QCOMPARE(records::Ledger(database, maker).list(UnitState::Used).size(), kPlaces * kBoards);
  }
};

IMPRIMO_TEST(StationTest);
#include "tst_station.moc"
