// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTemporaryDir>

#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "core/bsdl/library.h"
#include "tests/support/check.h"
#include "tests/support/random_bsdl.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

class LibraryTest : public QObject {
  Q_OBJECT
  static std::string device(const std::string& name, const std::string& idcode, const std::string& more = "") {
    return "entity " + name + " is\n" + more +
           "attribute INSTRUCTION_LENGTH of X : entity is 4;\nattribute INSTRUCTION_OPCODE of X : entity is \"BYPASS "
           "(1111), "
           "IDCODE (0001)\";\nattribute IDCODE_REGISTER of X : entity is \"" +
           idcode + "\";\nend " + name + ";\n";
  }
  QTemporaryDir folder_;
  void put(const char* name, const std::string& text) { writeFileAtomically(file(name), text); }
  std::string file(const char* name) const { return folder_.filePath(name).toStdString(); }

 private slots:
  void init() {
    for (const QString& name : QDir(folder_.path()).entryList(QDir::Files)) QFile::remove(folder_.filePath(name));
  }

  void findsByIdcodeAndTellsOfWhatItCannotRead() {
    put("a.bsd", device("REED", "XXXX1111010000001010111111111101"));
    put("bad.BSDL", "entity X is attribute INSTRUCTION_LENGTH of X : entity is one; end;");
    put("package.bsd", "package P is end P;");
    put("ignored.txt", "entity");
    bsdl::Library library;
    library.addFolder(folder_.path().toStdString());
    COMPARE_TEXT(library.find(0x2F40AFFD)->entity, "REED");
    QVERIFY(library.find(0x1F41AFFD) == nullptr);
    COMPARE_TEXT(library.fileFor(0x2F40AFFD).filename().string(), "a.bsd");
    QCOMPARE(library.warnings().size(), 1u);
    VERIFY_CONTAINS(library.warnings()[0], "INSTRUCTION_LENGTH should be a whole number");
    QCOMPARE(kindOf([&] { library.addFolder("/nowhere"); }), std::optional{ErrorKind::BadFile});
  }

  void variantsThatWorkAlikeAreOneAndOthersAreAskedFor() {
    const std::string code = "00011111010000001010111111111101";
    put("bga.bsd", device("REED_BGA", code, "port (A : in bit);\n"));
    put("qfp.bsd", device("REED_QFP", code, "port (A : in bit);\nconstant Q : PIN_MAP_STRING := \"A : 1\";\n"));
    bsdl::Library library;
    library.addFolder(folder_.path().toStdString());
    QCOMPARE(library.candidates(0x1F40AFFD).size(), 1u);
    COMPARE_TEXT(library.find(0x1F40AFFD)->entity, "REED_BGA");

    put("other.bsd", device("REED_SECURE", code, "attribute INSTRUCTION_CAPTURE of X : entity is \"1001\";\n"));
    put("vague.bsd", device("ANY_REED", "XXXX1111010000001010111111111101"));
    bsdl::Library wider;
    wider.addFolder(folder_.path().toStdString());
    const auto candidates = wider.candidates(0x1F40AFFD);
    QCOMPARE(candidates.size(), 2u);  // the vague one says less
    COMPARE_TEXT(candidates[1].entity, "REED_SECURE");
    QVERIFY(wider.find(0x1F40AFFD) == nullptr);
    COMPARE_TEXT(wider.addFile(file("other.bsd"))->entity, "REED_SECURE");
    COMPARE_TEXT(wider.find(0x1F40AFFD)->entity, "REED_SECURE");
  }

  void aPatternThatFitsEverythingIsToldOfAndFindsNothing() {
    put("all.bsd", device("ALL", "XXXXXXXXXXXXXXXXXXXXXXXXXXXXXXX1"));
    bsdl::Library library;
    library.addFolder(folder_.path().toStdString());
    QVERIFY(library.candidates(0x1F40AFFD).empty());
    VERIFY_CONTAINS(library.warnings().at(0), "fits every part");
  }

  void theCacheIsBelievedUntilAFileChanges() {
    put("a.bsd", device("REED", "00011111010000001010111111111101"));
    put("b.bsd", device("RUSH", "00011111010000001011111111111101"));
    const std::string cache = file("cache/index");
    const auto open = [&] {
      auto library = std::make_unique<bsdl::Library>(cache);
      library->addFolder(folder_.path().toStdString());
      library->keepCache();
      return library;
    };
    QCOMPARE(open()->skimmed(), 2u);
    QCOMPARE(open()->skimmed(), 0u);
    COMPARE_TEXT(open()->find(0x1F40BFFD)->entity, "RUSH");
    put("b.bsd", device("RUSHES", "00011111010000001111111111111101"));
    const auto again = open();
    QCOMPARE(again->skimmed(), 1u);
    QVERIFY(again->find(0x1F40BFFD) == nullptr);
    COMPARE_TEXT(again->find(0x1F40FFFD)->entity, "RUSHES");
    // A cache that is damaged is made anew, not believed and not fatal.
    for (const char* damage : {"", "imprimo bsdl index 2\n", "imprimo bsdl index 1\n1\t2\tx\n", "\xFF\xFF"}) {
      writeFileAtomically(cache, std::string_view(damage));
      QCOMPARE(open()->skimmed(), 2u);
    }
  }
};
IMPRIMO_TEST(LibraryTest);
#include "tst_library.moc"
