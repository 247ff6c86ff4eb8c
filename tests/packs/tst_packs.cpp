// SPDX-License-Identifier: GPL-3.0-or-later
//
// Packs of other layouts than ours, broken ones, and what becomes of them: core cards.
#include <QTemporaryDir>

#include "core/base/atomic_file.h"
#include "core/packs/chip_card.h"
#include "core/packs/pack_description.h"
#include "core/packs/pack_library.h"
#include "tests/support/check.h"
#include "tests/support/core_world.h"
#include "tests/support/pack_maker.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::packs;
using namespace imprimo::test;

namespace {

const char* const kPlain = R"(
<family Dfamily="K series" Dvendor="Beck:901">
 <processor Dcore="Cortex-M0" DcoreVersion="r0p0"/>
 <description>Small cores.</description>
 <device Dname="BECK_K0">
  <memory name="program" access="rx" start="0x00000000" size="0x40000" default="1" startup="1"/>
  <memory name="sram" access="rwx" start="0x20000000" size="0x4000" default="1"/>
  <algorithm name="Flash/beck_k0.FLM" start="0x0" size="0x40000" default="1"/>
 </device>
</family>)";

struct Layout {
  const char* name;
  std::string devices, device;
  std::vector<std::string> regions;  ///< "flash program 0x0 0x40000 FILE"
  std::uint32_t accessPort = 0;
};

std::vector<Layout> layouts() {
  const std::string range = R"(start="0x0" size="0x40000")";
  return {
      {"named memories",
       kPlain,
       "beck_k0",
       {"flash program 0x0+0x40000 Flash/beck_k0.FLM", "ram sram 0x20000000+0x4000"}},
      // Older packs: ids, all in the family, decimal numbers, a backslash.
      {"ids of older packs",
       R"(<family Dfamily="K" Dvendor="Beck:901"><processor Dcore="Cortex-M0"/>
<memory id="IROM1" start="0" size="262144" startup="1" default="1"/><memory id="IRAM1" start="0x20000000" size="16384"/>
<algorithm name="Flash\beck_k0.FLM" start="0" size="262144" default="1"/>
<device Dname="K0"/><device Dname="K1"><memory id="IRAM1" start="0x20000000" size="0x8000"/></device></family>)",
       "K1",
       {"flash IROM1 0x0+0x40000 Flash\\beck_k0.FLM", "ram IRAM1 0x20000000+0x8000"}},
      // A variant of a device of a sub-family, each of which says a part.
      {"nested variants",
       R"(<family Dfamily="K" Dvendor="Beck:901"><processor Dcore="Cortex-M0"/>
<subFamily DsubFamily="K0 line"><memory name="sram" access="rw" start="0x20000000" size="0x1000"/>
<device Dname="K0"><algorithm name="a.flm" )" +
           range + R"( default="1" RAMstart="0x20000800" RAMsize="0x800"/>
<variant Dvariant="K0A"><memory name="code" access="rx" start="0x0" size="0x20000"/></variant>
<variant Dvariant="K0B"><memory name="code" access="rx" start="0x0" size="0x40000"/>
<memory name="sram" access="rw" start="0x20000000" size="0x4000"/></variant></device></subFamily></family>)",
       "K0B",
       {"ram sram 0x20000000+0x4000", "flash code 0x0+0x40000 a.flm in 0x20000800+0x800"}},
      // Several algorithms for one memory: the preferred one of those that cover it.
      {"several algorithms",
       R"(<family Dfamily="K" Dvendor="Beck:901"><processor Dcore="Cortex-M0"/><device Dname="K0">
<memory name="code" access="rx" start="0x1000" size="0x1000"/><memory name="options" access="r" start="0x8000" size="0x100"/>
<memory name="rom" access="rx" start="0x100000" size="0x1000"/><memory name="sram" access="rw" start="0x20000000" size="0x4000"/>
<algorithm name="part.flm" start="0x1000" size="0x800" default="1"/><algorithm name="other.flm" start="0x0" size="0x4000"/>
<algorithm name="right.flm" start="0x1000" size="0x1000" default="1"/>
<algorithm name="options.flm" start="0x8000" size="0x80" default="0"/>
<algorithm name="Flash/another_kind.xyz" start="0x1000" size="0x1000" default="1"/></device></family>)",
       "K0",
       {"flash code 0x1000+0x1000 right.flm", "flash options 0x8000+0x80 options.flm", "ram sram 0x20000000+0x4000"}},
      // Two processors, each with memories of its own, behind access ports by their id.
      {"two processors",
       R"(<family Dfamily="K" Dvendor="Beck:901"><processor Pname="big" Dcore="Cortex-M4"/><processor Pname="little" Dcore="Cortex-M0"/>
<debugport __dp="0"><swd targetsel="0x01002927"/></debugport>
<accessportV1 __apid="1" index="0"/><accessportV1 __apid="2" index="3"/>
<debug Pname="big" __apid="1"/><debug Pname="little" __apid="2"/><device Dname="K2">
<memory name="code" access="rx" start="0x0" size="0x1000"/><memory Pname="little" name="code" access="rx" start="0x4000" size="0x1000"/>
<memory name="shared" access="rwx" start="0x20000000" size="0x4000"/><memory Pname="big" name="own" access="rwx" start="0x10000000" size="0x400"/>
<algorithm name="both.flm" start="0" size="0x8000" default="1"/></device></family>)",
       "K2:LITTLE",
       {"flash code 0x4000+0x1000 both.flm", "ram shared 0x20000000+0x4000"},
       3},
      // Letters of other alphabets, comments, and what other tools put there.
      {"other alphabets",
       "<!-- Pegelmesser -->\n<family Dfamily=\"Größe\" Dvendor=\"Bäck:901\"><processor Dcore=\"Cortex-M0\"/>"
       "<book name=\"Doc/a.pdf\" title=\"A &amp; B\"/><feature type=\"Timer\" n=\"2\"/><device Dname=\"К0-α\">"
       "<memory name=\"флеш\" access=\"rx\" " +
           range +
           "/><memory name=\"sram\" access=\"rw\" start=\"0x20000000\" size=\"0x4000\"/>"
           "<algorithm name=\"Größe.flm\" " +
           range + " default=\"1\"/></device></family>",
       "К0-α",
       {"flash флеш 0x0+0x40000 Größe.flm", "ram sram 0x20000000+0x4000"}},
      // An access port by its address, and a device that takes what the family says away from it.
      {"access port by address",
       R"(<family Dfamily="K" Dvendor="Beck:901"><processor Dcore="Cortex-M33"/><debug __apid="7"/>
<accessportV2 __apid="7" address="0x2000"/><memory name="sram" access="rw" start="0x20000000" size="0x4000"/>
<device Dname="K3"><memory name="sram" access="rw" start="0x30000000" size="0x4000"/></device></family>)",
       "K3",
       {"ram sram 0x30000000+0x4000"},
       0x2000}};
}

std::string textOf(const debug::CoreRegion& region) {
  const auto range = [](const AddressRange& r) {
    return QString("0x%1+0x%2").arg(r.begin, 0, 16).arg(r.size(), 0, 16).toStdString();
  };
  return (region.flash ? "flash " : "ram ") + region.name + " " + range(region.range) +
         (region.flash ? " " + region.algorithm : "") +
         (region.algorithmRam ? " in " + range(*region.algorithmRam) : "");
}

}  // namespace

class PacksTest : public QObject {
  Q_OBJECT
 private slots:
  void init() {
    folder_ = std::make_unique<QTemporaryDir>();
    qputenv("XDG_CACHE_HOME", folder_->filePath("cache").toUtf8());
    qputenv("XDG_DATA_HOME", folder_->filePath("data").toUtf8());
  }

  void layoutsOfOthersBecomeCards_data() {
    QTest::addColumn<int>("number");
    QTest::addColumn<bool>("compressed");
    const std::vector<Layout> all = layouts();
    for (std::size_t i = 0; i < all.size(); ++i) {
      for (const bool compressed : {true, false})
        QTest::newRow(qPrintable(QString("%1, %2").arg(all[i].name).arg(compressed ? "compressed" : "stored")))
            << static_cast<int>(i) << compressed;
    }
  }

  void layoutsOfOthersBecomeCards() {
    QFETCH(const int, number);
    QFETCH(const bool, compressed);
    const Layout layout = layouts()[static_cast<std::size_t>(number)];
    writePack(at("a.pack"), layout.devices, {}, compressed);
    const debug::CoreCard card = readChip(at("a.pack"), layout.device)->card;
    QStringList found, expected;
    for (const debug::CoreRegion& region : card.regions) found << QString::fromStdString(textOf(region));
    for (const std::string& region : layout.regions) expected << QString::fromStdString(region);
    QCOMPARE(found.join("\n"), expected.join("\n"));
    QCOMPARE(card.accessPort.value_or(0), layout.accessPort);
  }

  void algorithmsAreReadOutOfThePack() {
    for (const char* inZip : {"Flash/beck_k0.FLM", "flash/BECK_K0.flm", "Flash\\beck_k0.FLM"}) {
      writePack(at("a.pack"), kPlain, {{inZip, algorithmAt(0)}});
      const debug::CoreCard card = readChip(at("a.pack"), "BECK_K0")->card;
      QCOMPARE(card.algorithmOf(card.regions.front()).size, 0x40000u);
      QFile::remove(folder_->filePath("a.pack"));
    }
    writePack(at("none.pack"), kPlain);
    const debug::CoreCard card = readChip(at("none.pack"), "BECK_K0")->card;
    VERIFY_CONTAINS(errorOf([&] { card.algorithmOf(card.regions.front()); }), "Flash/beck_k0.FLM");
  }

  void aCardCanBeMadeThatNeedsNoPack() {
    writePack(at("a.pack"), kPlain, {{"Flash/beck_k0.FLM", algorithmAt(0)}});
    QDir(folder_->path()).mkdir("cards");
    writeCardWithAlgorithms(readChip(at("a.pack"), "BECK_K0")->card, PackFile(at("a.pack")), at("cards/k0.json"));
    QFile::remove(folder_->filePath("a.pack"));
    const debug::CoreCard card = debug::readCoreCard(at("cards/k0.json"));
    QCOMPARE(card.name, std::string("BECK_K0"));
    QCOMPARE(card.regions.size(), 2u);
    QCOMPARE(card.algorithmOf(card.regions.front()).size, 0x40000u);
    QCOMPARE(card.workRam(), (AddressRange{0x20000000, 0x20004000}));
  }

  void aDeviceThatIsNotThereIsToldWithWhatIsAlike() {
    writePack(at("a.pack"), kPlain);
    const std::string told = errorOf([&] { readChip(at("a.pack"), "K0")->card; });
    VERIFY_CONTAINS(told, "no device named K0");
    QCOMPARE(kindOf([&] { readChip(at("a.pack"), "K0")->card; }), ErrorKind::Usage);
    VERIFY_CONTAINS(errorOf([&] { readChip(at("a.pack"), "BECK_K0:third")->card; }), "no processor named third");
  }

  void brokenPacksEndWithASentence_data() {
    QTest::addColumn<QByteArray>("devices");
    QTest::addColumn<QString>("says");
    const auto row = [](const char* name, const QByteArray& devices, const char* says) {
      QTest::newRow(name) << devices << says;
    };
    row("not XML", "<family><device></family>", "this is no XML");
    row("a size that is none",
        R"(<family><device Dname="K0"><memory name="m" start="0" size="many"/></device></family>)",
        "memory: size is \"many\"");
    row("past the end",
        R"(<family><device Dname="K0"><memory name="m" start="0xFFFFFFFF" size="2"/></device></family>)",
        "do not end before");
    row("no name", R"(<family><device Dname="K0"><memory start="0" size="2"/></device></family>)",
        "name or id is needed");
    row("algorithm without size", R"(<family><device Dname="K0"><algorithm name="a.flm" start="0"/></device></family>)",
        "algorithm: start and size");
    row("RAM without size",
        R"(<family><device Dname="K0"><algorithm name="a.flm" start="0" size="1" RAMstart="1"/></device></family>)",
        "RAMstart and RAMsize");
    row("a sequence without end",
        "<family><device Dname=\"K0\"><sequences><sequence name=\"s\">" + QByteArray("<control>").repeated(64) +
            QByteArray("</control>").repeated(64) + "</sequence></sequences></device></family>",
        "deep in others");
  }

  void brokenPacksEndWithASentence() {
    QFETCH(const QByteArray, devices);
    QFETCH(const QString, says);
    writePack(at("a.pack"), devices.toStdString());
    const std::string told = errorOf([&] { readChip(at("a.pack"), "K0")->card; });
    VERIFY_CONTAINS(told, says.toStdString());
    VERIFY_CONTAINS(told, "a.pack:");
  }

  void zipsThatAreNoPacksEndWithASentence() {
    const auto told = [&](const std::vector<PackedFile>& files) {
      writeZip(at("a.pack"), files);
      return errorOf([&] { lookAtPack(at("a.pack")); });
    };
    VERIFY_CONTAINS(told({{"readme.txt", bytesOfText("none")}}), "no description");
    VERIFY_CONTAINS(told({{"a.pdsc", {}}, {"b.PDSC", {}}}), "2 descriptions");
    VERIFY_CONTAINS(told({{"a.pdsc", {}}}), "this is no XML");
    VERIFY_CONTAINS(told({{"a.pdsc", bytesOfText("<a/>")}}), "has no package");
    VERIFY_CONTAINS(told({{"a.pdsc", bytesOfText("<package/>")}, {"../../out.flm", {}}}), "leads out of the pack");
    VERIFY_CONTAINS(told({{"a.pdsc", bytesOfText("<package/>")}, {"a/../../out", {}}}), "leads out of the pack");
    // What unpacks to a thousand times its size.
    VERIFY_CONTAINS(told({{"a.pdsc", Bytes(200u << 20, ' ')}}), "holds more than 12 MiB");
    VERIFY_CONTAINS(told({{"a.pdsc", bytesOfText("<!DOCTYPE p [<!ENTITY a \"b\"><!ENTITY c \"&a;&a;\">]><package/>")}}),
                    "entities of its own");
    writeFileAtomically(at("a.pack"), std::string_view("PK\3\4 and so on"));
    VERIFY_CONTAINS(errorOf([&] { lookAtPack(at("a.pack")); }), "this is no pack");
    // A name that leads out, in the description.
    writePack(at("a.pack"), R"(<family><device Dname="K0"><memory name="m" access="rx" start="0" size="0x1000"/>
<algorithm name="../../../etc/secret.flm" start="0" size="0x1000"/></device></family>)");
    const debug::CoreCard card = readChip(at("a.pack"), "K0")->card;
    VERIFY_CONTAINS(errorOf([&] { card.regions.front().reads(); }), "leads out of the pack");
  }

  /// Cut off or changed anywhere, a pack is read or refused, and nothing else.
  void damagedPacksAreReadOrRefused() {
    writePack(at("a.pack"), kPlain, {{"Flash/beck_k0.FLM", algorithmAt(0)}});
    QFile file(folder_->filePath("a.pack"));
    QVERIFY(file.open(QIODevice::ReadOnly));
    const QByteArray whole = file.readAll();
    std::mt19937 random(12);
    int read = 0, refused = 0;
    for (int i = 0; i < 300; ++i) {
      QByteArray damaged = whole;
      if (i % 3 == 0) {
        damaged.truncate(static_cast<int>(below(random, static_cast<std::size_t>(whole.size()))));
      } else {
        damaged[static_cast<int>(below(random, static_cast<std::size_t>(whole.size())))] ^=
            static_cast<char>(1 + random() % 255);
      }
      writeFileAtomically(at("b.pack"),
                          std::string_view(damaged.constData(), static_cast<std::size_t>(damaged.size())));
      try {
        const auto pack = std::make_shared<const PackFile>(at("b.pack"));
        const PackDescription description(pack->description(), "b.pack");
        const debug::CoreCard card = chipCard(pack, description.device("BECK_K0"), "");
        for (const debug::CoreRegion& region : card.regions) {
          if (region.reads) region.reads();
        }
        ++read;
      } catch (const Error&) {
        ++refused;
      }
    }
    QVERIFY(read > 0 && refused > 100);
  }

  void whatADebugPortSaysOfItselfFindsItsDevice() {
    const std::string folder = at("library").string();
    std::filesystem::create_directory(folder);
    writePack(folder + "/a.pack",
              "<family Dfamily=\"K\"><debugport><swd targetsel=\"0x01002927\"/></debugport>"
              "<device Dname=\"K0\"/><device Dname=\"K1\"><debugport><jtag targetsel=\"0x01003927\"/>"
              "</debugport></device><device Dname=\"K2\"><debugport><swd/></debugport></device></family>");
    for (int round = 0; round < 2; ++round) {  // read, and from the index
      const PackLibrary library(folder);
      QCOMPARE(library.opened(), round == 0 ? 1u : 0u);
      const auto names = [&](std::uint32_t target) {
        std::string all;
        for (const auto& found : library.fitting(target)) all += found.device->name + " ";
        return all;
      };
      QCOMPARE(names(0x71002927), std::string("K0 K2 "));
      QCOMPARE(names(0x01003927), std::string("K1 "));
      QCOMPARE(names(0x01002929), std::string());
      QVERIFY(library.fitting(std::nullopt).empty());
    }
  }

  void theLibraryIsFoundByAFewLetters() {
    std::string devices = R"(<family Dfamily="K series" Dvendor="Beck:901"><processor Dcore="Cortex-M0"/>)";
    for (int i = 0; i < 1000; ++i) devices += "<device Dname=\"BECK_K" + std::to_string(i) + "\"/>";
    writePack(at("many.pack"), devices + "</family>");
    writePack(
        at("few.pack"),
        R"(<family Dfamily="Quill" Dvendor="Quill:902"><processor Dcore="Cortex-M0"/><device Dname="Q_BECK_K77"/></family>)");
    QCOMPARE(addPack(at("many.pack")).devices.size(), 1000u);
    // The second has the same maker and name in its description, so it is put in by hand.
    QFile::copy(folder_->filePath("few.pack"), QString::fromStdString((packFolder() / "few.pack").string()));
    writeFileAtomically(packFolder() / "broken.pack", std::string_view("no zip"));
    const PackLibrary first;
    QCOMPARE(first.opened(), 3u);
    QCOMPARE(first.packs().size(), 2u);
    QCOMPARE(first.warnings().size(), 1u);
    VERIFY_CONTAINS(first.warnings().front(), "broken.pack");
    QFile::remove(QString::fromStdString((packFolder() / "broken.pack").string()));
    QCOMPARE(PackLibrary().opened(), 0u);
    const PackLibrary library;
    QCOMPARE(library.opened(), 0u);
    const auto found = library.find("beck_k77");
    QCOMPARE(found.size(), 12u);  // K77, K770 to K779, and the other one behind them
    QCOMPARE(found.front().device->name, std::string("BECK_K77"));
    QCOMPARE(found.back().device->name, std::string("Q_BECK_K77"));
    QCOMPARE(library.find("series K99 beck").size(), 11u);
    QCOMPARE(library.find("nothing").size(), 0u);
    QCOMPARE(library.find("").size(), 1001u);
    QCOMPARE(findPack("few", folder_->path().toStdString()).filename().string(), std::string("few.pack"));
    QCOMPARE(findPack("Beck.K_DFP.1.2.0.pack", "."), packFolder() / "Beck.K_DFP.1.2.0.pack");
    QCOMPARE(findPack("many.pack", folder_->path().toStdString()), at("many.pack"));
  }

 private:
  std::filesystem::path at(const char* name) const { return folder_->filePath(name).toStdString(); }
  std::unique_ptr<QTemporaryDir> folder_;
};

IMPRIMO_TEST(PacksTest);
#include "tst_packs.moc"
