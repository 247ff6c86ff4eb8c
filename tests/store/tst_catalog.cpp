// SPDX-License-Identifier: GPL-3.0-or-later
#include <QDir>
#include <QFile>
#include <QTemporaryDir>

#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "core/store/catalog.h"
#include "core/store/folders.h"
#include "core/store/shared_folders.h"
#include "core/store/user_library.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::store;
using namespace imprimo::test;

class CatalogTest : public QObject {
  Q_OBJECT
  static std::string demo(const char* name) { return std::string(IMPRIMO_DEMO "/") + name; }
  static std::string listed(const std::vector<Description>& all) {
    std::string text;
    for (const Description& d : all) text += std::string(keyOf(d.kind)) + " " + d.name + ": " + d.says + "\n";
    return text;
  }

 private slots:
  void cleanup() { std::filesystem::remove_all(dataFolder()); }

  void filesAreRecognisedByWhatTheyHold() {
    QTemporaryDir folder;
    const auto kindOf = [](const std::string& file) {
      const auto found = recognise(file);
      return found ? std::string(nameOf(found->kind)) : std::string("nothing");
    };
    COMPARE_TEXT(kindOf(demo("parts/wren_c64.bsd")), "BSDL file");
    COMPARE_TEXT(kindOf(demo("parts/quill_q64.json")), "part card");
    COMPARE_TEXT(kindOf(demo("parts/tarn_configure.json")), "configuration card");
    COMPARE_TEXT(kindOf(demo("parts/tarn_wrapper.json")), "wrapper card");
    COMPARE_TEXT(kindOf(demo("supervisor/beck_k0_core.json")), "core card");
    COMPARE_TEXT(kindOf(demo("cores/tarn_t40_bridge.json")), "bridge card");
    COMPARE_TEXT(kindOf(demo("bench.json")), "nothing");
    COMPARE_TEXT(kindOf(demo("fallback.bin")), "nothing");
    // Whatever it is called.
    const std::string other = folder.filePath("description.txt").toStdString();
    writeFileAtomically(other, readTextFile(demo("parts/wren_c64.bsd")));
    COMPARE_TEXT(kindOf(other), "BSDL file");
  }

  void whatIsAddedIsFoundByIdcode() {
    for (const char* file : {"parts/wren_c64.bsd", "parts/tarn_t40.bsd", "parts/tarn_configure.json",
                             "parts/quill_q64.json", "cores/tarn_t40_bridge.json", "supervisor/beck_k0_core.json"})
      QVERIFY(!addDescription(demo(file)).there);
    QVERIFY(addDescription(demo("cores/tarn_t40_bridge.json")).there);
    const Catalog catalog = openCatalog();
    COMPARE_TEXT(listed(catalog.forIdcode(0x3F40AFFD)),
                 "bsdl TARN_T40: IDCODE 0x?f40affd\n"
                 "configuration Tarn T40 through its fabric instructions: for TARN_T40\n"
                 "bridge SPI bridge for Tarn T40: IDCODE 0x?f40affd, FABRIC_A, tarn_t40_bridge.bin\n");
    // What a card names is there too.
    QVERIFY(std::filesystem::exists(partFolder() / "tarn_t40_bridge.bin"));
    QVERIFY(std::filesystem::exists(partFolder() / "beck_k0.flm"));
    COMPARE_TEXT(listed(catalog.search("quill part")), "part Quill Q64: ID 0x7e4017, 8 MiB\n");
    removeDescription(catalog.search("wren").front());
    QVERIFY(openCatalog().search("wren").empty());
  }

  void whatIsNoneIsRefused() {
    COMPARE_TEXT(errorOf([] { addDescription(demo("fallback.bin")); }),
                 demo("fallback.bin") + " is no description that the library knows");
    QTemporaryDir folder;
    const std::string broken = folder.filePath("broken.json").toStdString();
    writeFileAtomically(broken, std::string_view("{\"imprimo_bridge\": 1,\n \"name\": 7}"));
    COMPARE_TEXT(errorOf([&] { addDescription(broken); }), broken + ":2: name: should be a text in quotes");
    // A card whose image is missing is not half there.
    writeFileAtomically(broken, readTextFile(demo("cores/tarn_t40_bridge.json")));
    QVERIFY(errorOf([&] { addDescription(broken); }) != "no error");
    QVERIFY(openCatalog().all().empty());
  }

  void aSharedFolderMayGoAway() {
    QTemporaryDir folder;
    QDir(folder.path()).mkpath("deep/er");
    QFile::copy(IMPRIMO_DEMO "/parts/wren_c64.bsd", folder.filePath("deep/er/wren_c64.bsd"));
    QFile::copy(IMPRIMO_DEMO "/parts/quill_q64.json", folder.filePath("quill.json"));
    addSharedFolder(folder.path().toStdString());
    addSharedFolder(folder.path().toStdString());
    QCOMPARE(sharedFolders().size(), 1U);
    Catalog catalog = openCatalog();
    QCOMPARE(catalog.all().size(), 2U);
    COMPARE_TEXT(errorOf([&] { removeDescription(catalog.search("wren").front()); }),
                 folder.filePath("deep/er/wren_c64.bsd").toStdString() + " is in a shared folder");
    folder.remove();
    catalog = openCatalog();
    QVERIFY(catalog.all().empty());
    COMPARE_TEXT(catalog.warnings().at(0),
                 folder.path().toStdString() + " is not there (a shared folder of the library)");
    removeSharedFolder(folder.path().toStdString());
    QVERIFY(sharedFolders().empty());
    QVERIFY(openCatalog().warnings().empty());
    COMPARE_TEXT(errorOf([&] { addSharedFolder("/nowhere"); }), "/nowhere is no folder");
  }
};

IMPRIMO_TEST(CatalogTest);
#include "tst_catalog.moc"
