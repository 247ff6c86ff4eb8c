// SPDX-License-Identifier: GPL-3.0-or-later
//
// What a definition gives each unit: forms, sources, limits, and what is wrong with one that makes no sense.
#include <random>

#include "core/base/atomic_file.h"
#include "core/image/checksum.h"
#include "core/units/forms.h"
#include "core/units/template_text.h"
#include "core/units/value_list.h"
#include "tests/records/ledger_world.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;
using units::Field;
using units::Form;

namespace {

Field fieldOf(Form form, std::uint32_t bytes, bool lowFirst = true) {
  Field field;
  field.name = "f";
  field.form = form;
  field.bytes = bytes;
  field.lowFirst = lowFirst;
  return field;
}

/// One field of a ledger, with the keys that matter.
std::string oneField(const std::string& keys) {
  return fmt::format(R"x({{"ledger": "l", "fields": [{{"name": "f", "memory": "boot-flash", "at": "0x100", {}}}]}})x",
                     keys);
}

units::Values valuesOf(const std::string& json, std::uint64_t index, const units::Inputs& inputs = {}) {
  return units::ValueMaker(definitionOf(json), ".").make(index, inputs);
}

}  // namespace

class UnitValuesTest : public QObject {
  Q_OBJECT
 private slots:
  void eachFormHasItsBytes() {
    QCOMPARE(units::bytesOf(fieldOf(Form::Integer, 4), "1000"), (Bytes{0xE8, 0x03, 0, 0}));
    QCOMPARE(units::bytesOf(fieldOf(Form::Integer, 4, false), "0x3E8"), (Bytes{0, 0, 0x03, 0xE8}));
    QCOMPARE(units::bytesOf(fieldOf(Form::Decimal, 6), "1000"), (Bytes{'0', '0', '1', '0', '0', '0'}));
    QCOMPARE(units::bytesOf(fieldOf(Form::Hex, 4), "0xBEE"), (Bytes{'0', 'B', 'E', 'E'}));
    QCOMPARE(units::bytesOf(fieldOf(Form::Mac, 6), "02:AA:BB:00:00:10"), (Bytes{2, 0xAA, 0xBB, 0, 0, 0x10}));
    QCOMPARE(units::bytesOf(fieldOf(Form::Mac, 6), "0x02AABB000010"), (Bytes{2, 0xAA, 0xBB, 0, 0, 0x10}));
    QCOMPARE(units::bytesOf(fieldOf(Form::Bytes, 3), "12 A5 ff"), (Bytes{0x12, 0xA5, 0xFF}));
    Field text = fieldOf(Form::Text, 4);
    text.fill = 0x20;
    QCOMPARE(units::bytesOf(text, "ab"), (Bytes{'a', 'b', 0x20, 0x20}));
    QCOMPARE(units::bytesOf(fieldOf(Form::Uuid, 16), "00112233-4455-6677-8899-aabbccddeeff")[4], 0x44);
  }

  void textAndBytesAreEachOthersOpposite() {
    std::mt19937 random(7);
    for (int i = 0; i < 500; ++i) {
      const auto form = static_cast<Form>(random() % 7);
      const std::uint32_t size = form == Form::Mac ? 6 : form == Form::Uuid ? 16 : 1 + random() % 8;
      Field field = fieldOf(form, size, random() % 2 == 0);
      field.source.hexadecimal = random() % 2 == 0;
      Bytes bytes = randomBytes(random, size);
      if (form == Form::Decimal || form == Form::Hex) bytes = Bytes(size, '7');
      if (form == Form::Text) bytes.assign(size, 'x');
      QCOMPARE(units::bytesOf(field, units::textOf(field, bytes)), bytes);
    }
  }

  void whatIsTooWideOrNoneIsSaid() {
    QCOMPARE(errorOf([] { units::bytesOf(fieldOf(Form::Integer, 2), "65536"); }),
             "'65536' is too wide for field f, which has 2 bytes");
    VERIFY_CONTAINS(errorOf([] { units::bytesOf(fieldOf(Form::Text, 2), "abc"); }), "too wide");
    VERIFY_CONTAINS(errorOf([] { units::bytesOf(fieldOf(Form::Decimal, 2), "100"); }), "too wide");
    VERIFY_CONTAINS(errorOf([] { units::bytesOf(fieldOf(Form::Mac, 6), "02:AA"); }), "is no value of field f");
    VERIFY_CONTAINS(errorOf([] { units::bytesOf(fieldOf(Form::Integer, 2), "ten"); }), "is no value of field f");
    Field secret = fieldOf(Form::Bytes, 2);
    secret.secret = true;
    const std::string said = errorOf([&] { units::bytesOf(secret, "112233"); });
    QVERIFY2(!QString::fromStdString(said).contains("112233"), said.c_str());
  }

  void aUnitHasAllOfItsValues() {
    units::Inputs inputs;
    inputs.secretRandom = [](std::size_t count) { return Bytes(count, 0x5A); };
    const units::Values values = valuesOf(gaugeUnits(), 7, inputs);
    QCOMPARE(values.at("serial").text, "1007");
    QCOMPARE(values.at("serial").bytes, (Bytes{0xEF, 0x03, 0, 0}));
    QCOMPARE(values.at("mac").text, "0x02AABB00001E");
    QCOMPARE(values.at("label").text, "RG-001007");
    QCOMPARE(values.at("label").bytes.size(), 16U);
    QCOMPARE(values.at("key").bytes, Bytes(16, 0x5A));
    // A secret is not made before it is written.
    QVERIFY(!valuesOf(gaugeUnits(), 7).contains("key"));
    QCOMPARE(units::ValueMaker(definitionOf(gaugeUnits()), ".").capacity(), 1000U);
    QCOMPARE(units::ValueMaker(definitionOf(gaugeUnits("999999")), ".").capacity(), 0x7FF8U);
  }

  void otherSources() {
    units::Inputs inputs;
    inputs.today = std::chrono::sys_days{std::chrono::year{2031} / 4 / 5};
    inputs.uniqueId = [](const std::string&) { return Bytes{1, 2, 3, 4}; };
    inputs.given = {{"f", "AB12"}};
    const auto textOf = [&](const std::string& keys) { return valuesOf(oneField(keys), 0, inputs).at("f").text; };
    QCOMPARE(textOf(R"("bytes": 10, "as": "text", "from": {"date": "%Y-%m-%d"})"), "2031-04-05");
    QCOMPARE(textOf(R"("bytes": 4, "as": "bytes", "from": {"unique_id": true})"), "01020304");
    QCOMPARE(textOf(R"("bytes": 8, "as": "text", "from": {"given": true, "pattern": "[A-Z]{2}[0-9]+"})"), "AB12");
    VERIFY_CONTAINS(
        errorOf([&] { textOf(R"("bytes": 8, "as": "text", "from": {"given": true, "pattern": "[0-9]+"})"); }),
        "does not fit the pattern");
    inputs.random = [](std::size_t count) { return Bytes(count, 0xFF); };
    // RFC 4122: version 4, variant 10.
    QCOMPARE(textOf(R"("as": "uuid", "from": {"random": true})"), "ffffffff-ffff-4fff-bfff-ffffffffffff");
  }

  void checksumsAndDerivedKeysFollowTheOthers() {
    QTemporaryDir folder;
    writeFileAtomically(folder.filePath("secret").toStdString(), "0123456789abcdef0123456789abcdef\n");
    const std::string json = gaugeUnits("1999", R"x(,
      {"name": "sum", "memory": "boot-flash", "at": "0x7E0030", "bytes": 4, "from": {"checksum": "crc32", "over": ["serial", "mac"]}},
      {"name": "token", "memory": "boot-flash", "at": "0x7E0040", "bytes": 16, "as": "bytes", "secret": true,
       "from": {"derived": "secret", "of": "serial"}})x");
    const units::ValueMaker maker(definitionOf(json), folder.path().toStdString());
    const units::Values first = maker.make(0, {}), again = maker.make(0, {}), second = maker.make(1, {});
    Bytes over = first.at("serial").bytes;
    over.insert(over.end(), first.at("mac").bytes.begin(), first.at("mac").bytes.end());
    Bytes sum = checksumOf(*checksumNamed("crc32"), over);
    std::reverse(sum.begin(), sum.end());
    QCOMPARE(first.at("sum").bytes, sum);
    QCOMPARE(first.at("token"), again.at("token"));
    QVERIFY(first.at("token") != second.at("token"));
  }

  void listsAreReadAsTheyAreWritten() {
    const auto column = [](const std::string& text) { return units::columnOf(text, "list.csv", "mac"); };
    QCOMPARE(column("serial,mac\n1,02:00\r\n2,\"02:01\"\n"), (std::vector<std::string>{"02:00", "02:01"}));
    QCOMPARE(column("mac\n\"a\"\"b,c\"\n"), (std::vector<std::string>{"a\"b,c"}));
    QCOMPARE(errorOf([&] { column("serial,mac\n1,02:00\n2,02:01\n3,02:00\n"); }),
             "list.csv:4: '02:00' is already in line 2");
    VERIFY_CONTAINS(errorOf([&] { column("serial\n1\n"); }),
                    "list.csv:1: there is no column named mac; there are serial");
    VERIFY_CONTAINS(errorOf([&] { column("serial,mac\n1\n"); }), "list.csv:2: 1 values, and the first line has 2");
    VERIFY_CONTAINS(errorOf([&] { column("mac\n\"open\n"); }), "list.csv:2: a quotation mark is not closed");
    VERIFY_CONTAINS(errorOf([&] { column(""); }), "list.csv:1: the file is empty");
    VERIFY_CONTAINS(errorOf([&] { column("serial,mac\n1,"); }), "list.csv:2: nothing stands in column mac");
  }

  void templatesAreFilledIn() {
    const auto filled = [](const char* text) {
      return units::fillTemplate(text, [](const std::string& name, const units::TemplateForm& form) {
        return "<" + name + std::to_string(form.width) + (form.hexadecimal ? "X" : "") + ">";
      });
    };
    QCOMPARE(filled("RG-{serial:06}/{mac:08X} {{x}}"), "RG-<serial6>/<mac8X> {x}");
    for (const char* wrong : {"{serial", "serial}", "{serial:6}", "{serial:0q}", "{serial:099}"})
      QVERIFY_EXCEPTION_THROWN(filled(wrong), std::invalid_argument);
  }

  void aDefinitionThatMakesNoSenseIsRefused_data() {
    QTest::addColumn<QString>("json");
    QTest::addColumn<QString>("said");
    const auto row = [](const char* name, const std::string& keys, const char* said) {
      QTest::newRow(name) << QString::fromStdString(oneField(keys)) << said;
    };
    row("source", R"("bytes": 4, "from": {})", "units.json:1: fields[0].from: should have \"count\"");
    row("form", R"("bytes": 4, "as": "roman", "from": {"count": 1, "to": 2})", "fields[0].as: should be \"integer\"");
    row("too wide", R"("bytes": 1, "from": {"count": 1, "to": 256})",
        "'256' is too wide for field f, which has 1 byte");
    row("backwards", R"("bytes": 4, "from": {"count": 9, "to": 8})", "ends before it begins");
    row("step", R"("bytes": 4, "from": {"count": 1, "to": 8, "step": 0})", "should be 1 or more");
    row("memory", R"("bytes": 4, "from": {"count": 1, "to": 2}, "core": "x", "word": "w")", "leave one of the two out");
    row("itself", R"("bytes": 4, "as": "text", "from": {"text": "{f}"})", "is made of itself");
    row("unknown", R"("bytes": 4, "as": "text", "from": {"text": "{g}"})", "there is no field named g");
    row("pattern", "\"bytes\": 4, \"as\": \"text\", \"from\": {\"given\": true, \"pattern\": \"[\"}",
        "is no regular expression");
    row("sum", R"("bytes": 4, "from": {"checksum": "crc9", "over": ["f"]})", "there is no checksum named crc9");
    row("date", R"("bytes": 4, "as": "text", "from": {"date": "%"})", "should be like");
    row("mac", R"("bytes": 5, "as": "mac", "from": {"count": 1, "to": 2})", "should be 6");
    QTest::newRow("overlap")
        << QString::fromStdString(gaugeUnits(
               "1999",
               R"(, {"name": "x", "memory": "boot-flash", "at": "0x7E0002", "bytes": 4, "from": {"count": 1, "to": 2}})"))
        << "overlaps field serial, which is at 0x7E0000";
    QTest::newRow("twice")
        << QString::fromStdString(gaugeUnits(
               "1999",
               R"(, {"name": "mac", "memory": "boot-flash", "at": "0x100", "bytes": 4, "from": {"count": 1, "to": 2}})"))
        << "there are two fields named mac";
    QTest::newRow("secret")
        << QString::fromStdString(gaugeUnits(
               "1999",
               R"(, {"name": "x", "memory": "boot-flash", "at": "0x100", "bytes": 40, "as": "text", "from": {"text": "{key}"}})"))
        << "would show key, which is secret";
  }
  void aDefinitionThatMakesNoSenseIsRefused() {
    QFETCH(const QString, json);
    QFETCH(const QString, said);
    const std::string error = errorOf([&] { definitionOf(json.toStdString()); });
    QVERIFY2(QString::fromStdString(error).contains(said), error.c_str());
  }
};

IMPRIMO_TEST(UnitValuesTest);
#include "tst_unit_values.moc"
