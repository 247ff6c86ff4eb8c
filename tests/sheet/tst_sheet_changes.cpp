// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTemporaryDir>

#include "core/base/json.h"
#include "core/base/json_layout.h"
#include "core/sheet/sheet_changes.h"
#include "core/sheet/sheet_keys.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::sheet;
using namespace imprimo::test;
using Json = nlohmann::ordered_json;

namespace {

std::string laidOut(std::string_view text, const std::function<void(Json&)>& change) {
  Json root = Json::parse(text);
  change(root);
  const std::string out = inLayoutOf(text, root);
  if (Json::parse(out) != root) return "ANOTHER DOCUMENT: " + out;
  return out;
}

/// A random document, and one that is like it.
class Documents {
 public:
  explicit Documents(unsigned seed) : random_(seed) {}
  Json value(int depth) {
    switch (below(depth > 3 ? 4 : 6)) {
      case 0:
        return below(1000);
      case 1:
        return "t\"e\\x\n" + std::to_string(below(9));
      case 2:
        return below(2) == 0;
      case 3:
        return nullptr;
      case 4: {
        Json list = Json::array();
        for (unsigned i = below(4); i > 0; --i) list.push_back(value(depth + 1));
        return list;
      }
      default: {
        Json object = Json::object();
        for (unsigned i = below(4); i > 0; --i) object["k" + std::to_string(below(6))] = value(depth + 1);
        return object;
      }
    }
  }
  void change(Json& at) {
    if (!at.is_structured() || at.empty() || below(3) == 0) {
      at = value(2);
    } else if (below(4) == 0 && at.is_array()) {
      at.erase(below(static_cast<unsigned>(at.size())));
    } else if (below(4) == 0 && at.is_array()) {
      at.insert(at.begin() + below(static_cast<unsigned>(at.size())), value(2));
    } else {
      auto it = at.begin();
      std::advance(it, below(static_cast<unsigned>(at.size())));
      change(*it);
    }
  }
  /// Any spaces that JSON allows.
  std::string text(const Json& value) {
    if (!value.is_structured()) return value.dump();
    std::string out(1, value.is_object() ? '{' : '[');
    bool first = true;
    for (const auto& [key, member] : value.items()) {
      if (!first) out += ',';
      first = false;
      out += space();
      if (value.is_object()) out += Json(key).dump() + space() + ":" + space();
      out += text(member) + space();
    }
    return out + space() + (value.is_object() ? "}" : "]");
  }

 private:
  unsigned below(unsigned n) { return std::uniform_int_distribution<unsigned>(0, n - 1)(random_); }
  std::string space() {
    static const char* const kSpaces[] = {"", " ", "\n", "\r\n\t", "  \n  "};
    return kSpaces[below(5)];
  }
  std::mt19937 random_;
};

}  // namespace

class SheetChangesTest : public QObject {
  Q_OBJECT
  World world_;
  Sheet parse(const std::string& text) { return parseSheet(text, world_.path("s.imprimo").toStdString()); }
  Json root() { return sheetJson(world_.sheet()); }

 private slots:
  void whatDidNotChangeStaysAsItIsWritten() {
    const char* text =
        "{ \"imprimo\": 1,\r\n\t\"// why\": \"a note\",\r\n\t\"probe\":{\"clock\" : 1e6},\r\n\t\"chain\": [\r\n"
        "\t\t{\"name\":\"a\",   \"ir_length\": 8},\r\n\t\t{\"name\":\"b\", \"ir_length\": 4}\r\n\t]\r\n}\r\n\r\n";
    COMPARE_TEXT(laidOut(text, [](Json& root) { root["chain"][1]["ir_length"] = 5; }),
                 std::string(text).replace(std::string(text).find("\": 4}") + 3, 1, "5"));
    COMPARE_TEXT(laidOut(text,
                         [](Json& root) {
                           root["chain"].push_back({{"name", "c"}, {"ir_length", 6}});
                         }),
                 std::string(text).replace(std::string(text).find("4}\r\n") + 2, 0,
                                           ",\r\n\t\t{\"name\": \"c\", \"ir_length\": 6}"));
    COMPARE_TEXT(laidOut(text, [](Json& root) { root["title"] = "x"; }),
                 std::string(text).replace(std::string(text).find("\r\n}"), 0, ",\r\n\t\"title\": \"x\""));
    std::string moved = text;
    moved.replace(moved.find("{\"name\":\"a\",   \"ir_length\": 8},\r\n\t\t{\"name\":\"b\", \"ir_length\": 4}"),
                  std::string("{\"name\":\"a\",   \"ir_length\": 8},\r\n\t\t{\"name\":\"b\", \"ir_length\": 4}").size(),
                  "{\"name\":\"b\", \"ir_length\": 4},\r\n\t\t{\"name\":\"a\",   \"ir_length\": 8}");
    COMPARE_TEXT(laidOut(text, [](Json& root) { std::swap(root["chain"][0], root["chain"][1]); }), moved);
    const std::string whole = text;
    COMPARE_TEXT(laidOut(text, [](Json& root) { root["chain"] = Json::array(); }),
                 whole.substr(0, whole.find("[\r\n")) + "[]\r\n}\r\n\r\n");
  }

  void anyDocumentIsWrittenInAnyLayout() {
    for (unsigned seed = 0; seed < 3000; ++seed) {
      Documents documents(seed);
      const Json before = documents.value(0);
      const std::string text = documents.text(before);
      QVERIFY(Json::parse(text) == before);
      Json after = before;
      documents.change(after);
      const std::string out = inLayoutOf(text, after);
      QVERIFY2(Json::parse(out, nullptr, false) == after, (text + "\n--\n" + out).c_str());
      COMPARE_TEXT(inLayoutOf(text, before), text);
    }
  }

  void aSheetIsSavedInItsOwnLayout() {
    std::string text = world_.sheetText();
    Sheet sheet = parse(text);
    sheet.bookmarks.push_back({"boot-flash", 0x40, "here", std::nullopt});
    const std::string saved = sheetText(sheet);
    // One list more, and nothing else moved.
    const std::size_t end = text.rfind('}');
    QVERIFY(saved.starts_with(text.substr(0, end - 1)));
    QVERIFY(saved.find("\"bookmarks\"") >= end - 1);
  }

  void namesAreChangedWhereTheyAreReferredTo() {
    Json root = Json::parse(world_.sheetText());
    root["keep"] = {{{"memory", "boot-flash"}, {"from", "0x0"}, {"to", "0xFFF"}}};
    setValue(root, {"memories", std::size_t{0}, "name"}, "flash");
    const std::string device = root["memories"][0]["route"]["device"];
    setValue(root, {"chain", std::size_t{1}, "name"}, "fpga");
    QVERIFY(root["keep"][0]["memory"] == "flash");
    QVERIFY(root["memories"][0]["route"]["device"] == "fpga");
    const Sheet sheet = sheetOf(root, world_.sheet());
    QCOMPARE(sheet.keptIn("flash").size(), 1U);
    QVERIFY(sheet.chain[1].description == world_.sheet().chain[1].description);  // not read again
  }

  void whatRefersToADeviceGoesWithIt() {
    Json root = Json::parse(R"({"imprimo": 1, "chain": [{"name": "a", "ir_length": 8}, {"name": "b", "ir_length": 4}],
      "cores": [{"name": "c", "port": "jtag", "device": "b", "card": "c.json"},
                {"name": "d", "port": "swd", "card": "c.json", "started_by": {"core": "c", "at": "0x0", "value": "0x1"}}],
      "memories": [{"name": "m", "type": "ram", "route": {"via": "core", "core": "c", "region": "r"}}],
      "placements": [{"memory": "m", "file": "f.hex"}], "keep": [{"memory": "m", "from": "0x0", "to": "0x1"}],
      "configurations": [{"device": "a", "file": "x"}, {"device": "b", "file": "y"}]})");
    removeValue(root, {"chain", std::size_t{1}});
    COMPARE_TEXT(root.dump(),
                 R"({"imprimo":1,"chain":[{"name":"a","ir_length":8}],)"
                 R"("cores":[{"name":"d","port":"swd","card":"c.json"}],"memories":[],"placements":[],"keep":[],)"
                 R"("configurations":[{"device":"a","file":"x"}]})");
  }

  void wrongValuesSayWhereTheyStand() {
    Json root = this->root();
    setValue(root, {"memories", std::size_t{0}, "route", "device"}, "nobody");
    try {
      sheetOf(root, world_.sheet());
      QFAIL("was taken");
    } catch (const BadValue& e) {
      COMPARE_TEXT(e.path(), "memories[0].route.device");
      COMPARE_TEXT(e.sentence(), "the chain has no part named nobody");
    }
    root = this->root();
    removeValue(root, {"memories", std::size_t{0}, "type"});
    try {
      sheetOf(root, world_.sheet());
      QFAIL("was taken");
    } catch (const BadValue& e) {
      COMPARE_TEXT(e.path(), "memories[0].type");
    }
    root = this->root();
    setValue(root, {"chain", std::size_t{0}, "bsdl"}, "nowhere.bsd");
    removeValue(root, {"chain", std::size_t{0}, "ir_length"});
    try {
      sheetOf(root, world_.sheet());
      QFAIL("was taken");
    } catch (const BadReference& e) {
      COMPARE_TEXT(e.path(), "chain[0].bsdl");
    }
  }

  void typedValuesAreWhatTheSheetHas() {
    QVERIFY(valueTyped({"probe", "clock"}, "10000000") == Json(10000000));
    QVERIFY(valueTyped({"probe", "clock"}, "fast") == Json("fast"));
    QVERIFY(valueTyped({"memories", std::size_t{0}, "boot"}, "0x10") == Json("0x10"));
    QVERIFY(valueTyped({"cores", std::size_t{0}, "lock"}, "yes") == Json(true));
    QVERIFY(valueTyped({"cores", std::size_t{0}, "console", "seconds"}, "2.5") == Json(2.5));
    QVERIFY(valueTyped({"cores", std::size_t{0}, "console", "sources"}, "ring, itm") == Json({"ring", "itm"}));
    QVERIFY(valueTyped({"memories", std::size_t{0}, "route", "hold_pins", "IO(3)"}, "1") == Json(1));
    QVERIFY(valueTyped({"after"}, "") == Json::array());
    QCOMPARE(valueText(Json({"ring", "itm"})), std::string("ring, itm"));
  }

  void entriesMoveAndGetFreeNames() {
    Json root = this->root();
    const std::string first = root["chain"][0]["name"], last = root["chain"].back()["name"];
    moveEntry(root, {"chain"}, 0, root["chain"].size() - 1);
    QVERIFY(root["chain"].back()["name"] == first);
    QCOMPARE(freeName(root, "chain", first), first + "-2");
    QCOMPARE(freeName(root, "memories", "new"), std::string("new"));
    setValue(root, {"probe", "wait"}, 5);
    removeValue(root, {"probe", "wait"});
    removeValue(root, {"probe", "clock"});
    QVERIFY(!root.contains("probe"));
  }
};

IMPRIMO_TEST(SheetChangesTest);
#include "tst_sheet_changes.moc"
