// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/atomic_file.h"
#include "core/flash/part_card.h"
#include "core/run/job.h"
#include "core/sheet/sheet.h"

#include <QFile>
#include <QTemporaryDir>

#include "core/base/input_file.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::sheet;
using namespace imprimo::test;

class SheetTest : public QObject {
  Q_OBJECT
  World world_;
  Sheet parse(const std::string& text) { return parseSheet(text, world_.path("s.imprimo").toStdString()); }
  /// The error of the world's sheet with something replaced, without the folder.
  std::string error(const char* from, const char* to) {
    const QString text = QString::fromStdString(world_.sheetText()).replace(from, to);
    QString sentence = QString::fromStdString(errorOf([&] { parse(text.toStdString()); }));
    return sentence.replace(world_.folder() + "/", "").toStdString();
  }

 private slots:
  void readsTheGauge() {
    const Sheet sheet = readSheet(std::string(IMPRIMO_DEMO) + "/gauge-rev-b.imprimo");
    COMPARE_TEXT(sheet.title, "River gauge, board revision B");
    QCOMPARE(sheet.clockHz, std::optional<std::uint32_t>{10'000'000});
    QCOMPARE(sheet.chain.size(), 3u);
    QVERIFY(sheet.chain[1].idcodes[0] == (bsdl::Pattern{0x0F40AFFD, 0x0FFFFFFF}));
    QCOMPARE(sheet.memories[0].route->position, 2u);
    QCOMPARE(sheet.placements.size(), 3u);
    QVERIFY(sheet.placements[0].reversed);
    QVERIFY(!sheet.placements[2].at);
    QCOMPARE(sheet.keptIn("boot-flash"), (std::vector<AddressRange>{{0x7F0000, 0x800000}}));
    QCOMPARE(sheet.bookmarks.size(), 4u);
    QVERIFY(sheet.warnings.empty());
  }

  void wrongAndMissingValuesNamePathAndLine() {
    COMPARE_TEXT(error("\"imprimo\": 1", "\"imprimo\": 2"),
                 "s.imprimo:2: imprimo: this program reads job sheets of version 1");
    COMPARE_TEXT(error("\"via\": \"bridge\"", "\"via\": \"magic\""),
                 "s.imprimo:8: memories[0].route.via: should be \"bridge\" or \"pins\" or \"core\"");
    COMPARE_TEXT(error("\"via\": \"bridge\"", "\"via\": \"pins\""),
                 "s.imprimo:8: memories[0].route.cs: this key is missing");
    COMPARE_TEXT(error("\"device\": \"p2\"", "\"device\": \"p9\""),
                 "s.imprimo:8: memories[0].route.device: the chain has no part named p9");
    COMPARE_TEXT(error("FABRIC_A", "FABRIC_Z"),
                 "s.imprimo:8: memories[0].route.instruction: PART_2 has no instruction FABRIC_Z");
    COMPARE_TEXT(error("\"name\": \"p3\", ", ""), "s.imprimo:5: chain[2].name: this key is missing");
    COMPARE_TEXT(error("\"name\": \"p3\"", "\"name\": \"p1\""),
                 "s.imprimo:5: chain[2].name: there are two parts named p1");
    COMPARE_TEXT(error("\"title\":", "\"imprimo\":"), "s.imprimo:3: imprimo: this key stands here twice");
    COMPARE_TEXT(error("p3.bsd", "none.bsd"),
                 "s.imprimo:5: chain[2].bsdl: cannot read none.bsd: No such file or directory");
    COMPARE_TEXT(error("\"bsdl\": \"p1.bsd\"", "\"ir_length\": 1"),
                 "s.imprimo:5: chain[0].ir_length: should be 2 to 1024");
    COMPARE_TEXT(error("\"clock\": 10000000", "\"clock\": \"fast\""),
                 "s.imprimo:4: probe.clock: should be a number: \"0x400000\", \"4194304\" or \"4M\"");
    COMPARE_TEXT(error("  ]\n}", "  ],\n\"keep\": [{\"memory\": \"boot-flash\", \"from\": 5, \"to\": 4}]}"),
                 "s.imprimo:10: keep[0].to: ends before it begins (both ends belong to the range)");
    COMPARE_TEXT(error("  ]\n}", "  ],\n\"placements\": [{\"memory\": \"x\", \"file\": \"f\"}]}"),
                 "s.imprimo:10: placements[0].memory: the sheet has no memory named x");
  }

  void aSheetCutAnywhereIsAnError() {
    const std::string& text = world_.sheetText();
    for (std::size_t n = 0; n + 2 < text.size(); ++n) QVERIFY(errorOf([&] { parse(text.substr(0, n)); }) != "no error");
  }

  void savingKeepsUnknownKeysAndTheirOrder() {
    std::string text = QString::fromStdString(world_.sheetText())
                           .replace("  ]\n}", R"(  ],
  "zeta": {"b": 1, "a": [2]},
  "placements": [{"note": "mine", "memory": "boot-flash", "file": "a.bin", "at": "4M"}],
  "alpha": null
})")
                           .toStdString();
    Sheet sheet = parse(text);
    QCOMPARE(sheet.warnings.size(), 3u);
    VERIFY_CONTAINS(sheet.warnings[2], "placements[0].note: this key is not known here; it is kept");
    sheet.placements.push_back({"boot-flash", "b.hex", std::nullopt, true});
    sheet.bookmarks.push_back({"boot-flash", 0x1234, "here", std::nullopt});
    const std::string saved = sheetText(sheet);
    VERIFY_CONTAINS(saved, "\"note\": \"mine\"");
    VERIFY_CONTAINS(saved, "\"at\": \"4M\"");  // as it was written
    VERIFY_CONTAINS(saved, "\"bits\": \"reversed\"");
    const auto at = [&](const char* what) { return saved.find(what); };
    QVERIFY(at("zeta") < at("placements") && at("placements") < at("alpha") && at("\"b\": 1") < at("\"a\": ["));
    const Sheet again = parse(saved);
    QVERIFY(again.placements == sheet.placements);
    QVERIFY(again.bookmarks == sheet.bookmarks);
    COMPARE_TEXT(sheetText(again), saved);
  }

  void allThatCanBeDoneToAFileIsKept() {
    const std::string text = QString::fromStdString(world_.sheetText())
                                 .replace("  ]\n}", R"(  ],
  "placements": [
    {"memory": "boot-flash", "file": "a.bit", "wrapper": "card.json", "cut": "16..", "bits": "reversed", "swap": 16, "at": "4M"},
    {"memory": "boot-flash", "file": "b.txt", "format": "bin", "after": true, "align": "block", "pad": "64K"},
    {"memory": "boot-flash", "pattern": "counting+4K", "at": 0}
  ],
  "sums": [{"memory": "boot-flash", "kind": "crc32", "from": "0", "to": "0xFB", "at": "0xFC", "bytes": "low-first"}]
})")
                                 .toStdString();
    const Sheet sheet = parse(text);
    QVERIFY2(sheet.warnings.empty(), sheet.warnings.empty() ? "" : sheet.warnings[0].c_str());
    Placement a = parsePiece("a.bit@4M,card=card.json,cut=16..,reversed,swap16");
    Placement b = parsePiece("b.txt,format=bin,after,align=block,pad=64K"), c = parsePiece("pattern:counting+4K@0");
    for (Placement* p : {&a, &b, &c}) p->memory = "boot-flash";
    QVERIFY(sheet.placements == (std::vector<Placement>{a, b, c}));
    SumPlacement sum = parseSum("crc32:0..0xFB@0xFC,low-first");
    sum.memory = "boot-flash";
    QVERIFY(sheet.sums == std::vector<SumPlacement>{sum});
    const std::string saved = sheetText(sheet);
    VERIFY_CONTAINS(saved, "\"cut\": \"16..\"");  // as it was written
    const Sheet again = parse(saved);
    QVERIFY(again.placements == sheet.placements && again.sums == sheet.sums);
    // From nothing written, too.
    Sheet fresh = parse(world_.sheetText());
    fresh.placements = sheet.placements;
    fresh.sums = sheet.sums;
    fresh.memories[0].sync = {0x59, 0x8A};
    const Sheet back = parse(sheetText(fresh));
    QVERIFY(back.placements == sheet.placements && back.sums == sheet.sums);
    QCOMPARE(back.memories[0].sync, (Bytes{0x59, 0x8A}));
    QVERIFY(back.warnings.empty());
    // And taken out again.
    Sheet plain = back;
    plain.placements = {parsePiece("a.bit@0")};
    plain.placements[0].memory = "boot-flash";
    QVERIFY(parse(sheetText(plain)).placements == plain.placements);
  }

  void badPlacementsNameTheirKey() {
    const auto error = [&](const char* keys) {
      return errorOf([&] {
        parse(QString::fromStdString(world_.sheetText())
                  .replace("  ]\n}", QString("  ],\n\"placements\": [{\"memory\": \"boot-flash\", %1}]}").arg(keys))
                  .toStdString());
      });
    };
    VERIFY_CONTAINS(error(R"("file": "f", "pattern": "counting+1")"),
                    "placements[0].pattern: stands instead of a file");
    VERIFY_CONTAINS(error(R"("pattern": "often")"), "placements[0].pattern: should be like");
    VERIFY_CONTAINS(error(R"("file": "f", "swap": 8)"), "placements[0].swap: should be 16 or 32 bits");
    VERIFY_CONTAINS(error(R"("file": "f", "align": 0)"),
                    "placements[0].align: should be a number of bytes, or \"block\"");
    VERIFY_CONTAINS(error(R"("file": "f", "cut": "9")"), "placements[0].cut: should be");
    VERIFY_CONTAINS(error(R"("file": "f", "format": "tape")"), "placements[0].format: should be");
  }

  /// The block that a piece begins on is the part's, as the last identification left it in the sheet.
  void blocksComeFromWhatWasLastSeen() {
    QTemporaryDir folder;
    Sheet sheet = parse(world_.sheetText());
    sheet.path = folder.filePath("s.imprimo").toStdString();
    writeFileAtomically(folder.filePath("f.bin").toStdString(), "river gauge");
    sheet.placements = {parsePiece("f.bin@0"), parsePiece("f.bin,align=block")};
    for (Placement& p : sheet.placements) p.memory = "boot-flash";
    VERIFY_CONTAINS(errorOf([&] { run::wantedFor(sheet, "boot-flash", plan::Task::Program); }),
                    "f.bin: which erase blocks the part has is not known");
    flash::PartCard card{"x", {1, 0x7E, 0x4017}, {}};
    card.geometry.size = 8u << 20;
    card.geometry.erase = {{0x8000, 0.1, 1}};
    card.commands.erase = {{0x52}};
    card.geometry.pageTypical = 0.0004;
    card.geometry.pageLongest = 0.003;
    sheet.memories[0].lastSeen = flash::partCardText(card);
    const plan::Wanted wanted = run::wantedFor(sheet, "boot-flash", plan::Task::Program);
    QCOMPARE(wanted.pieces[1].image.extent().begin, 0x8000u);
  }

  void lastSeenIsKept() {
    Sheet sheet = parse(world_.sheetText());
    sheet.memories[0].lastSeen = R"({"imprimo_part":1,"name":"x"})";
    const Sheet again = parse(sheetText(sheet));
    COMPARE_TEXT(again.memories[0].lastSeen, R"({"imprimo_part":1,"name":"x"})");
    QVERIFY(again.warnings.empty());
  }

  void aSheetForFoundPartsCanBeRead() {
    const std::string text = sheetTextFor("New", {{"part1", 0x11001FFD, {}, 8, ""},
                                                  {"part2", std::nullopt, {}, 4, ""},
                                                  {"part3", 0x31003FFD, 0x0FFFFFFF, 4, "p3.bsd"}});
    const Sheet sheet = parse(text);
    QCOMPARE(sheet.chain[0].irLength, 8u);
    QCOMPARE(sheet.chain[2].idcodes[0].mask, 0x0FFFFFFFu);
    QVERIFY(sheet.chain[1].idcodes.empty());
    QVERIFY(sheet.chain[2].description != nullptr);
  }
};
IMPRIMO_TEST(SheetTest);
#include "tst_sheet.moc"
