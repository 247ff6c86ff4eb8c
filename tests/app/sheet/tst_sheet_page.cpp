// SPDX-License-Identifier: GPL-3.0-or-later
#include <QLineEdit>
#include <QMenu>

#include "app/sheet/sheet_view.h"
#include "tests/app/stage.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;
using sheet::Place;
using sheet::SheetJson;

namespace {

/// All keys of the reference (docs/formats/job-sheet.md), but those that only the program writes.
const char* const kAllKeys = R"x({
  "imprimo": 1,
  "title": "River gauge, board revision B",
  "probe": {"clock": 10000000, "wait": 20},
  "chain": [
    {"name": "sequencer", "bsdl": "parts/wren_c64.bsd", "configure": "parts/wren_status.json"},
    {"name": "correlator", "bsdl": "parts/tarn_t40.bsd", "idcode": "0x1F40AFFD", "mask": "0x0FFFFFFF"},
    {"name": "supervisor", "ir_length": 4, "assumed": true, "idcode": "0x0BA0AFFB"}
  ],
  "cores": [
    {"name": "gauge", "port": "jtag", "device": "supervisor", "card": "supervisor/beck_k0_core.json",
     "connect": "under-reset", "ap": "0x1", "lock": true,
     "words": [{"word": "PROTECT", "field": "level", "value": "0x5A", "permanent": true}],
     "console": {"sources": ["ring", "itm", "serial:ttyACM0"], "wait_for": "ready", "seconds": 2.5,
       "swo": {"coding": "manchester", "rate": 1000000, "clock": 8000000,
               "ports": [{"port": 3, "as": "float", "name": "level"}]},
       "serial": {"baud": 115200, "bits": 7, "parity": "even", "stop": 2, "ending": "crlf"}}},
    {"name": "float", "port": "swd", "target": "0x01002927", "chip": {"pack": "beck.pack", "name": "BECK_K1"},
     "started_by": {"core": "gauge", "at": "0x40000000", "value": "0x1"}}
  ],
  "memories": [
    {"name": "boot-flash", "type": "spi-nor", "part": "parts/quill_q64.json", "clock": 8000000, "boot": "0x0",
     "sync": "59 8A 36 87",
     "route": {"via": "bridge", "device": "correlator", "instruction": "FABRIC_A",
               "load": "cores/tarn_t40_bridge.bin"}},
    {"name": "log-flash", "type": "spi-nor",
     "route": {"via": "pins", "device": "sequencer", "cs": "IO(12)", "clk": "IO(13)", "mosi": "IO(14)",
               "miso": "IO(15)", "wp": "IO(9)", "hold": "IO(10)", "hold_pins": {"IO(3)": 1, "IO(5)": 0}}},
    {"name": "tables", "type": "parallel-nor",
     "route": {"via": "pins", "device": "sequencer", "address": ["IO(0..3)", "IO(4)"], "data": ["IO(8..15)"],
               "ce": "IO(5)", "oe": "IO(6)", "we": "IO(7)"}},
    {"name": "sram", "type": "ram", "route": {"via": "core", "core": "gauge", "region": "sram"}}
  ],
  "placements": [
    {"memory": "boot-flash", "file": "echo_correlator.bin", "at": "0x0", "format": "bin",
     "wrapper": "parts/tarn_wrapper.json", "cut": "0x10..0xFF", "bits": "reversed", "swap": 16, "align": "block",
     "pad": "4K"},
    {"memory": "boot-flash", "pattern": "counting+4K", "after": true}
  ],
  "configurations": [
    {"device": "sequencer", "file": "sequencer.jed", "wrapper": "parts/tarn_wrapper.json", "bits": "normal"}
  ],
  "sums": [
    {"memory": "boot-flash", "kind": "crc32", "from": "0x0", "to": "0x1FFFB", "at": "0x1FFFC", "bytes": "low-first"}
  ],
  "edits": [{"memory": "boot-flash", "at": "0x1F0", "bytes": "12 A5"}],
  "keep": [{"memory": "boot-flash", "from": "0x7F0000", "to": "0x7FFFFF"}],
  "erase": [{"memory": "boot-flash", "from": "0x600000", "to": "0x60FFFF"}],
  "bookmarks": [{"memory": "boot-flash", "at": "0x400000", "name": "fallback header", "expect": "59 8A 36 87"}],
  "pins": [{"device": "sequencer", "port": "IO(2)", "name": "LEVEL_OK", "level": 1}],
  "units": {
    "ledger": "gauge-2026",
    "fields": [
      {"name": "serial", "memory": "boot-flash", "at": "0x7E0000", "bytes": 4, "as": "integer", "order": "high-first",
       "from": {"count": "1000", "to": "1999", "step": 2}},
      {"name": "label", "memory": "boot-flash", "at": "0x7E0010", "bytes": 16, "as": "text", "fill": "0x20",
       "from": {"text": "RG-{serial:06}"}},
      {"name": "key", "memory": "boot-flash", "at": "0x7E0020", "bytes": 16, "as": "bytes", "secret": true,
       "from": {"random": true}},
      {"name": "token", "memory": "boot-flash", "at": "0x7E0030", "bytes": 16, "as": "bytes", "secret": true,
       "from": {"derived": "line.secret", "of": "serial"}},
      {"name": "mac", "memory": "boot-flash", "at": "0x7E0040", "as": "mac", "from": {"list": "macs.csv", "column": "mac"}},
      {"name": "id", "memory": "boot-flash", "at": "0x7E0048", "bytes": 8, "as": "bytes", "from": {"unique_id": true}},
      {"name": "code", "memory": "boot-flash", "at": "0x7E0050", "bytes": 8, "as": "text",
       "from": {"given": true, "pattern": "[A-Z]{2}[0-9]{4}"}},
      {"name": "day", "memory": "boot-flash", "at": "0x7E0060", "bytes": 10, "as": "text", "from": {"date": "%Y-%m-%d"}},
      {"name": "sum", "memory": "boot-flash", "at": "0x7E0070", "bytes": 4,
       "from": {"checksum": "crc32", "over": ["serial", "mac"]}},
      {"name": "level", "core": "gauge", "word": "PROTECT", "field": "level", "bytes": 1,
       "from": {"count": "1", "to": "3"}}
    ],
    "limit": {"units": 500, "until": "2031-12-31"}
  },
  "after": ["restart"]
})x";

/// The page, driven by keys as a user would.
struct Typist {
  explicit Typist(MainWindow& w) : window(w) {
    window.activateWindow();
    if (!QTest::qWaitForWindowActive(&window)) throw std::runtime_error("the window is not active");
    QTest::keyClick(&window, Qt::Key_D, Qt::ControlModifier | Qt::ShiftModifier);
  }
  SheetPage& page() { return window.view<SheetView>().page(); }
  QLineEdit* line() { return page().findChild<QLineEdit*>("sheetLine"); }
  const SheetJson& root() { return window.view<SheetView>().draft().root(); }

  void type(const std::string& text) {
    if (!line()->isVisible()) throw std::runtime_error("nothing to type into for " + text);
    line()->setText(QString::fromStdString(text));
    QTest::keyClick(line(), Qt::Key_Return);
  }
  void act() { QTest::keyClick(&page(), Qt::Key_Return); }
  /// A key is set where it stands, or added by the menu of what it belongs to.
  void set(const Place& object, const std::string& key, const SheetJson& value) {
    const Place place = object / key;
    if (value.is_object() && !place.kind().ends_with("hold_pins")) {
      for (const auto& [inner, v] : value.items()) set(place, inner, v);
      return;
    }
    const bool list = value.is_array() && !value.empty() && value.front().is_object();
    if (!list && page().goTo(place)) {
      if (sheet::valueAt(root(), place) != nullptr && *sheet::valueAt(root(), place) == value) return;
      act();
      if (value.is_boolean()) return;
      return type(sheet::valueText(value));
    }
    add(place);
    if (list) return entries(place, value);
    if (value.is_object()) {
      for (const auto& [port, level] : value.items()) {
        if (!line()->isVisible()) {
          if (!page().goTo(place, true)) throw std::runtime_error("no + at " + place.text());
          act();
        }
        type(port + " = " + sheet::valueText(level));
      }
      return;
    }
    if (value.is_boolean()) return;
    type(sheet::valueText(value));
  }
  void add(const Place& place) {
    // The + of the object, or of the one around it where there is none yet.
    for (std::size_t n = place.steps().size();; --n) {
      Place around;
      for (std::size_t i = 0; i + 1 < n; ++i) around = around / place.steps()[i];
      if (page().goTo(around, true)) break;
      if (n == 0) throw std::runtime_error("no + for " + place.text());
    }
    act();
    auto* menu = page().findChild<QMenu*>("addKeyMenu");
    if (menu == nullptr) throw std::runtime_error("no menu for " + place.text());
    auto* action = menu->findChild<QAction*>(QString::fromStdString(place.text()));
    if (action == nullptr) throw std::runtime_error("the menu does not offer " + place.text());
    action->trigger();
    menu->close();
    delete menu;
  }
  void entries(const Place& list, const SheetJson& wanted) {
    for (std::size_t i = 0; i < wanted.size(); ++i) {
      if (!page().goTo(list, true)) throw std::runtime_error("no + at " + list.text());
      act();
      for (const auto& [key, value] : wanted[i].items()) set(list / i, key, value);
    }
  }
  void all(const SheetJson& wanted) {
    for (const auto& [key, value] : wanted.items()) {
      if (key == "imprimo") continue;
      const bool list = value.is_array() && value.front().is_object();
      list ? entries(Place{key}, value) : set({}, key, value);
    }
  }

  MainWindow& window;
};

/// Order of keys does not matter.
nlohmann::json plain(const SheetJson& json) {
  return nlohmann::json::parse(json.dump());
}

}  // namespace

class SheetPageTest : public QObject {
  Q_OBJECT
 private slots:
  void everyKeyCanBeSet() {
    QTemporaryDir folder;
    copyFolder(IMPRIMO_DEMO, folder.path());
    MainWindow window(viewTable());
    window.resize(1280, 800);
    window.show();
    QVERIFY(QTest::qWaitForWindowActive(&window));
    const std::filesystem::path file = folder.filePath("typed.imprimo").toStdString();
    window.bench().document().start(sheet::parseSheet("{\"imprimo\": 1, \"chain\": []}\n", file));
    Typist typist(window);
    const SheetJson wanted = SheetJson::parse(kAllKeys);
    try {
      typist.all(wanted);
    } catch (const std::exception& e) {
      QFAIL(e.what());
    }
    const auto& draft = window.view<SheetView>().draft();
    QVERIFY2(!draft.isPending(), draft.isPending() ? qPrintable(QString::fromStdString(draft.trouble()->path) + ": " +
                                                                draft.trouble()->words)
                                                   : "");
    const nlohmann::json made = plain(sheet::sheetJson(window.bench().document().sheet()));
    QVERIFY2(made == plain(wanted), nlohmann::json::diff(plain(wanted), made).dump(1).c_str());
    // It is the sheet that somebody else would have written.
    const sheet::Sheet written = sheet::parseSheet(kAllKeys, file);
    QVERIFY(written.placements == window.bench().document().sheet().placements);
    QVERIFY(written.warnings.empty());
    // And every step of it can be undone.
    while (window.bench().undoAction->isEnabled()) window.bench().undoAction->trigger();
    QCOMPARE(plain(sheet::sheetJson(window.bench().document().sheet())).dump(),
             std::string("{\"chain\":[],\"imprimo\":1}"));
  }

  void everyKeyOfTheReaderIsInThatSheet() {
    const SheetJson all = SheetJson::parse(kAllKeys);
    std::set<std::string> used;
    const auto walk = [&](const SheetJson& json, const Place& place, const auto& self) -> void {
      if (json.is_object()) {
        for (const auto& [key, value] : json.items()) {
          used.insert((place / key).kind());
          self(value, place / key, self);
        }
      } else if (json.is_array()) {
        for (std::size_t i = 0; i < json.size(); ++i) self(json[i], place / i, self);
      }
    };
    walk(all, {}, walk);
    const auto look = [&](std::span<const sheet::KeyRow> rows, const std::string& place, const auto& self) -> void {
      for (const sheet::KeyRow& row : rows) {
        const std::string whole = place.empty() ? row.key : place + "." + row.key;
        if (row.kind != sheet::ValueKind::Kept) QVERIFY2(used.contains(whole), whole.c_str());
        self(row.inside(), row.kind == sheet::ValueKind::List ? whole + "[]" : whole, self);
      }
    };
    look(sheet::sheetKeys(), "", look);
  }

  void whatIsWrongIsMarkedWhereItStands() {
    Stage s({}, false);
    Typist typist(s.window);
    const Place route{"memories", std::size_t{0}, "route", "instruction"};
    QVERIFY(typist.page().goTo(route));
    typist.act();
    typist.type("FABRIC_Z");
    QCOMPARE(typist.page().current()->trouble, QString("TARN_T40 has no instruction FABRIC_Z"));
    auto* trouble = s.find<QLabel>("sheetTrouble");
    QVERIFY(trouble->isVisible());
    QCOMPARE(trouble->text(),
             QString("Not in the sheet yet. memories[0].route.instruction: TARN_T40 has no instruction FABRIC_Z. "
                     "Escape drops what was typed."));
    // The sheet is as it was, and what was typed is kept while more is typed.
    QVERIFY(!s.window.bench().document().isModified());
    QVERIFY(typist.page().goTo({"title"}));
    typist.act();
    typist.type("Another board");
    QVERIFY(!s.window.bench().document().isModified());
    QVERIFY(typist.page().goTo(route));
    typist.act();
    typist.type("FABRIC_B");
    QVERIFY(!trouble->isVisible());
    QCOMPARE(s.window.bench().document().sheet().title, std::string("Another board"));
    // A description that does not parse says the line, in place.
    QVERIFY(typist.page().goTo({"chain", std::size_t{0}, "bsdl"}));
    typist.act();
    typist.type("bench.json");
    QVERIFY2(typist.page().current()->trouble.contains("bench.json:91:1: "),
             qPrintable(typist.page().current()->trouble));
    QTest::keyClick(&typist.page(), Qt::Key_Escape);
    QVERIFY(!trouble->isVisible());
    // A range that is none, and a name that is taken.
    QVERIFY(typist.page().goTo({"keep", std::size_t{0}, "to"}));
    typist.act();
    typist.type("0x10");
    QVERIFY(typist.page().current()->trouble.startsWith("Ends before it begins"));
    QTest::keyClick(&typist.page(), Qt::Key_Escape);
    QVERIFY(typist.page().goTo({"chain", std::size_t{2}, "name"}));
    typist.act();
    typist.type("sequencer");
    QCOMPARE(typist.page().current()->trouble, QString("There are two parts named sequencer"));
  }

  void foreignKeysAndLayoutSurvive() {
    const QString odd = "{\n\t\"// why\": \"a note\",\n";
    Stage s({}, false, false, [&](QString& sheet) {
      sheet.replace("  \"imprimo\"", "\t\"// why\": \"a note\",\n\t\"imprimo\"");
      sheet.replace("\n  \"", "\n\t\"");
    });
    const std::string before = readTextFile(s.folder.filePath("gauge-rev-b.imprimo").toStdString());
    Typist typist(s.window);
    QVERIFY(typist.page().goTo({"memories", std::size_t{0}, "name"}));
    typist.act();
    typist.type("flash");
    QVERIFY(s.window.bench().keeping().save());
    QString expected = QString::fromStdString(before);
    expected.replace("\"boot-flash\"", "\"flash\"");
    COMPARE_TEXT(readTextFile(s.folder.filePath("gauge-rev-b.imprimo").toStdString()), expected.toStdString());
  }

  void entriesAreTakenOutAndMovedByKeys() {
    Stage s({}, false);
    Typist typist(s.window);
    const auto& sheet = s.window.bench().document().sheet();
    QVERIFY(typist.page().goTo({"placements", std::size_t{0}, "file"}));
    QTest::keyClick(&typist.page(), Qt::Key_Down, Qt::AltModifier);
    QCOMPARE(sheet.placements[1].file, std::string("echo_correlator.bin"));
    QCOMPARE(typist.page().current()->place.text(), std::string("placements[1].file"));
    QVERIFY(typist.page().goTo({"memories", std::size_t{0}, "name"}));
    QTest::keyClick(&typist.page(), Qt::Key_Delete);
    QVERIFY(sheet.memories.empty() && sheet.placements.empty() && sheet.keep.empty() && sheet.bookmarks.empty());
    QTest::keyClick(&typist.page(), Qt::Key_Z, Qt::ControlModifier);
    QCOMPARE(sheet.placements.size(), 3U);
    QTest::keyClick(&typist.page(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    QVERIFY(sheet.memories.empty());
    QTest::keyClick(&typist.page(), Qt::Key_Escape);
    QVERIFY(!typist.page().isVisible());
  }
};

IMPRIMO_TEST(SheetPageTest);
#include "tst_sheet_page.moc"
