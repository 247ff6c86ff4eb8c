// SPDX-License-Identifier: GPL-3.0-or-later
//
// The numbers of the next unit before it is written, and the records of a month on the line.
#include <QComboBox>
#include <QDate>
#include <QDir>
#include <QListView>
#include <QToolButton>

#include <fmt/format.h>

#include "app/records/records_view.h"
#include "core/base/json.h"
#include "records/record_store.h"
#include "tests/screenshots/camera.h"

namespace imprimo::test {
namespace {

/// The demo's sheet with numbers for its units.
void addUnits(QString& text) {
  auto json = nlohmann::ordered_json::parse(text.toStdString());
  json["units"] = nlohmann::ordered_json::parse(R"({"ledger": "gauge-2026", "fields": [
    {"name": "serial", "memory": "boot-flash", "at": "0x7E0000", "bytes": 4, "from": {"count": "1000", "to": "1999"}},
    {"name": "mac", "memory": "boot-flash", "at": "0x7E0004", "bytes": 6, "as": "mac",
     "from": {"count": "0x02AABB000010", "to": "0x02AABB00FFFF", "step": 2}},
    {"name": "label", "memory": "boot-flash", "at": "0x7E0010", "bytes": 16, "as": "text", "from": {"text": "RG-{serial:06}"}},
    {"name": "key", "memory": "boot-flash", "at": "0x7E0020", "bytes": 16, "as": "bytes", "secret": true, "from": {"random": true}},
    {"name": "day", "memory": "boot-flash", "at": "0x7E0030", "bytes": 10, "as": "text", "from": {"date": "%Y-%m-%d"}}]})");
  text = QString::fromStdString(json.dump(2));
}

/// A month on two stations, with a week in which a cable got worse.
void fillMonth() {
  records::Database database(records::chosenStore());
  std::vector<records::KeptRecord> all;
  std::uint64_t unit = 40;
  for (int day = 1; day <= 30; ++day) {
    const QDate date(2026, 11, day);
    if (date.dayOfWeek() > 5) continue;
    const int runs = 14 + day * 7 % 9;
    for (int n = 0; n < runs; ++n) {
      run::Record record;
      record.memory = "boot-flash";
      record.sheet = "/line/gauge-rev-b.imprimo";
      record.title = "River gauge, board revision B";
      record.probe = "usb:GAUGE-7";
      record.startedAt = fmt::format("{}T{:02}:{:02}:{:02}Z", date.toString(Qt::ISODate).toStdString(), 7 + n / 4,
                                     n % 4 * 14 + 3, n * 7 % 60);
      const bool bad = day >= 16 && day <= 20 ? n % 4 == 1 : n == 5 && day % 3 == 0;
      record.outcome = bad ? run::Outcome::Stopped : run::Outcome::Verified;
      record.message = bad ? "The link was lost at 0x052000." : "All of it is confirmed.";
      record.seconds = 11.5 + (day >= 16 && day <= 20 ? 2.5 : 0) + n % 3 * 0.4;
      for (const char* title : {"Check the chain", "Identify boot-flash", "Erase 66 blocks", "Program 186 KiB"}) {
        run::RanStep step;
        step.step.title = title;
        step.seconds = 0.2 + record.seconds * static_cast<double>(record.steps.size()) / 8;
        step.finished = !bad || std::string_view(title) != "Program 186 KiB";
        record.steps.push_back(step);
      }
      record.unit =
          units::Unit{"gauge-2026", ++unit, bad ? "failed" : "used", {{"serial", std::to_string(999 + unit)}}};
      all.push_back(records::keptNow(record));
      all.back().station = n % 2 == 0 ? "line-1" : "line-2";
    }
  }
  records::RecordStore(database).keepAll(all);
}

}  // namespace

void takeRecords(const QString& pictures, const QString& demo) {
  const bool dark = qEnvironmentVariableIsSet("IMPRIMO_DARK");
  const QSize size = dark ? QSize(1280, 720) : QSize(1280, 800);
  Variant variant(demo, addUnits, [](QString&) {});
  Camera camera(pictures, variant.folder.path());
  DemoBench bench(variant.folder.filePath("bench.json").toStdString(), false);
  auto window = camera.ready(&bench, size, dark);
  waitUntil(
      [&] { return window->bench().units().id() != 0 && window->bench().run().image().at(0x7E0000).has_value(); });
  waitUntil([&] { return window->bench().goAction->isEnabled(); });
  window->bench().cursor().jumpTo(0x7E0010);
  QTest::qWait(300);
  camera.take("units", *window);
  fillMonth();
  window->bench().run().go();
  waitUntil([&] { return window->bench().run().record() != nullptr && !window->bench().units().isUnderWay(); });
  QTest::keyClick(window.get(), Qt::Key_7, Qt::ControlModifier);
  auto& view = window->view<RecordsView>();
  waitUntil([&] { return view.records().total() > 300; });
  QTest::qWait(400);
  camera.take("report", *window);
  view.findChild<QToolButton*>("recordFigures")->click();
  QTest::qWait(200);
  camera.take("records", *window);
}

}  // namespace imprimo::test
