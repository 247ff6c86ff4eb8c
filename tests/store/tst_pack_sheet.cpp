// SPDX-License-Identifier: GPL-3.0-or-later
#include <zip.h>
#include <QDir>
#include <QFile>
#include <QTemporaryDir>

#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "core/store/folders.h"
#include "core/store/pack_sheet.h"
#include "core/store/user_library.h"
#include "tests/support/check.h"
#include "tests/support/copy_folder.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::store;
using namespace imprimo::test;

class PackSheetTest : public QObject {
  Q_OBJECT
  static std::string namesOf(const PackedSheet& packed) {
    std::string names;
    for (const PackedSheet::File& file : packed.files) names += file.name + "\n";
    return names;
  }
  /// All that a sheet names can be opened from where it is.
  static void requireWhole(const std::filesystem::path& path) {
    const sheet::Sheet sheet = sheet::readSheet(path);
    for (const std::filesystem::path& file : sheet::inputFiles(sheet))
      QVERIFY2(std::filesystem::exists(file), file.c_str());
    for (const std::filesystem::path& file : sheet::inputFiles(sheet))
      QVERIFY(!file.lexically_normal().lexically_relative(path.parent_path()).string().starts_with(".."));
  }
  static void writeZipWith(const std::string& path, const std::string& name, const std::string& text) {
    zip_t* zip = zip_open(path.c_str(), ZIP_CREATE | ZIP_TRUNCATE, nullptr);
    QVERIFY(zip != nullptr);
    QVERIFY(zip_file_add(zip, name.c_str(), zip_source_buffer(zip, text.data(), text.size(), 0), ZIP_FL_ENC_UTF_8) >=
            0);
    QCOMPARE(zip_close(zip), 0);
  }

 private slots:
  void cleanup() { std::filesystem::remove_all(dataFolder()); }

  void everythingGoesAlong() {
    QTemporaryDir to;
    const sheet::Sheet sheet = sheet::readSheet(IMPRIMO_DEMO "/gauge-rev-b.imprimo");
    const PackedSheet packed = packSheet(sheet);
    QVERIFY(packed.leftOut.empty());
    // Where all of it is in the sheet's folder, the sheet is what it was, but for a card that the library would find.
    COMPARE_TEXT(packed.sheetText, readTextFile(sheet.path));
    const std::filesystem::path folder = to.filePath("given").toStdString();
    QVERIFY(writePacked(packed, folder) > 1'000'000);
    requireWhole(folder / "gauge-rev-b.imprimo");
    const std::filesystem::path zip = to.filePath("given.zip").toStdString();
    writePacked(packed, zip);
    const std::filesystem::path unpacked = unpackSheet(zip, to.filePath("elsewhere").toStdString());
    requireWhole(unpacked);
    QVERIFY(readFile(unpacked.parent_path() / "fallback.bin") == readFile(IMPRIMO_DEMO "/fallback.bin"));
    COMPARE_TEXT(errorOf([&] { writePacked(packed, folder); }), folder.string() + " has something in it already");
  }

  void filesFromElsewhereGetAPlace() {
    QTemporaryDir board, others, to;
    QDir(board.path()).mkpath("sheets");
    QDir(others.path()).mkpath("a");
    QFile::copy(IMPRIMO_DEMO "/fallback.bin", others.filePath("image.bin"));
    QFile::copy(IMPRIMO_DEMO "/supervisor.elf", others.filePath("a/image.bin"));
    for (const char* name : {"beck_k0_core.json", "beck_k0.flm"})
      QFile::copy(QString(IMPRIMO_DEMO "/supervisor/") + name, others.filePath(name));
    addToLibrary(IMPRIMO_DEMO "/parts/tarn_t40.bsd");
    std::filesystem::create_directories(partFolder());
    writeFileAtomically(partFolder() / "tarn_configure.json", readTextFile(IMPRIMO_DEMO "/parts/tarn_configure.json"));
    const std::string text =
        QString(R"({"imprimo": 1, "chain": [{"name": "fpga", "bsdl": "%1"}],
 "cores": [{"name": "core", "port": "swd", "card": "%2/beck_k0_core.json"}],
 "memories": [{"name": "m", "type": "spi-nor",
               "route": {"via": "bridge", "device": "fpga", "instruction": "FABRIC_A", "load": "gone.bin"}}],
 "placements": [{"memory": "m", "file": "%2/image.bin", "at": "0x0"}, {"memory": "m", "file": "%2/a/image.bin"}]})")
            .arg(QString::fromStdString((libraryFolder() / "tarn_t40.bsd").string()), others.path())
            .toStdString();
    const sheet::Sheet sheet = sheet::parseSheet(text, board.filePath("sheets/board.imprimo").toStdString());
    const PackedSheet packed = packSheet(sheet);
    COMPARE_TEXT(namesOf(packed),
                 "files/tarn_t40.bsd\nfiles/tarn_configure.json\nfiles/beck_k0_core.json\nfiles/beck_k0.flm\n"
                 "files/image.bin\nfiles/image-2.bin\n");
    QCOMPARE(packed.leftOut.size(), 1U);
    COMPARE_TEXT(packed.leftOut[0],
                 board.filePath("sheets/gone.bin").toStdString() + " (memories[0].route.load): there is no such file");
    const std::filesystem::path folder = to.filePath("b").toStdString();
    writePacked(packed, folder);
    const sheet::Sheet there = sheet::readSheet(folder / "board.imprimo");
    COMPARE_TEXT(there.placements[1].file, "files/image-2.bin");
    COMPARE_TEXT(there.chain[0].configCard, "files/tarn_configure.json");
  }

  /// A list of values goes along; what keys are made of does not, and it is said.
  void secretsStayWhereTheyAre() {
    QTemporaryDir board, to;
    writeFileAtomically(board.filePath("serials.csv").toStdString(), std::string_view("serial\n100\n101\n"));
    writeFileAtomically(board.filePath("root.key").toStdString(), std::string_view("sixteen bytes, at least"));
    const std::string text = QString(R"({"imprimo": 1, "chain": [{"name": "fpga", "bsdl": "%1/parts/tarn_t40.bsd"}],
 "memories": [{"name": "m", "type": "spi-nor", "route": {"via": "bridge", "device": "fpga", "instruction": "FABRIC_A"}}],
 "placements": [],
 "units": {"ledger": "l", "fields": [
   {"name": "serial", "memory": "m", "at": "0x0", "bytes": 4, "from": {"list": "serials.csv", "column": "serial"}},
   {"name": "key", "memory": "m", "at": "0x10", "bytes": 16, "as": "bytes", "secret": true,
    "from": {"derived": "root.key", "of": "serial"}}]}})")
                                 .arg(IMPRIMO_DEMO)
                                 .toStdString();
    const PackedSheet packed = packSheet(sheet::parseSheet(text, board.filePath("board.imprimo").toStdString()));
    COMPARE_TEXT(namesOf(packed), "files/tarn_t40.bsd\nserials.csv\n");
    QCOMPARE(packed.leftOut.size(), 1U);
    COMPARE_TEXT(packed.leftOut[0],
                 "root.key (units.fields[1].from.derived): a secret goes to no other place by itself");
    const std::string zip = to.filePath("given.zip").toStdString();
    writePacked(packed, zip);
    const Bytes bytes = readFile(zip);
    const std::string_view secret = "sixteen bytes";
    QVERIFY(std::search(bytes.begin(), bytes.end(), secret.begin(), secret.end()) == bytes.end());
  }

  void whatCannotBeWrittenLeavesNothing() {
    QTemporaryDir to;
    PackedSheet packed = packSheet(sheet::readSheet(IMPRIMO_DEMO "/gauge-rev-b.imprimo"));
    packed.files.push_back({"/nowhere/at/all.bin", "files/all.bin"});
    const std::filesystem::path folder = to.filePath("given").toStdString(),
                                zip = to.filePath("given.zip").toStdString();
    QVERIFY(errorOf([&] { writePacked(packed, folder); }) != "no error");
    QVERIFY(!std::filesystem::exists(folder));
    QVERIFY(errorOf([&] { writePacked(packed, zip); }) != "no error");
    QCOMPARE(QDir(to.path()).entryList(QDir::NoDotAndDotDot | QDir::AllEntries), QStringList());
  }

  void oddZipsAreRefused() {
    QTemporaryDir to;
    const std::string zip = to.filePath("odd.zip").toStdString();
    const std::filesystem::path folder = to.filePath("into").toStdString();
    writeZipWith(zip, "../out.imprimo", "{}");
    COMPARE_TEXT(errorOf([&] { unpackSheet(zip, folder); }), zip + ": ../out.imprimo leads out of it");
    writeZipWith(zip, "deep/board.imprimo", "{}");
    COMPARE_TEXT(errorOf([&] { unpackSheet(zip, folder); }), zip + " has no sheet at its top");
    writeFileAtomically(zip, std::string_view("this is no zip"));
    QVERIFY(errorOf([&] { unpackSheet(zip, folder); }) != "no error");
    QVERIFY(!std::filesystem::exists(folder));
    // Cut at any length.
    writePacked(packSheet(sheet::readSheet(IMPRIMO_DEMO "/float/float-sensor.imprimo")), zip);
    const Bytes whole = readFile(zip);
    for (std::size_t size = 0; size < whole.size(); size += 997) {
      writeFileAtomically(zip, ByteSpan(whole.data(), size));
      QVERIFY(errorOf([&] { unpackSheet(zip, folder); }) != "no error");
      QVERIFY(!std::filesystem::exists(folder));
    }
    // A byte of a file in it that was damaged: nothing of it is left.
    Bytes damaged = whole;
    damaged[200] ^= 0x40;
    writeFileAtomically(zip, ByteSpan(damaged));
    COMPARE_TEXT(errorOf([&] { unpackSheet(zip, folder); }), zip + ": float-sensor.imprimo cannot be read");
    QVERIFY(!std::filesystem::exists(folder));
  }
};

IMPRIMO_TEST(PackSheetTest);
#include "tst_pack_sheet.moc"
