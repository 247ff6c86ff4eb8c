// SPDX-License-Identifier: GPL-3.0-or-later
#include <QDir>
#include <QTemporaryDir>

#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "core/base/json_text.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class AtomicFileTest : public QObject {
  Q_OBJECT
 private slots:
  void theOldFileStaysUntilTheNewOneIsWhole() {
    QTemporaryDir folder;
    const std::string path = folder.filePath("image.bin").toStdString();
    writeFileAtomically(path, std::string_view("old"));
    {
      AtomicFile file(path);
      file.write(std::string_view("half"));
      COMPARE_TEXT(readTextFile(path), "old");
    }
    COMPARE_TEXT(readTextFile(path), "old");
    QCOMPARE(QDir(folder.path()).entryList(QDir::Files | QDir::Hidden).size(), 1);
    writeFileAtomically(path, std::string_view("new"));
    COMPARE_TEXT(readTextFile(path), "new");
    QCOMPARE(QDir(folder.path()).entryList(QDir::Files | QDir::Hidden).size(), 1);
  }

  void aFullDiskIsAnError() {
    QCOMPARE(kindOf([] { writeFileAtomically("/dev/full", std::string_view("x")); }),
             std::optional{ErrorKind::CannotWrite});
    QTemporaryDir folder;
    const std::string path = folder.filePath("large").toStdString();
    VERIFY_CONTAINS(errorOf([&] { AtomicFile(path, 1ull << 60); }), "No space left on device");
    QVERIFY(QDir(folder.path()).isEmpty());
  }

  void aMissingFolderIsAnError() {
    COMPARE_TEXT(errorOf([] { writeFileAtomically("/nowhere/at/all", std::string_view("x")); }),
                 "cannot write /nowhere/at/all: No such file or directory");
    COMPARE_TEXT(errorOf([] { readFile("/nowhere/at/all"); }),
                 "cannot read /nowhere/at/all: No such file or directory");
    COMPARE_TEXT(errorOf([] { readFile("/tmp"); }), "cannot read /tmp: Is a directory");
  }
};
IMPRIMO_TEST(AtomicFileTest);

class JsonTextTest : public QObject {
  Q_OBJECT
 private slots:
  void valuesKnowTheirLines() {
    const JsonText json = JsonText::parse("{\n \"a\": {\n  \"b\": [1,\n 2\n],\n \"c\": true}\n}", "f");
    QCOMPARE(json.lines.at("a"), 2);
    QCOMPARE(json.lines.at("a.b[0]"), 3);
    QCOMPARE(json.lines.at("a.b[1]"), 4);
    QCOMPARE(json.lines.at("a.c"), 6);
  }

  void aDuplicateKeyIsNamed() {
    COMPARE_TEXT(errorOf([] { JsonText::parse("{\"a\": [{\"x\": 1,\n \"x\": 2}]}", "f"); }),
                 "f:2: a[0].x: this key stands here twice");
  }

  void badSyntaxNamesTheLine() {
    VERIFY_CONTAINS(errorOf([] { JsonText::parse("{\n\"a\": 1,\n}", "f"); }), "f:3: not valid JSON");
    VERIFY_CONTAINS(errorOf([] { JsonText::parse("", "f"); }), "f:1: not valid JSON");
    VERIFY_CONTAINS(errorOf([] { JsonText::parse("{} x", "f"); }), "f:1: not valid JSON");
    VERIFY_CONTAINS(errorOf([] { JsonText::parse(std::string(100'000, '['), "f"); }), "nested more than 100 deep");
  }

  void wrongAndMissingValuesAreNamed() {
    const JsonText json = JsonText::parse("{\n\"a\": {\"n\": \"12x\"},\n\"b\": 3}", "f");
    const JsonNode root(json);
    COMPARE_TEXT(errorOf([&] { root["a"]["n"].number(); }),
                 "f:2: a.n: should be a number: \"0x400000\", \"4194304\" or \"4M\"");
    COMPARE_TEXT(errorOf([&] { root["a"]["m"]; }), "f:2: a.m: this key is missing");
    COMPARE_TEXT(errorOf([&] { root["b"].string(); }), "f:3: b: should be a text in quotes");
    COMPARE_TEXT(errorOf([&] { root["b"].elements(); }), "f:3: b: should be a list in [ ]");
  }
};
IMPRIMO_TEST(JsonTextTest);
#include "tst_files.moc"
