// SPDX-License-Identifier: GPL-3.0-or-later
//
// Boards with something wrong, examined: what is said, and that only ones ever passed Update-IR.
#include <fmt/format.h>

#include "core/jtag/chain_expectation.h"
#include "core/jtag/idcode.h"
#include "core/probe/dap/dap_probe.h"
#include "tests/support/check.h"
#include "tests/support/loop_transport.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::jtag;
using namespace imprimo::test;

namespace {

WorldOptions board(const std::string& faults, std::vector<DeviceSpec> chain = {{8, true}, {6, true}, {4, true}}) {
  WorldOptions options;
  options.chain = std::move(chain);
  options.fpga = 1;
  options.bench = R"(, "examine_only": true, "faults": [)" + faults + "]";
  return options;
}

/// The sentence, and what was near TDO, for a board with these faults.
std::string examined(WorldOptions options) {
  World world(std::move(options));
  std::string text;
  try {
    const FoundChain chain = world.bench().examine();
    text = fmt::format("{} parts", chain.devices.size());
    for (const FoundDevice& p : chain.devices) {
      for (const std::string& r : p.remarks) text += "; " + r;
    }
  } catch (const BrokenChain& broken) {
    text = broken.what();
    text += fmt::format(" [{}]", broken.nearTdo.size());
  }
  return text + world.sim().violations();
}

}  // namespace

class FaultyBoardsTest : public QObject {
  Q_OBJECT
 private slots:
  void aCutIsFoundWhereItIs() {
    std::mt19937 random(4);
    for (int round = 0; round < 60; ++round) {
      std::vector<DeviceSpec> chain;
      const std::size_t devices = 2 + below(random, 19);
      for (std::size_t i = 0; i < devices; ++i)
        chain.push_back({static_cast<unsigned>(2 + below(random, 63)), random() % 4 != 0});
      const std::size_t after = 1 + below(random, devices - 1);
      const int level = static_cast<int>(random() % 2);
      // Nothing but zeros behind a cut at 0 cannot be told from a dead chain.
      bool anyId = false;
      for (std::size_t i = after; i < devices; ++i) anyId = anyId || chain[i].idcode;
      World world(board(fmt::format(R"({{"kind": "cut", "after": {}, "level": {}}})", after, level), chain));
      try {
        world.bench().examine();
        QFAIL("a cut chain was taken for a whole one");
      } catch (const BrokenChain& broken) {
        if (level == 0 && !anyId) {
          QVERIFY(broken.dead());
        } else if (level == 1 || chain[after].idcode) {
          QVERIFY(broken.breakBehind.has_value());
          // At 0, parts without IDCODE in front count as answering: they cannot be told from the wire.
          std::size_t expected = after;
          while (level == 0 && expected > 0 && !chain[expected - 1].idcode) --expected;
          QVERIFY2(*broken.breakBehind == expected, qPrintable(QString("after %1, level %2, %3 near TDO: %4")
                                                                   .arg(after)
                                                                   .arg(level)
                                                                   .arg(broken.nearTdo.size())
                                                                   .arg(broken.what())));
        }
      }
      COMPARE_TEXT(world.sim().violations(), "");
    }
  }

  void whatIsSaidOfEach() {
    COMPARE_TEXT(examined(board("")), "3 parts");
    COMPARE_TEXT(examined(board(R"({"kind": "no-power"})")), "TDO stays at 0: no part answers [0]");
    COMPARE_TEXT(examined(board(R"({"kind": "no-power", "level": 1})")), "TDO stays at 1: no part answers [0]");
    COMPARE_TEXT(examined(board(R"({"kind": "stuck-tdo", "level": 1})")), "TDO stays at 1: no part answers [0]");
    COMPARE_TEXT(examined(board(R"({"kind": "cut", "after": 2})")),
                 "the chain is cut between part 2 (p2) and part 3 (p3): 1 part nearest TDO answers, and nothing comes "
                 "through to it [1]");
    COMPARE_TEXT(examined(board(R"({"kind": "cut", "after": 3})")), "TDO stays at 1: no part answers [0]");
    COMPARE_TEXT(examined(board(R"({"kind": "held-in-reset", "position": 1})")),
                 "the chain is cut between part 1 (p1) and part 2 (p2): 2 parts nearest TDO answer, and nothing comes "
                 "through to them [2]");
    COMPARE_TEXT(examined(board(R"({"kind": "held-in-reset", "position": 3})")), "TDO stays at 1: no part answers [0]");
    COMPARE_TEXT(examined(board(R"({"kind": "tdo-noise", "above": 0, "rate": 0.05})")),
                 "bits change on their way through the data registers [0]");
  }

  void swappedPartsAndAnotherDieDiffer() {
    World swapped(board(R"({"kind": "swapped", "positions": [2, 3]})"));
    VERIFY_CONTAINS(errorOf([&] { swapped.bench().checkChain(); }),
                    "part 2 should be 0x21002ffd (p2), found 0x31003ffd: version and part number differ (version 3, "
                    "part 0x1003, maker "
                    "0x7E of bank 16)");
    World die(board(R"({"kind": "other-die", "position": 3, "idcode": "0x31003ffb"})"));
    VERIFY_CONTAINS(errorOf([&] { die.bench().checkChain(); }), "found 0x31003ffb: maker differs");
  }

  void anIllegalMakerIsRemarkedOn() {
    VERIFY_CONTAINS(examined(board(R"({"kind": "other-die", "position": 2, "idcode": "0x1234a0ff"})")),
                    "3 parts; the IDCODE 0x1234a0ff has the maker code 0x7F");
  }

  void aPartThatCapturesSomethingElseIsRemarkedOn() {
    World world;
    sheet::Sheet sheet = world.sheet();
    auto description = std::make_shared<bsdl::BoundaryDescription>(*sheet.chain[1].description);
    description->instructionCapture = "1XX101";
    sheet.chain[1].description = description;
    bench::Bench bench(
        sheet, std::make_unique<probe::DapProbe>(std::make_unique<LoopTransport>(world.sim()), probe::ProbeOptions{}));
    COMPARE_TEXT(bench.examine().devices[1].remarks.at(0),
                 "its instruction register captures 000001, its description says 1XX101");
  }

  void upToAHundredPartsOfUpToSixtyFourBits() {
    std::mt19937 random(100);
    for (int round = 0; round < 25; ++round) {
      std::vector<DeviceSpec> chain;
      const std::size_t devices = round == 0 ? 100 : 1 + below(random, 100);
      std::uint32_t total = 0;
      for (std::size_t i = 0; i < devices; ++i) {
        chain.push_back({round == 0 ? 64u : static_cast<unsigned>(2 + below(random, 63)), random() % 3 != 0});
        total += chain.back().irLength;
      }
      World world(board("", chain));
      const FoundChain found = world.bench().examine();
      QCOMPARE(found.devices.size(), devices);
      QCOMPARE(found.irTotal, total);
      for (std::size_t i = 0; i < devices; ++i)
        QVERIFY(found.devices[i].irLength.min <= chain[i].irLength &&
                chain[i].irLength <= found.devices[i].irLength.max);
      COMPARE_TEXT(world.sim().violations(), "");
    }
  }

  void lengthsWithoutDescriptionsAreExactOrHonest() {
    std::mt19937 random(8);
    for (int round = 0; round < 40; ++round) {
      WorldOptions options = board("");
      options.chain.clear();
      for (std::size_t i = 0; i < 1 + below(random, 12); ++i)
        options.chain.push_back({static_cast<unsigned>(2 + below(random, 30)), true});
      World world(options);
      probe::DapProbe probe(std::make_unique<LoopTransport>(world.sim()), {});
      const FoundChain found = examine(probe, {});
      for (std::size_t i = 0; i < options.chain.size(); ++i) {
        const LengthBounds& b = found.devices[i].irLength;
        QVERIFY(b.min <= options.chain[i].irLength && options.chain[i].irLength <= b.max);
        // These parts capture 1 and then zeros: nothing but one split fits.
        QVERIFY(b.certain());
      }
    }
  }

  void twentyPartsTakeFewRoundTrips() {
    for (const std::size_t packetSize : {64u, 512u}) {
      WorldOptions options = board("", std::vector<DeviceSpec>(20, {64, true}));
      options.packetSize = packetSize;
      options.packetCount = 1;  // every packet is a round trip
      World world(options);
      world.bench();
      const std::uint64_t before = world.sim().packets();
      world.bench().examine();
      const std::uint64_t packets = world.sim().packets() - before;
      QVERIFY2(packets <= 40, qPrintable(QString::number(packets)));
    }
  }

  void idcodesAreTakenApart() {
    COMPARE_TEXT(fieldsText(0x1F40AFFD), "version 1, part 0xF40A, maker 0x7E of bank 16");
    QVERIFY(!difference({0x0F40AFFD, 0x0FFFFFFF}, 0x5F40AFFD).any());
    COMPARE_TEXT(difference({0x1F40AFFD, UINT32_MAX}, 0x2F40AFFB).text(), "version and maker differ");
  }
};
IMPRIMO_TEST(FaultyBoardsTest);
#include "tst_faulty_boards.moc"
