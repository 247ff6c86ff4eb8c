// SPDX-License-Identifier: GPL-3.0-or-later
//
// The bridge in vectors: the worked frames of its specification, read and written, and what statements are in words.
#include "core/bench/bridge_recorder.h"
#include "core/flash/vector_lines.h"
#include "core/vectors/bridge_decoder.h"
#include "core/vectors/comments.h"
#include "core/vectors/contents.h"
#include "core/vectors/words.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::bench;
using namespace imprimo::vectors;
using namespace imprimo::test;

namespace {

const char* const kHello =
    "SDR 107 TDI (00000000000000000C3000801A7) TDO (000000402505594900000000000) MASK (00007FFFFFFFFFFF80000000000);\n";
const char* const kWriteEnable = "SDR 49 TDI (060C3000102A7);\n";
const char* const kStatus = "SDR 59 TDI (000A0FC000202A7) TDO (000000000000000) MASK (400000000000000);\n";

/// What a port writes for a part between one in front and one behind it.
std::string wire(const std::function<void(BridgeRecorder&)>& act) {
  std::string text;
  svf::Writer writer([&](std::string_view some) { text += some; }, {10e6, 250, false});
  writer.begin();
  writer.finish();
  text.clear();
  BridgeRecorder port(writer, {{8}, {4}}, BitVector::fromLsbFirst(0x16, 6));
  act(port);
  writer.finish();
  return text;
}

/// The operations of the last scan of a text, in words.
std::string operations(const std::string& text, BridgeDecoder decoder = {}) {
  svf::Reader reader(svf::sourceOf(text), "f");
  svf::Statement s;
  std::string words;
  while (reader.next(s)) {
    if (s.kind != svf::Statement::Kind::Scan) continue;
    const auto& own = reader.value(svf::Field::Sdr);
    const auto found = decoder.decode(own.tdi, own.tdo ? &*own.tdo : nullptr, &own.mask, 3);
    words += words.empty() ? "" : " | ";
    if (!found) words += "no frame";
    for (std::size_t i = 0; found && i < found->size(); ++i) words += (i == 0 ? "" : ", ") + (*found)[i].text();
  }
  return words;
}

std::string frame(const Bytes& body) {
  return wire([&](BridgeRecorder& port) {
    spi::SpiBatch batch;
    batch.exchange(body);
    port.run(batch);
  });
}

}  // namespace

class VectorWordsTest : public QObject {
  Q_OBJECT
 private slots:
  void workedFramesAreWritten() {
    VERIFY_CONTAINS(wire([](BridgeRecorder& port) { port.greet(); }), std::string("SIR 6 TDI (16);\n") + kHello);
    VERIFY_CONTAINS(frame({0x06}), kWriteEnable);
    VERIFY_CONTAINS(wire([](BridgeRecorder& port) {
                      spi::SpiBatch batch;
                      batch.expect({0x05, 0x01, 0x00, {}, std::chrono::microseconds(700), {}});
                      port.run(batch);
                    }),
                    std::string("RUNTEST IDLE 7000 TCK 7.000E-04 SEC ENDSTATE IDLE;\n") + kStatus);
  }

  void workedFramesAreRead() {
    COMPARE_TEXT(operations(kHello), "greet the bridge");
    COMPARE_TEXT(operations(kWriteEnable), "write enable");
    COMPARE_TEXT(operations(kStatus), "status: busy must be 0");
  }

  void commandsOfAFlashAreRead() {
    COMPARE_TEXT(operations(frame({0x02, 0x05, 0xE3, 0x00, 1, 2, 3})), "program 3 bytes at 0x05E300");
    COMPARE_TEXT(operations(frame({0x20, 0x01, 0x23, 0x45})), "erase 4 KiB at 0x012000");
    COMPARE_TEXT(operations(frame({0xD8, 0x01, 0x23, 0x45})), "erase 64 KiB at 0x010000");
    COMPARE_TEXT(operations(frame({0x77, 0x01})), "command 0x77");
    // Four address bytes: by mode, by command, by a register.
    COMPARE_TEXT(operations(frame({0xB7}) + frame({0x02, 1, 2, 3, 4, 9}) + frame({0xE9}) + frame({0x02, 1, 2, 3, 9})),
                 "command 0xB7 | program 1 byte at 0x1020304 | command 0xE9 | program 1 byte at 0x010203");
    COMPARE_TEXT(operations(frame({0x12, 1, 2, 3, 4, 9}) + frame({0x21, 1, 2, 3, 4})),
                 "program 1 byte at 0x1020304 | erase 4 KiB at 0x1020000");
    COMPARE_TEXT(operations(frame({0xC5, 2}) + frame({0x02, 1, 2, 3, 9})),
                 "command 0xC5 | program 1 byte at 0x2010203");
    COMPARE_TEXT(operations(frame({0x17, 0x80}) + frame({0x20, 1, 2, 3, 4})),
                 "command 0x17 | erase 4 KiB at 0x1020000");
  }

  void answersAreRead() {
    const std::string text = wire([](BridgeRecorder& port) {
      spi::SpiBatch batch;
      batch.expectAnswer({0x03, 0, 0x10, 0}, {0xDE, 0xAD, 0xBE, 0xEF});
      batch.expectAnswer({0x9F}, {0x7E, 0x40, 0x17});
      port.run(batch);
    });
    COMPARE_TEXT(operations(text), "read 4 bytes at 0x001000, 4 compared, ask for its ID, compared");
    const std::string padded = "HDR 1 TDI (0); TDR 1 TDI (0);" + text;
    svf::Reader reader(svf::sourceOf(padded), "f");
    const VectorContents contents = contentsOf(reader);
    QCOMPARE(contents.memories.front().expected.bytes({0x1000, 0x1004}), (Bytes{0xDE, 0xAD, 0xBE, 0xEF}));
    QCOMPARE(contents.memories.front().contradiction().value_or(0), 0u);
  }

  void whatIsNoFrameIsNone() {
    COMPARE_TEXT(operations("SDR 49 TDI (060C3000102A6);"), "no frame");  // another sync
    COMPARE_TEXT(operations("SDR 49 TDI (060C4000102A7);"), "no frame");  // another check sum
    COMPARE_TEXT(operations("SDR 41 TDI (0C3000102A7);"), "no frame");    // the body is missing
    COMPARE_TEXT(operations("SDR 200 TDI (0);"), "no frame");
    COMPARE_TEXT(operations("SDR 60 TDI (0A0C3000102A70);"), "status");  // zeros in front
  }

  void headCommentsAreRead() {
    VectorComments comments;
    comments.take("Erase 0x99 0x9A: 8192 bytes");
    comments.take("Erase 0x11 0x00: 12345 bytes");                             // no power of two
    comments.take("Step 3 of 7: Ask other-flash who it is; begins at 0.2 s");  // an older file
    COMPARE_TEXT(comments.memory(), "other-flash");
    comments.take("Target boot-flash");
    COMPARE_TEXT(comments.memory(), "boot-flash");
    COMPARE_TEXT(operations(frame({0x99, 0, 0x20, 0x10}), comments.decoder()), "erase 8 KiB at 0x002000");
    COMPARE_TEXT(operations(frame({0x11, 0, 0x20, 0x10}), comments.decoder()), "command 0x11");
    QVERIFY(!comments.decoder().fourBytes());
    comments.take(flash::kAlwaysFour);
    QVERIFY(comments.decoder().fourBytes());
  }

  void programmingOnlyClearsBits() {
    const auto pages = [](const Bytes& a, const Bytes& b) {
      Bytes first{0x02, 0, 0, 0}, second{0x02, 0, 0, 0};
      first.insert(first.end(), a.begin(), a.end());
      second.insert(second.end(), b.begin(), b.end());
      return frame(first) + frame(second);
    };
    const std::string text = "HDR 1 TDI (0); TDR 1 TDI (0);" + pages({0xF0, 0x3C}, {0x3C, 0xFF});
    svf::Reader reader(svf::sourceOf(text), "f");
    QCOMPARE(contentsOf(reader).memories.front().held().bytes({0, 2}), (Bytes{0x30, 0x3C}));
  }

  void statementsInWords_data() {
    QTest::addColumn<QString>("text");
    QTest::addColumn<QString>("words");
    const auto row = [](const char* text, const char* words) { QTest::newRow(text) << text << words; };
    row("SIR 18 TDI (3FFFF);", "all in BYPASS");
    row("SIR 18 TDI (3FC2F);", "two: 02");
    row("SIR 5 TDI (1);", "5 instruction bits");
    row("STATE RESET;", "to Test-Logic-Reset");
    row("SDR 65 TDI (0) TDO (0);", "IDCODEs and BYPASS, compared");
    row("SIR 18 TDI (3FC2F); SDR 1000000 TDI (1);", "two: 1.00 Mbit behind 02");
    row("SIR 18 TDI (0); SDR 10 TDI (1) TDO (0);", "compared");
    row("RUNTEST 7000 TCK;", "7000 clocks");
    row("RUNTEST IDLE 7 TCK 7E-4 SEC;", "wait 700 µs");
    row("RUNTEST DRPAUSE 2.5 SEC;", "wait 2.5 s in Pause-DR");
    row("RUNTEST 12 SCK;", "12 clocks of SCK");
    row("FREQUENCY 2.5E6 HZ;", "TCK at most 2.5 MHz");
    row("FREQUENCY;", "TCK as fast as it goes");
    row("HIR 4 TDI (F);", "4 instruction bits for the parts behind it");
    row("TDR 1 TDI (0);", "1 bit for the parts in front of it");
    row("HDR 0;", "");
    row("ENDIR IRPAUSE;", "instruction scans end in Pause-IR");
    row("TRST ON;", "reset of all TAPs");
  }

  void statementsInWords() {
    QFETCH(QString, text);
    QFETCH(QString, words);
    VectorWords say(
        svf::ChainView(
            {{"one", 8, 0x0C64AFFD, nullptr}, {"two", 6, std::nullopt, nullptr}, {"three", 4, 0x0BA0AFFB, nullptr}}),
        {});
    const std::string source = text.toStdString();
    svf::Reader reader(svf::sourceOf(source), "f");
    svf::Statement s;
    std::string last;
    while (reader.next(s)) last = say.words(s, reader);
    COMPARE_TEXT(last, words.toStdString());
  }
};

IMPRIMO_TEST(VectorWordsTest);

#include "tst_words.moc"
