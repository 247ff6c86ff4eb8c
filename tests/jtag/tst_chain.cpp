// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/jtag/chain.h"

#include "core/jtag/tap.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::jtag;
using namespace imprimo::test;

namespace {

/// Notes batches as text and answers with what it was sent, `delay` bits late.
class NotingPort : public JtagPort {
 public:
  ScanAnswers run(const ScanBatch& batch) override {
    text += (text.empty() ? "" : "\n") + describe(batch);
    ScanAnswers answers;
    for (const auto& item : batch.items()) {
      const auto* scan = std::get_if<Scan>(&item);
      if (scan == nullptr || scan->captures.empty()) continue;
      BitVector& answer = answers.emplace_back(delay);
      answer.append(scan->out);
      if (corrupt) answer.set(delay + 3, !answer[delay + 3]);
    }
    return answers;
  }
  std::uint32_t clockHz() const override { return 1'000'000; }
  std::string text;
  std::size_t delay = 0;
  bool corrupt = false;
};

}  // namespace

class TapTest : public QObject {
  Q_OBJECT
 private slots:
  void fiveOnesLeadToResetFromEverywhere() {
    for (int s = 0; s < kTapStates; ++s) {
      auto state = static_cast<TapState>(s);
      for (int i = 0; i < 5; ++i) state = next(state, true);
      QCOMPARE(state, TapState::TestLogicReset);
    }
  }

  void pathsLeadWhereTheySayAndAreShort() {
    for (int from = 0; from < kTapStates; ++from) {
      for (int to = 0; to < kTapStates; ++to) {
        auto state = static_cast<TapState>(from);
        const BitVector path = tmsPath(state, static_cast<TapState>(to));
        for (std::size_t i = 0; i < path.size(); ++i) state = next(state, path[i]);
        QCOMPARE(state, static_cast<TapState>(to));
        QVERIFY(path.size() <= 9);
      }
    }
    COMPARE_TEXT(tmsPath(TapState::RunTestIdle, TapState::ShiftIr).wireText(), "1100");
    COMPARE_TEXT(tmsPath(TapState::Exit1Dr, TapState::RunTestIdle).wireText(), "10");
    COMPARE_TEXT(nameOf(TapState::CaptureDr), "Capture-DR");
  }
};
IMPRIMO_TEST(TapTest);

class ChainTest : public QObject {
  Q_OBJECT
 private slots:
  void addressingOnePartBypassesTheOthers() {
    NotingPort port;
    Chain chain(port, {8, 6, 4});
    chain.select(2, BitVector::fromWireText("011010"));
    // The part nearest TDO gets the bits that go first.
    COMPARE_TEXT(port.text, "IR 111101101011111111");
    QCOMPARE(chain.before(2), 1u);
    QCOMPARE(chain.after(2), 1u);
    QCOMPARE(chain.after(1), 2u);
  }

  void whatIsSelectedAlreadyIsNotSentAgain() {
    NotingPort port;
    Chain chain(port, {2, 3});
    chain.select(1, BitVector::fromWireText("01"));
    chain.select(1, BitVector::fromWireText("01"));
    COMPARE_TEXT(port.text, "IR 11101");
    chain.forget();
    chain.select(1, BitVector::fromWireText("01"));
    chain.bypassAll();
    COMPARE_TEXT(port.text, "IR 11101\nIR 11101\nIR 11111");
  }

  void anOpcodeOfTheWrongLengthIsAMistakeInTheProgram() {
    NotingPort port;
    Chain chain(port, {2, 3});
    QVERIFY_THROWS_EXCEPTION(std::invalid_argument, chain.select(2, BitVector::fromWireText("01")));
    QVERIFY_THROWS_EXCEPTION(std::invalid_argument, chain.select(0, BitVector::fromWireText("01")));
    QVERIFY_THROWS_EXCEPTION(std::invalid_argument, chain.select(3, BitVector::fromWireText("01")));
  }

  void patternsThatComeBackChangedAreCounted() {
    NotingPort port;
    port.delay = 2;
    Chain chain(port, {2, 3});
    QCOMPARE(checkPattern(chain, 20).whole, 20);
    port.corrupt = true;
    QCOMPARE(checkPattern(chain, 20).whole, 0);
    QCOMPARE(checkPattern(chain, 20).sent, 20);
  }
};
IMPRIMO_TEST(ChainTest);
#include "tst_chain.moc"
