// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/jtag/examine.h"

#include "core/jtag/chain_expectation.h"
#include "core/probe/dap/dap_probe.h"
#include "tests/support/check.h"
#include "tests/support/loop_transport.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::jtag;
using namespace imprimo::test;

namespace {

std::string splitText(const char* capture, const std::vector<std::optional<std::uint32_t>>& known) {
  const auto bounds = splitCapture(BitVector::fromWireText(capture), known);
  if (!bounds) return "none";
  std::string text;
  for (const LengthBounds& b : *bounds) {
    text += (text.empty() ? "" : " ") + std::to_string(b.min) + (b.certain() ? "" : ".." + std::to_string(b.max));
  }
  return text;
}

constexpr auto kOpen = std::nullopt;

}  // namespace

class InstructionLengthsTest : public QObject {
  Q_OBJECT
 private slots:
  void oneSplitIsCertain() {
    COMPARE_TEXT(splitText("1000", {kOpen}), "4");
    COMPARE_TEXT(splitText("10001000000", {kOpen, kOpen}), "4 7");
  }
  void severalSplitsGiveBounds() { COMPARE_TEXT(splitText("10010010", {kOpen, kOpen}), "3..6 2..5"); }
  void knownLengthsSettleTheOthers() {
    COMPARE_TEXT(splitText("10010010", {3u, kOpen}), "3 5");
    COMPARE_TEXT(splitText("00010", {3u, kOpen}), "3 2");  // a described part may capture anything
  }
  void noSplitIsSaidSo() {
    COMPARE_TEXT(splitText("0000", {kOpen}), "none");
    COMPARE_TEXT(splitText("1000", {kOpen, kOpen}), "none");
  }
};
IMPRIMO_TEST(InstructionLengthsTest);

class ExamineTest : public QObject {
  Q_OBJECT
  static FoundChain examineWorld(World& world) { return world.bench().examine(); }

 private slots:
  void findsRandomChains() {
    std::mt19937 random(21);
    for (int round = 0; round < 40; ++round) {
      WorldOptions options;
      options.chain.clear();
      const std::size_t devices = 1 + below(random, 20);
      std::uint32_t total = 0;
      for (std::size_t i = 0; i < devices; ++i) {
        options.chain.push_back({static_cast<unsigned>(2 + below(random, 15)), random() % 3 != 0});
        total += options.chain.back().irLength;
      }
      options.fpga = 1 + below(random, devices);
      World world(options);
      const FoundChain chain = examineWorld(world);
      QCOMPARE(chain.devices.size(), devices);
      QCOMPARE(chain.irTotal, total);
      for (std::size_t i = 0; i < devices; ++i) {
        QCOMPARE(chain.devices[i].idcode.has_value(), options.chain[i].idcode);
        if (options.chain[i].idcode) QCOMPARE(*chain.devices[i].idcode, idcodeOf(i + 1));
        QVERIFY(chain.devices[i].irLength.min <= options.chain[i].irLength &&
                options.chain[i].irLength <= chain.devices[i].irLength.max);
        // Nothing but all ones ever passed Update-IR: other codes may drive pins.
        QVERIFY(world.sim().board().device(i).instructionsSeen().empty());
      }
      requireMatch(bench::expectedChain(world.sheet()), chain);
      COMPARE_TEXT(world.sim().violations(), "");
    }
  }

  void aHundredPartsAreNoneTooMany() {
    WorldOptions options;
    options.chain.assign(100, {5, true});
    options.fpga = 50;
    World world(options);
    QCOMPARE(examineWorld(world).devices.size(), 100u);
  }

  void aDeadTdoIsToldBySide() {
    for (const bool level : {false, true}) {
      World world;
      world.sim().board().stickTdo(level);
      COMPARE_TEXT(errorOf([&] { examineWorld(world); }),
                   level ? "TDO stays at 1: no part answers" : "TDO stays at 0: no part answers");
      QCOMPARE(kindOf([&] { examineWorld(world); }), std::optional{ErrorKind::BrokenChain});
    }
  }

  void aWireFromTdiToTdoIsNoChain() {
    auto bench = sim::parseBench(R"({"imprimo_bench": 1, "chain": []})", "b");
    probe::DapProbe probe(std::make_unique<LoopTransport>(*bench), {});
    VERIFY_CONTAINS(errorOf([&] { examine(probe, {}); }), "TDI comes straight back on TDO");
  }

  void anotherChainIsShownSideBySide() {
    WorldOptions other;
    other.chain = {{8, true}, {6, true}};
    World world, stranger(other);
    const FoundChain chain = examineWorld(stranger);
    const std::string sentence = errorOf([&] { requireMatch(bench::expectedChain(world.sheet()), chain); });
    COMPARE_TEXT(sentence,
                 "the chain should have 3 parts, found 2\n"
                 "  part  expected             found\n"
                 "     1  p1 0x11001ffd, IR 8  PART_1 0x11001ffd, IR 8\n"
                 "     2  p2 0x21002ffd, IR 6  PART_2 0x21002ffd, IR 6\n"
                 "     3  p3 0x31003ffd, IR 4  nothing   <- differs");
  }

  void anotherIdcodeOrLengthIsNamed() {
    World world;
    FoundChain chain = examineWorld(world);
    chain.devices[1].idcode = 0x21012FFD;
    VERIFY_CONTAINS(errorOf([&] { requireMatch(bench::expectedChain(world.sheet()), chain); }),
                    "part 2 should be 0x21002ffd (p2), found 0x21012ffd");
    chain = examineWorld(world);
    chain.devices[2].irLength = {5, 5};
    VERIFY_CONTAINS(errorOf([&] { requireMatch(bench::expectedChain(world.sheet()), chain); }),
                    "part 3 (p3) should have 4 instruction bits, found IR 5");
    COMPARE_TEXT(patternText({0x0F40AFFD, 0x0FFFFFFF}), "0x?f40affd");
  }
};
IMPRIMO_TEST(ExamineTest);
#include "tst_examine.moc"
