// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTest>

#include "core/base/input_file.h"
#include "core/configure/config_card.h"
#include "core/configure/device_batch.h"
#include "core/configure/procedure.h"
#include "core/image/isc_data.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::configure;
using namespace imprimo::test;

namespace {

const bsdl::BoundaryDescription& tarn() {
  static const auto device =
      bsdl::parse(readTextFile(std::string(IMPRIMO_SOURCE) + "/demo/parts/tarn_t40.bsd"), "tarn");
  return device;
}

std::string cardText() {
  return readTextFile(std::string(IMPRIMO_SOURCE) + "/demo/parts/tarn_configure.json");
}

/// The demo's card with one piece of its text changed: what is wrong with it.
std::string problem(const std::string& from, const std::string& to) {
  std::string text = cardText();
  const auto at = text.find(from);
  if (at == std::string::npos) return "not in the card: " + from;
  text.replace(at, from.size(), to);
  return errorOf([&] { parseConfigCard(text, "c", tarn()); });
}

/// Writes down what it is asked, and answers status registers from a list.
class Script : public jtag::JtagPort {
 public:
  explicit Script(std::vector<std::uint64_t> answers = {}, std::uint32_t hz = 10'000'000)
      : answers_(std::move(answers)), hz_(hz) {}
  jtag::ScanAnswers run(const jtag::ScanBatch& batch) override {
    text += (text.empty() ? "" : "\n") + jtag::describe(batch);
    jtag::ScanAnswers result;
    for (const auto& item : batch.items()) {
      const auto* scan = std::get_if<jtag::Scan>(&item);
      if (scan == nullptr || scan->captures.empty()) continue;
      const std::uint64_t value = answers_.empty() ? 0 : answers_.front();
      if (answers_.size() > 1) answers_.erase(answers_.begin());
      result.push_back(BitVector::fromLsbFirst(value, scan->captures[0].size()));
    }
    return result;
  }
  std::uint32_t clockHz() const override { return hz_; }
  std::string text;

 private:
  std::vector<std::uint64_t> answers_;
  std::uint32_t hz_;
};

}  // namespace

class ConfigCardsTest : public QObject {
  Q_OBJECT
 private slots:
  void readsTheCorrelatorsCard() {
    const ConfigCard card = parseConfigCard(cardText(), "c", tarn());
    QCOMPARE(card.configure.size(), 6u);
    COMPARE_TEXT(card.configure[1].title, "Wait until clear = 1, clearing = 0");
    QCOMPARE(card.restart.size(), 2u);
    QVERIFY(card.status->find("CRC error")->trouble && !card.status->find("clear")->trouble);
    QVERIFY(card.runs->holds(BitVector::fromLsbFirst(0x40, 16)) &&
            !card.runs->holds(BitVector::fromLsbFirst(0x3F, 16)));
    COMPARE_TEXT(card.configure[3].wish.text(*card.status, &(const BitVector&)BitVector::fromLsbFirst(0x10, 16)),
                 "loaded = 0, CRC error = 1");
  }

  void whatIsWrongSaysWhere() {
    const std::vector<std::array<std::string, 3>> wrong{
        {R"("part": "TARN_T40")", R"("part": "HERON")", "c:4: part: the card is for HERON, this part is a TARN_T40"},
        {"\"do\": \"FAB_CLEAR\"", "\"do\": \"FAB_WIPE\"",
         "c:32: configure[0].do: TARN_T40 has no instruction FAB_WIPE"},
        {R"({"until": {"running": 1}, "at_most": 0.1})", R"({"until": {"running": 1}})",
         "c:37: configure[5]: without at_most (seconds) this step could wait for ever"},
        {R"({"until": {"running": 1}, "at_most": 0.1})", R"({"until": {}, "at_most": 0.1})",
         "c:37: configure[5].until: names no bit, so nothing would tell that it is so"},
        {R"({"until": {"running": 1}, "at_most": 0.1})", R"({"until": {"runing": 1}, "at_most": 0.1})",
         "c:37: configure[5].until: no status bit is named runing"},
        {R"({"until": {"running": 1}, "at_most": 0.1})", R"({"until": {"running": 2}, "at_most": 0.1})",
         "c:37: configure[5].until.running: a bit is 0 or 1"},
        {R"({"until": {"running": 1}, "at_most": 0.1})", R"({"until": {"running": 1}, "at_most": 1e9})",
         "c:37: configure[5].at_most: should be 0 to 600 seconds"},
        {R"({"data": "FAB_LOAD"},)", "", "c:31: configure: the file's data goes in once; \"data\" stands here 0 times"},
        {R"("size": 16)", R"("size": 6)", "c:22: status.bits.6: a bit's number is 0 to 5"},
        {R"("trouble": ["wrong part")", R"("trouble": ["no part")",
         "c:27: status.trouble[0]: no status bit has this name"},
        {R"("sync": "9A 51 6C E1",)", "", "c:5: data: idcode, usercode and length need a sync to count from"},
        {R"("runs")", R"("rnus")", "c:1: there is no key rnus"},
        {R"({"expect": {)", R"({"hope": {)",
         "c:35: configure[3]: should have one of do, data, until, expect, reset and play"},
    };
    for (const auto& [from, to, expected] : wrong) COMPARE_TEXT(problem(from, to), expected);
  }

  void aBitstreamIsHeldAgainstItsPartBeforehand() {
    const ConfigCard card = parseConfigCard(cardText(), "c", tarn());
    const std::vector<bsdl::Pattern> idcodes{{0x0F40AFFD, 0x0FFFFFFF}};
    const Bytes good = readFile(std::string(IMPRIMO_DEMO) + "/cores/tarn_t40_bridge.bin");
    const auto check = [&](const Bytes& bytes, const ConfigCard& with) {
      return errorOf([&] { checkData(with, rawConfigData(bytes, "f.bin"), idcodes); });
    };
    COMPARE_TEXT(check(good, card), "no error");
    QCOMPARE(numberIn(card, *card.designCode, good), std::optional<std::uint64_t>{0xB21D6E01});
    Bytes other = good;
    other[37] ^= 0x01;
    COMPARE_TEXT(check(other, card),
                 "f.bin: the bitstream is for a part with IDCODE 0x1f41affd, this one has 0x0f40affd");
    COMPARE_TEXT(check({good.begin(), good.end() - 1}, card),
                 "f.bin: says that it has 41952 bytes from its sync word on, and has 41951: 1 too few");
    Bytes longer = good;
    longer.push_back(0);
    COMPARE_TEXT(check(longer, card),
                 "f.bin: says that it has 41952 bytes from its sync word on, and has 41953: 1 too many");
    COMPARE_TEXT(check({good.begin(), good.begin() + 40}, card), "f.bin: ends inside its header: it was cut off");
    Bytes turned = good;
    for (auto& b : turned) b = reverseBits(b);
    COMPARE_TEXT(check(turned, card), "f.bin: the sync word that a bitstream of TARN_T40 begins with is nowhere in it");
    ConfigCard exact = card;
    exact.bits = good.size() * 8 + 1;
    COMPARE_TEXT(check(good, exact), "f.bin: has 335872 bits, TARN_T40 takes 335873: 1 bits too few");
  }

  /// Nothing passes Run-Test/Idle but to wait, and a batch does not come to rest with an instruction that would work
  /// there.
  void scansFollowOneAnotherWithoutIdle() {
    Script port({0x5});
    jtag::Chain chain(port, {2, 3, 2});
    DeviceBatch batch(chain, 2);
    batch.add({.opcode = BitVector::fromWireText("010"),
               .update = BitVector::fromWireText("1101"),
               .clocks = 3,
               .seconds = 0.002});
    batch.add({.opcode = BitVector::fromWireText("110"), .clocks = 1, .captureBits = 4});
    COMPARE_TEXT(batch.run().at(0).wireText(), "1010");
    COMPARE_TEXT(
        port.text,
        "IR 1101011 > | DR 11010 | idle 3 | delay 2000 us | IR 1111011 | idle 1 | DR 000000 [1..5) > | IR 1111111");
  }

  void longDataGoesInPiecesOfAtMost50Milliseconds() {
    Script port({}, 100'000);  // 5000 bits in 50 ms
    jtag::Chain chain(port, {2, 3});
    class Count : public Progress {
     public:
      void passed(const Amount& more) override { pieces.push_back(more); }
      bool stopRequested() const override { return pieces.size() >= stopAt; }
      std::uint64_t bits() const {
        std::uint64_t sum = 0;
        for (const Amount& piece : pieces) sum += piece.unit == Amount::Bits ? piece.count : 0;
        return sum;
      }
      std::vector<Amount> pieces;
      std::size_t stopAt = 100;
    } count;
    const BitVector bits(12'345, true);
    shiftLong(chain, 2, {BitVector::fromWireText("010"), bits, 7, 0}, count);
    QCOMPARE(count.pieces.size(), 3u);
    QCOMPARE(count.bits(), 12'345u);
    QVERIFY(port.text.starts_with("IR 01011 > | DR 1") && port.text.ends_with("0 | idle 7"));
    // Between the pieces the TAP stays where it is.
    QCOMPARE(std::count(port.text.begin(), port.text.end(), '\n'), 2);
    QCOMPARE(QString::fromStdString(port.text).count("..."), 2);
    port.text.clear();
    count.pieces.clear();
    count.stopAt = 1;
    QCOMPARE(kindOf([&] {
               shiftLong(chain, 2, {BitVector::fromWireText("010"), bits, 7, 0}, count);
             }),
             std::optional{ErrorKind::Stopped});
    // It leaves by way of BYPASS: neither Run-Test/Idle nor a reset touches what the part is in the middle of.
    QVERIFY(port.text.ends_with("\nDR 0 > | IR 11111"));
  }

  void aStatusThatNeverComesIsToldWithWhatItIs() {
    const ConfigCard card = parseConfigCard(cardText(), "c", tarn());
    Script port({0x12});
    jtag::Chain chain(port, {6});
    const Target target{1, "correlator", &tarn()};
    const ConfigData data = rawConfigData(Bytes(100, 0xFF), "f");
    const auto procedure = cardProcedure(target, card, card.configure, &data, 10'000'000);
    NoProgress nobody;
    COMPARE_TEXT(errorOf([&] { procedure->carryOut(5, chain, nobody); }),
                 "correlator: should be running = 1, and is running = 0 after 0.1 s (status 0012)");
    COMPARE_TEXT(errorOf([&] { procedure->carryOut(3, chain, nobody); }),
                 "correlator: should be loaded = 1, wrong part = 0, CRC error = 0, and is loaded = 0, CRC error = 1 "
                 "(status 0012)");
    QVERIFY(QString::fromStdString(port.text).count("delay") <= 201);
  }

  void captureBitsAreAStatusToo() {
    std::string text = R"({"imprimo_configuration": 1, "name": "n", "part": "TARN_T40",
 "status": {"capture": true, "bits": {"2": "running", "3": "clear"}}, "runs": {"running": 1},
 "configure": [{"data": "FAB_LOAD", "clocks": 64}, {"until": {"running": 1}, "at_most": 1}]})";
    const ConfigCard card = parseConfigCard(text, "c", tarn());
    Script port({0b000101, 0b000001, 0x1234});
    jtag::Chain chain(port, {3, 6, 2});
    const DeviceState state = lookAt({2, "correlator", &tarn()}, &card, chain);
    QCOMPARE(state.runs, std::optional<bool>{true});
    COMPARE_TEXT(stateText(state, &card), "a design runs; user code 0x00000001; status: running");
    QVERIFY(port.text.starts_with("IR 11111111111 [2..8)"));
  }
};
IMPRIMO_TEST(ConfigCardsTest);
#include "tst_cards.moc"
