// SPDX-License-Identifier: GPL-3.0-or-later
//
// The same work as vectors: what an exported file does when it is played, and what can be taken out of it again.
#include <set>

#include "core/svf/survey.h"
#include "core/vectors/contents.h"
#include "core/vectors/mismatch_story.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/vector_station.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::vectors;
using namespace imprimo::test;

class VectorsTest : public QObject {
  Q_OBJECT
 private slots:
  /// 1 to 20 parts, any position: byte for byte what a direct run leaves.
  void leavesWhatADirectRunLeaves() {
    for (std::size_t parts = 1; parts <= 20; ++parts) {
      std::mt19937 random(static_cast<unsigned>(parts));
      for (const std::size_t fpga : {std::size_t{1}, parts, 1 + below(random, parts)}) {
        Station station(small(parts, fpga));
        World direct(small(parts, fpga));
        const Bytes old = randomBytes(random, 0x4000);
        station.world.fill(0, old);
        direct.fill(0, old);
        const MemoryImage image = someImage(static_cast<unsigned>(parts * 31 + fpga));
        Wanted wanted = direct.wanted(Task::Program, image);
        QCOMPARE(direct.carryOut(wanted).outcome, Outcome::Verified);
        VectorWish wish = station.wish(image);
        wish.contents.emplace();
        wish.contents->write(0, old);
        wish.writer.shortDigits = fpga == parts;
        const PlayReport report = station.play(station.world, station.write(wish));
        QVERIFY2(report.record.outcome == Outcome::Played, report.record.message.c_str());
        QCOMPARE(station.world.cells(0, 0x6000), direct.cells(0, 0x6000));
        COMPARE_TEXT(station.world.sim().violations(), "");
      }
    }
  }

  void withoutContentsWholeBlocksAreErased() {
    Station s(small());
    std::mt19937 random(5);
    s.world.fill(0, randomBytes(random, 0x5000));
    const MemoryImage image = someImage(6);
    const PlayReport report = s.play(s.world, s.write(s.wish(image)));
    QVERIFY2(report.record.good(), report.record.message.c_str());
    Bytes expected(0x2000, kBlankByte);
    image.copyTo(0x1000, expected);
    QCOMPARE(s.world.cells(0x1000, 0x2000), expected);
    QVERIFY(s.world.cells(0, 0x1000) != Bytes(0x1000, kBlankByte));
  }

  void keptBytesNeedContents() {
    WorldOptions o = small();
    o.sheet = R"(, "keep": [{"memory": "boot-flash", "from": "0x1400", "to": "0x14FF"}])";
    Station s(o);
    COMPARE_TEXT(
        errorOf([&] { s.write(s.wish(someImage(1))); }),
        "the block 0x001000 – 0x001FFF of boot-flash is erased, and the kept range 0x001400 – 0x0014FF lies in "
        "it; what is there is not known");
    std::mt19937 random(2);
    const Bytes old = randomBytes(random, 0x4000);
    s.world.fill(0, old);
    VectorWish wish = s.wish(someImage(1));
    wish.contents.emplace();
    wish.contents->write(0, old);
    QVERIFY(s.play(s.world, s.write(wish)).record.good());
    QCOMPARE(s.world.cells(0x1400, 0x100), Bytes(old.begin() + 0x1400, old.begin() + 0x1500));
  }

  void withoutGeometryNothingIsWritten() {
    Station s(small());
    s.sheet.memories.front().lastSeen.clear();
    VERIFY_CONTAINS(errorOf([&] { s.write(s.wish(someImage(1))); }), "boot-flash are not known");
  }

  /// A board that is another one is refused before anything is sent to its parts, or stopped by the file itself.
  void anotherBoardIsRefused() {
    Station s(small());
    const std::string text = s.write(s.wish(someImage(1)));
    WorldOptions other = small();
    other.boardDiffers = true;
    other.chain[0].idcode = true;
    World board(other);
    const PlayReport refused = s.play(board, text);
    QCOMPARE(refused.record.outcome, Outcome::Refused);
    VERIFY_CONTAINS(refused.record.message, "found 0x99999ffd");
    QVERIFY(!refused.record.changed);
    const PlayReport forced = s.play(board, text, true);
    QCOMPARE(forced.record.outcome, Outcome::Mismatch);
    QVERIFY(!forced.record.changed);
    COMPARE_TEXT(forced.story.doing, "its IDCODE");
    WorldOptions longer = small(4, 2);
    World more(longer);
    VERIFY_CONTAINS(s.play(more, text).record.message, "this chain is not the one that the file was made for");
    COMPARE_TEXT(board.flash().journal(), "");
  }

  void anotherMemoryIsToldBeforeAnythingChanges() {
    Station s(small());
    const std::string text = s.write(s.wish(someImage(1)));
    World board(small(3, 2, R"(, "id": "0x7E4013")"));
    const PlayReport report = s.play(board, text);
    QCOMPARE(report.record.outcome, Outcome::Mismatch);
    QVERIFY(!report.record.changed);
    COMPARE_TEXT(report.story.doing, "ask for its ID, compared");
    COMPARE_TEXT(report.story.deviceName, "p2");
  }

  /// Where a direct run fails, the file does: worn blocks, silent locks, bytes that do not take.
  void failsWhereADirectRunFails() {
    const char* const faults[] = {R"(, "faults": [{"kind": "stuck-block", "at": "0x2000"}])",
                                  R"(, "faults": [{"kind": "stuck-low", "at": "0x2345", "mask": 16}])",
                                  R"(, "faults": [{"kind": "stuck-high", "at": "0x1ABC", "mask": 4}])",
                                  R"(, "faults": [{"kind": "silent-lock", "at": "0x1000", "to": "0x1FFF"}])",
                                  R"(, "faults": [{"kind": "never-ready"}])"};
    for (const char* fault : faults) {
      Station station(small(3, 2, fault));
      World direct(small(3, 2, fault));
      std::mt19937 random(9);
      const Bytes old(0x4000, 0x00);
      station.world.fill(0, old);
      direct.fill(0, old);
      MemoryImage image;
      Bytes bytes = randomBytes(random, 0x1800);
      bytes[0x2345 - 0x1500] = 0xFF;
      bytes[0x1ABC - 0x1500] = 0x00;
      image.write(0x1500, bytes);
      const Record wrong = direct.carryOut(direct.wanted(Task::Program, image));
      QVERIFY2(!wrong.good(), fault);
      const PlayReport report = station.play(station.world, station.write(station.wish(image)));
      QVERIFY2(report.record.outcome == Outcome::Mismatch && report.record.changed, report.record.message.c_str());
      QVERIFY2(!report.story.hint.empty(), fault);
    }
  }

  void oneWrongByteIsNamed() {
    Station s(small());
    const MemoryImage image = someImage(4);
    VectorWish verify = s.wish(image, Task::Verify);
    QVERIFY(s.play(s.world, s.write(s.wish(image))).record.good());
    QVERIFY(s.play(s.world, s.write(verify)).record.good());
    Bytes one = s.world.cells(0x1A0B, 1);
    one[0] ^= 0x08;
    s.world.fill(0x1A0B, one);
    const PlayReport report = s.play(s.world, s.write(verify));
    QCOMPARE(report.record.outcome, Outcome::Mismatch);
    QVERIFY(!report.record.changed);
    QCOMPARE(report.story.address.value(), 0x1A0Bu);
    QCOMPARE(report.result.first->differing, 1u);
    VERIFY_CONTAINS(report.record.message, "0x001A0B should hold");
    VERIFY_CONTAINS(report.record.message, "(from p2)");
  }

  /// A retry from the last safe point ends as the first play should have.
  void takenUpAgainFromItsSteps() {
    Station s(small());
    const MemoryImage image = someImage(8);
    const std::string text = s.write(s.wish(image));
    svf::Reader reader(svf::sourceOf(text), "f");
    const svf::Survey survey = svf::survey(reader, 10e6);
    std::vector<svf::SafePoint> steps;
    for (const auto& mark : survey.marks) {
      if (!mark.point.title.empty()) steps.push_back(mark.point);
    }
    QCOMPARE(steps.size(), 5u);
    QVERIFY(s.play(s.world, text).record.good());
    const Bytes after = s.world.cells(0, 0x4000);
    // Erase, then stop; then from the step that writes.
    struct StopAt : PlayWatch {
      std::uint64_t line = 0;
      std::stop_source source;
      void advanced(const svf::Played& played) override {
        if (played.place.line >= line) source.request_stop();
      }
    } watch;
    s.world.fill(0x1000, Bytes(0x2000, 0x00));
    watch.line = steps[3].place.line + 4;
    const PlayReport stopped = s.play(s.world, text, false, 0, &watch, watch.source.get_token());
    QCOMPARE(stopped.record.outcome, Outcome::Stopped);
    COMPARE_TEXT(stopped.result.safe.title, steps[3].title);
    const PlayReport again = s.play(s.world, text, false, stopped.result.safe.place.offset);
    QVERIFY2(again.record.good(), again.record.message.c_str());
    QCOMPARE(s.world.cells(0, 0x4000), after);
  }

  void linkLostAnywhereIsTold() {
    Station s(small());
    const std::string text = s.write(s.wish(someImage(3, 0x1500, 300)));
    World whole(small());
    whole.bench();
    const std::uint64_t first = whole.sim().packets();
    QVERIFY(s.play(whole, text).record.good());
    const std::uint64_t packets = whole.sim().packets() - first;
    int lost = 0;
    for (std::uint64_t packet = 1; packet < packets; packet += 1 + packets / 24) {
      World board(small());
      board.bench();
      board.sim().dropLinkAtPacket(board.sim().packets() + packet);
      const PlayReport report = s.play(board, text);
      if (report.record.good()) continue;
      ++lost;
      QVERIFY(report.record.error == ErrorKind::LinkLost || report.record.error == ErrorKind::BrokenChain);
      // Whoever says that nothing changed is right.
      if (!report.record.changed) COMPARE_TEXT(board.flash().journal(), "");
      board.sim().restoreLink();
      board.reconnect();
      QVERIFY(s.play(board, text).record.good());
    }
    QVERIFY(lost >= 20);
  }

  void whatIsWrittenCanBeTakenOut() {
    Station s(small(5, 3));
    const MemoryImage image = someImage(12, 0x2F10, 0x1234);
    const std::string text = s.write(s.wish(image));
    svf::Reader reader(svf::sourceOf(text), "f");
    const VectorContents contents = contentsOf(reader);
    QCOMPARE(contents.memories.size(), 1u);
    const auto& memory = contents.memories.front();
    COMPARE_TEXT(memory.name, "boot-flash");
    QCOMPARE(memory.before, 2u);
    QCOMPARE(memory.after, 2u);
    QCOMPARE(memory.held().bytes({0x2F10, 0x2F10 + 0x1234}), image.bytes({0x2F10, 0x2F10 + 0x1234}));
    QCOMPARE(memory.erased.ranges(), (std::vector<AddressRange>{{0x2000, 0x5000}}));
    QCOMPARE(memory.compared.ranges(), (std::vector<AddressRange>{{0x2000, 0x5000}}));
    QVERIFY(!memory.contradiction());
    QCOMPARE(memory.actions.size(), 3u);
    QCOMPARE(contents.otherScans, 1u);  // the IDCODEs
  }

  void bigDevicesAndTheirAddresses() {
    for (const char* kind :
         {"command", "write-enable-command", "own-commands", "segment-register", "bank-register", "always"}) {
      WorldOptions o = small();
      const std::string times = std::string(kTimes).substr(std::string(kTimes).find("\"times\""));
      o.flash = "\"id\": \"0x7E4019\", \"sfdp\": \"newest\", \"size\": \"32M\", \"four_byte\": \"" + std::string(kind) +
                "\", " + times;
      Station s(o);
      s.world.reconnect();
      const MemoryImage image = someImage(3, 0x1000000 - 0x180, 0x400);
      const std::string text = s.write(s.wish(image));
      const PlayReport report = s.play(s.world, text);
      QVERIFY2(report.record.good(), report.record.message.c_str());
      QCOMPARE(s.world.cells(0x1000000 - 0x180, 0x400), image.bytes(image.extent()));
      COMPARE_TEXT(s.world.sim().violations(), "");
      // Behind it the part takes addresses as it did before.
      QCOMPARE(decoderAt(s.world.path("file.svf").toStdString(), UINT64_MAX).fourBytes(),
               std::string(kind) == "always");
      svf::Reader reader(svf::sourceOf(text), "f");
      QCOMPARE(contentsOf(reader).memories.front().held().bytes(image.extent()), image.bytes(image.extent()));
    }
  }

  void anotherPlaceInAnotherChain() {
    Station s(small(3, 2));
    VectorWish wish = s.wish(someImage(2));
    WorldOptions there = small(5, 4);
    there.chain[3] = small(3, 2).chain[1];
    wish.elsewhere.emplace();
    for (std::size_t i = 0; i < 3; ++i) wish.elsewhere->before.push_back(there.chain[i].irLength);
    wish.elsewhere->after.push_back(there.chain[4].irLength);
    World board(there);
    const PlayReport report = s.play(board, s.write(wish));
    QVERIFY2(report.record.good(), report.record.message.c_str());
    QCOMPARE(board.cells(0x1500, 0x1800), someImage(2).bytes({0x1500, 0x1500 + 0x1800}));
  }

  void onlyToLook() {
    Station s(small());
    VectorWish wish = s.wish({});
    wish.scope = VectorWish::Scope::Id;
    QVERIFY(s.play(s.world, s.write(wish)).record.good());
    wish.scope = VectorWish::Scope::Chain;
    wish.memories.clear();
    const std::string chain = s.write(wish);
    QVERIFY(s.play(s.world, chain).record.good());
    QVERIFY(chain.find("SDR 96") != std::string::npos || chain.find("SDR 65") != std::string::npos);
    wish = s.wish({}, Task::Blank);
    wish.memories.front().all = true;
    const std::string blank = s.write(wish);
    QVERIFY(s.play(s.world, blank).record.good());
    s.world.fill(0x20000, {0x7F});
    const PlayReport report = s.play(s.world, blank);
    QCOMPARE(report.record.outcome, Outcome::Mismatch);
    QCOMPARE(report.story.address.value(), 0x20000u);
    QVERIFY(s.world.flash().journal().find("erase") == std::string::npos);
    QVERIFY(s.world.flash().journal().find("program") == std::string::npos);
  }

  /// What revision E leaves open is written out, and lines stay as long as they may be.
  void nothingIsLeftToThePlayer() {
    Station s(small());
    VectorWish wish = s.wish(someImage(2));
    wish.writer.lineLength = 100;
    const std::string text = s.write(wish);
    std::size_t begin = 0;
    bool whole = true;
    for (std::size_t end; (end = text.find('\n', begin)) != std::string::npos; begin = end + 1)
      whole = whole && end - begin <= 100;
    QVERIFY(whole);
    svf::Reader reader(svf::sourceOf(text), "f");
    svf::Statement st;
    std::set<std::string> set;
    std::size_t maskOf = 0;
    while (reader.next(st)) {
      const std::string words = text.substr(st.place.offset, st.end - st.place.offset);
      if (st.kind == svf::Statement::Kind::EndDr || st.kind == svf::Statement::Kind::EndIr ||
          st.kind == svf::Statement::Kind::Padding || st.kind == svf::Statement::Kind::Frequency)
        set.insert(words.substr(0, words.find(' ')));
      if (st.kind == svf::Statement::Kind::RunTest) {
        QVERIFY(st.runTest.clocks && st.runTest.seconds);
        QVERIFY(words.find("IDLE") < words.find("TCK") && words.find("ENDSTATE") != std::string::npos);
        const double byCount = static_cast<double>(*st.runTest.clocks) / 10e6;
        QVERIFY(*st.runTest.seconds >= byCount * (1 - 1e-9) && *st.runTest.seconds <= byCount * 1.0011);
      }
      if (st.kind != svf::Statement::Kind::Scan) continue;
      QCOMPARE(set.size(), 7u);
      QVERIFY(words.find("TDI") != std::string::npos);
      const bool compares = words.find("TDO") != std::string::npos;
      const bool masked = words.find("MASK") != std::string::npos;
      // A mask may be left out only where the one before it has the same length and is of the same register.
      if (compares && !masked) QCOMPARE(reader.value(st.field).length, maskOf);
      if (st.field == svf::Field::Sdr) maskOf = compares ? reader.value(st.field).length : 0;
    }
  }

  void sizesOfExportedFiles() {
    // 1 MiB stands for 8: nothing in a file depends on how long it is but one digit more in a time.
    for (const std::size_t parts : {std::size_t{1}, std::size_t{20}}) {
      WorldOptions o = small(parts, parts);
      o.flash = R"("size": "1M")";
      Station s(o);
      std::mt19937 random(1);
      MemoryImage image;
      image.write(0, randomBytes(random, 1 << 20));
      VectorWish wish = s.wish(image);
      wish.memories.front().noVerify = true;
      const double bytes = 1 << 20;
      QVERIFY(static_cast<double>(s.write(wish).size()) / bytes <= 2.8);
      wish.memories.front().noVerify = false;
      QVERIFY(static_cast<double>(s.write(wish).size()) / bytes <= 7.0);
      wish.writer.shortDigits = true;
      QVERIFY(static_cast<double>(s.write(wish).size()) / bytes <= 5.0);
    }
  }
};

IMPRIMO_TEST(VectorsTest);

#include "tst_vectors.moc"
