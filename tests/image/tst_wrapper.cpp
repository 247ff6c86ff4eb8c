// SPDX-License-Identifier: GPL-3.0-or-later
//
// Wrapper cards: what a header becomes, and headers and cards that lie.
#include <QTemporaryDir>

#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "core/image/pieces.h"
#include "core/image/wrapper_card.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

WrapperCard card(const std::string& rest) {
  return parseWrapperCard(R"({"imprimo_wrapper": 1, "name": "test", )" + rest + "}", "card");
}

std::string cardError(const std::string& rest) {
  return errorOf([&] { card(rest); });
}

/// Fields and payload as text: "design=gauge release=3 payload 5+4".
std::string taken(const WrapperCard& c, const Bytes& bytes) {
  const Unwrapped u = tryUnwrap(c, bytes);
  std::string text;
  for (const auto& f : u.fields) {
    if (!f.name.empty()) text += f.name + "=" + f.text + " ";
  }
  if (!u.problem.empty()) return text + "! " + u.problem;
  return text + "payload " + std::to_string(u.payload.begin) + "+" + std::to_string(u.payload.size());
}

}  // namespace

class WrapperTest : public QObject {
  Q_OBJECT
 private slots:
  void everyKindOfItem() {
    COMPARE_TEXT(taken(card(R"("header": [{"skip": 3}])"), Bytes(10)), "payload 3+7");
    COMPARE_TEXT(
        taken(card(R"("header": [{"bytes": "0A 0B"}, {"name": "n", "size": 2, "as": "number"}])"), {10, 11, 1, 2, 9}),
        "n=258 payload 4+1");
    COMPARE_TEXT(
        taken(card(R"("byte_order": "low-first", "header": [{"name": "n", "size": 2, "as": "number"}])"), {1, 2, 9}),
        "n=513 payload 2+1");
    COMPARE_TEXT(taken(card(R"("header": [{"name": "t", "length_size": 1}, {"name": "d", "size": 2, "as": "digits"}])"),
                       {3, 'a', 'b', 0, 0xDE, 0xAD, 7}),
                 "t=ab d=DEAD payload 6+1");
    COMPARE_TEXT(
        taken(
            card(
                R"("header": [{"entries": {"tag_size": 1, "length_size": 1, "end": 0, "names": {"05": {"name": "who"}}}}])"),
            {9, 2, 1, 1, 5, 1, 'x', 0, 0xAA, 0xBB}),
        "who=x payload 8+2");
    COMPARE_TEXT(taken(card(R"("header": [], "payload": {"length_size": 2})"), {0, 3, 1, 2, 3, 4}), "payload 2+3");
    COMPARE_TEXT(taken(card(R"("header": [], "payload": {"length_size": 1, "unit": "bits"})"), {17, 1, 2, 3}),
                 "payload 1+3");
    COMPARE_TEXT(
        taken(
            card(
                R"("header": [{"name": "n", "size": 1, "as": "number"}, {"skip": 1}], "payload": {"length_from": "n"})"),
            {2, 0, 1, 2, 3}),
        "n=2 payload 2+2");
  }

  void headersThatLieAreToldWithTheirOffset() {
    const WrapperCard c =
        card(R"("header": [{"bytes": "0A 0B"}, {"name": "t", "length_size": 2}], "payload": {"length_size": 4})");
    COMPARE_TEXT(taken(c, {0x0A, 0x0C}), "! offset 0x1: should be 0B, is 0C (header[0])");
    COMPARE_TEXT(taken(c, {0x0A}), "! offset 0x0: header[0] should have 2 bytes, and 1 are left");
    COMPARE_TEXT(taken(c, {0x0A, 0x0B, 0xFF, 0xFF, 'x'}),
                 "! offset 0x4: t (header[1]) should have 65535 bytes, and 1 are left");
    COMPARE_TEXT(taken(c, {0x0A, 0x0B, 0, 1, 'x', 0xFF, 0xFF, 0xFF, 0xFF, 1}),
                 "t=x ! offset 0x9: the payload should have 4294967295 bytes, and 1 are left");
    COMPARE_TEXT(taken(c, {0x0A, 0x0B, 0, 1, 'x', 0, 0, 0, 0, 1}), "t=x ! offset 0x9: the payload is empty");
    const WrapperCard endless =
        card(R"("header": [{"entries": {"tag_size": 1, "length_size": 1, "end": 99, "names": {}}}])");
    COMPARE_TEXT(taken(endless, {1, 0, 1, 0}),
                 "! offset 0x4: a tag, or the end tag (header[0]) should have 1 bytes, and 0 are left");
    const WrapperCard missing = card(
        R"("header": [{"entries": {"tag_size": 1, "length_size": 1, "end": 0, "names": {"07": {"name": "n", "as": "number"}}}}], "payload": {"length_from": "n"})");
    COMPARE_TEXT(taken(missing, {0, 1, 2}), "! offset 0x1: the header did not say n");
    const std::string error = errorOf([&] { unwrap(c, Bytes{1}, "f.bit"); });
    COMPARE_TEXT(error, "f.bit: offset 0x0: header[0] should have 2 bytes, and 1 are left");
  }

  void cardsThatLieAreToldWithTheirLine() {
    COMPARE_TEXT(cardError(R"("header": [{"name": "t"}])"),
                 "card:1: header[0]: should have either size or length_size");
    COMPARE_TEXT(cardError(R"("header": [{"bytes": "zz"}])"),
                 "card:1: header[0].bytes: should be bytes in digits, like \"9A 51\"");
    COMPARE_TEXT(cardError(R"("header": [{"skip": 1, "extra": 2}])"),
                 "card:1: header[0]: the key header[0].extra is not known here");
    COMPARE_TEXT(cardError(R"("header": [], "payload": {"length_from": "n"})"),
                 "card:1: payload.length_from: the header has no number named n");
    COMPARE_TEXT(cardError(R"("header": [], "payload": {"length_size": 9})"),
                 "card:1: payload.length_size: should be 1 to 8 bytes");
    COMPARE_TEXT(cardError(R"("header": [], "byte_order": "middle")"),
                 "card:1: byte_order: should be \"high-first\" or \"low-first\"");
    COMPARE_TEXT(cardError(R"("x": 1)"), "card:1: the key x is not known here");
  }

  void cutAnywhereItIsToldAndNothingWorse() {
    const WrapperCard c = readWrapperCard(IMPRIMO_DEMO "/parts/tarn_wrapper.json");
    const Bytes whole = readFile(IMPRIMO_DEMO "/next/echo_correlator.tarn");
    const Unwrapped all = tryUnwrap(c, whole);
    QVERIFY(all.problem.empty());
    QCOMPARE(all.payload.size(), 0x120A40u);
    for (std::size_t n = 0; n < all.payload.begin + 20; ++n)
      QVERIFY(!tryUnwrap(c, ByteSpan(whole).first(n)).problem.empty());
  }

  void aPlacedBitfileLosesItsHeader() {
    const std::filesystem::path folder = IMPRIMO_DEMO;
    const Piece piece = readPiece(parsePiece("next/echo_correlator.tarn@0x1000,card=parts/tarn_wrapper.json"), folder);
    QCOMPARE(piece.image.extent().begin, 0x1000u);
    QCOMPARE(piece.image.bytes({0x1020, 0x1024}), (Bytes{0x9A, 0x51, 0x6C, 0xE1}));
    COMPARE_TEXT(piece.source->file.note, "Tarn bitfile");
    COMPARE_TEXT(piece.source->fields[1].text, "3");
    VERIFY_CONTAINS(errorOf([&] { readPiece(parsePiece("fallback.bin@0,card=parts/tarn_wrapper.json"), folder); }),
                    "fallback.bin: offset 0x0: should be B7, is FF");
  }
};
IMPRIMO_TEST(WrapperTest);
#include "tst_wrapper.moc"
