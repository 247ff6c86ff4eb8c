// SPDX-License-Identifier: GPL-3.0-or-later
#include <QDir>
#include <QTemporaryDir>

#include "core/base/atomic_file.h"
#include "core/base/json.h"
#include "core/discover/board_sheet.h"
#include "core/discover/ways.h"
#include "core/store/user_library.h"
#include "tests/support/check.h"
#include "tests/support/gauge_world.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::discover;
using namespace imprimo::test;

namespace {

jtag::FoundChain chainOf(const std::vector<jtag::LengthBounds>& lengths, std::uint32_t total) {
  jtag::FoundChain chain;
  for (const jtag::LengthBounds& bounds : lengths) chain.devices.push_back({std::nullopt, bounds, "", {}});
  chain.irTotal = total;
  return chain;
}

std::string text(const std::vector<KnownLength>& lengths) {
  std::string text;
  for (const KnownLength& length : lengths)
    text += (text.empty() ? "" : " ") + std::to_string(length.bits) + (length.assumed ? "?" : "");
  return text;
}

std::string text(const std::vector<Way>& ways) {
  std::string text;
  for (const Way& way : ways) text += way.title + ": " + way.words + "\n";
  return text;
}

/// The demo's descriptions, as folders that are looked through.
std::vector<std::string> demoFolders() {
  return {IMPRIMO_DEMO "/parts", IMPRIMO_DEMO "/cores", IMPRIMO_DEMO "/supervisor"};
}

}  // namespace

class NewBoardTest : public QObject {
  Q_OBJECT
 private slots:
  void lengthsMakeUpTheSum() {
    COMPARE_TEXT(text(lengthsFor(chainOf({{8, 8}, {2, 6}, {4, 4}}, 18), {})), "8 6 4");
    COMPARE_TEXT(text(lengthsFor(chainOf({{2, 8}, {2, 8}, {4, 4}}, 18), {})), "8? 6? 4");
    COMPARE_TEXT(text(lengthsFor(chainOf({{2, 8}, {2, 8}, {4, 4}}, 18), {{}, {6}, {}})), "8 6 4");
    COMPARE_TEXT(text(lengthsFor(chainOf({{2, 3}, {2, 9}}, 8), {})), "3? 5?");
  }

  void whatTheyCaptureSaysWhereTheyAre() {
    // In wire order, the one nearest TDO first: 4, 6 (010001, as its description has it) and 5 bits.
    const BitVector capture = BitVector::fromWireText(
        "1000"
        "100010"
        "10000");
    const auto split = splitChain(capture, {{}, {6, "010001"}, {}});
    QVERIFY(split.has_value());
    QCOMPARE(split->registers[0].length, 5U);
    QCOMPARE(split->registers[2].length, 4U);
    QVERIFY(split->registers[1].placeCertain && split->registers[0].lengthCertain);
    // Where only its length is known it could begin elsewhere too, and must not be addressed.
    const auto loose = splitChain(capture, {{}, {6}, {}});
    QVERIFY(loose.has_value() && !loose->registers[1].placeCertain);
    QVERIFY(!splitChain(capture, {{}, {7, "0100011"}, {}}).has_value());
  }

  void anySplitIsFound() {
    std::mt19937 random(23);
    const auto below = [&](unsigned n) { return std::uniform_int_distribution<unsigned>(0, n - 1)(random); };
    for (int round = 0; round < 400; ++round) {
      std::vector<ToldRegister> told;
      std::vector<std::uint32_t> lengths;
      std::string bits;  // nearest TDO first
      for (unsigned i = 1 + below(6); i > 0; --i) {
        const unsigned length = 2 + below(8);
        std::string own = "10";
        while (own.size() < length) own += below(2) == 0 ? '0' : '1';
        bits = own + bits;
        lengths.push_back(length);
        const bool known = below(2) == 0;
        told.push_back({known ? length : 0, known && below(2) == 0 ? std::string(own.rbegin(), own.rend()) : ""});
      }
      const auto split = splitChain(BitVector::fromWireText(bits), told);
      QVERIFY(split.has_value());
      std::uint32_t sum = 0;
      for (std::size_t i = 0; i < told.size(); ++i) {
        sum += split->registers[i].length;
        // What is certain is so.
        if (split->registers[i].lengthCertain) QCOMPARE(split->registers[i].length, lengths[i]);
      }
      QCOMPARE(sum, static_cast<std::uint32_t>(bits.size()));
      std::uint32_t before = 0, truly = 0;
      for (std::size_t i = 0; i < told.size(); ++i) {
        if (split->registers[i].placeCertain) QCOMPARE(before, truly);
        before += split->registers[i].length;
        truly += lengths[i];
      }
    }
  }

  void aLengthIsTakenWhereItFits() {
    const jtag::FoundChain chain = chainOf({{2, 8}, {2, 8}, {4, 4}}, 18);
    const std::vector<KnownLength> lengths = lengthsFor(chain, {});
    COMPARE_TEXT(whyNotLength(chain, lengths, 1, 7), "");
    COMPARE_TEXT(whyNotLength(chain, lengths, 1, 9), "it has 2 to 8 instruction bits");
    COMPARE_TEXT(whyNotLength(chain, lengths, 1, 3),
                 "the chain has 18 instruction bits, and the other devices would have to have 15 of them");
    COMPARE_TEXT(whyNotLength(chain, lengths, 3, 5), "it has 4 instruction bits");
  }

  void aSheetIsMadeOfWhatWasFound() {
    GaugeWorld world;
    const jtag::FoundChain found =
        jtag::examine(probe::tapOf(world.bench().probe()), [](std::uint32_t) { return nullptr; });
    const sheet::Sheet sheet = sheetForBoard(found, {"", IMPRIMO_DEMO "/parts/tarn_t40.bsd", ""});
    QCOMPARE(sheet.chain.size(), 3U);
    COMPARE_TEXT(sheet.chain[0].name, "device-1");
    COMPARE_TEXT(sheet.chain[1].name, "tarn-t40");
    QVERIFY(sheet.chain[1].description != nullptr);
    std::uint32_t sum = 0;
    for (const sheet::Device& device : sheet.chain) sum += device.irLength;
    QCOMPARE(sum, found.irTotal);
    QVERIFY(sheet.chain[0].lengthAssumed == sheet.chain[2].lengthAssumed);
    // It is worked with as it is, and its guesses are in the file.
    jtag::requireMatch(bench::expectedChain(sheet), found);
    QCOMPARE(sheet::sheetText(sheet).find("\"assumed\": true") != std::string::npos, sheet.chain[0].lengthAssumed);
    // A description takes the guess's place.
    sheet::Sheet described = sheet;
    sheet::describeDevice(described, 1, IMPRIMO_DEMO "/parts/wren_c64.bsd");
    QVERIFY(sheet::sheetText(described).find("wren_c64.bsd") != std::string::npos);
    const auto root = nlohmann::ordered_json::parse(sheet::sheetText(described));
    QVERIFY(!root["chain"][0].contains("assumed"));
  }

  void waysComeFromDescriptionAndLibrary() {
    GaugeWorld world({}, [](QString& sheet) {
      sheet.replace(QRegularExpression("\"memories\".*\"after\"", QRegularExpression::DotMatchesEverythingOption),
                    "\"after\"");
    });
    const store::Catalog nothing;
    COMPARE_TEXT(text(waysOf(world.sheet(), 2, nothing)),
                 "Through a bridge in its fabric: FABRIC_A · no image in the library: the bridge has to run already\n"
                 "Through a bridge in its fabric: FABRIC_B · no image in the library: the bridge has to run already\n"
                 "Configured directly, no memory: by the card parts/tarn_configure.json\n");
    const store::Catalog catalog = store::openCatalog(demoFolders());
    const std::string offered = text(waysOf(world.sheet(), 2, catalog));
    COMPARE_TEXT(offered.substr(0, offered.find('\n')),
                 "Through a bridge in its fabric: FABRIC_A · tarn_t40_bridge.bin of the library, made for this IDCODE");
    const std::vector<Way> core = waysOf(world.sheet(), 3, catalog);
    COMPARE_TEXT(core.at(0).title, "program of its core");
    COMPARE_TEXT(core.at(0).words, "flash at 0x00000000, 256 KiB · beck_k0_core.json of the library");
    QVERIFY(waysOf(world.sheet(), 4, catalog).empty());
  }

  void aWayIsAskedAndNothingStaysOfIt() {
    GaugeWorld world({}, [](QString& sheet) {
      sheet.replace(QRegularExpression("\"memories\".*\"after\"", QRegularExpression::DotMatchesEverythingOption),
                    "\"after\"");
    });
    world.bench().checkChain();
    const store::Catalog catalog = store::openCatalog(demoFolders());
    const std::string before = world.state(2);
    const std::vector<Way> ways = waysOf(world.sheet(), 2, catalog);
    const WayAnswer first = tryWay(world.bench(), ways.at(0));
    QCOMPARE(first.state, WayAnswer::State::NeedsLoading);
    const WayAnswer second = tryWay(world.bench(), ways.at(1));
    QCOMPARE(second.state, WayAnswer::State::Silent);
    QVERIFY2(second.words.find("no bridge answers") != std::string::npos, second.words.c_str());
    COMPARE_TEXT(world.state(2), before);
    QVERIFY(world.bench().sheet().memories.empty());

    const sheet::Sheet with = withWay(world.sheet(), ways.at(0), "boot");
    QCOMPARE(with.memories.size(), 1U);
    // With the bridge there, it answers.
    world.bench().setSheet(with);
    NoProgress unseen;
    world.bench().at("boot").loadRoute(unseen);
    world.bench().setSheet(world.sheet());
    const WayAnswer now = tryWay(world.bench(), ways.at(0));
    QCOMPARE(now.state, WayAnswer::State::Answers);
    COMPARE_TEXT(now.words, "8 MiB, ID 0x7e4017, described by its parameter table");
  }
};

IMPRIMO_TEST(NewBoardTest);
#include "tst_new_board.moc"
