// SPDX-License-Identifier: GPL-3.0-or-later
//
// Looking an image over, and comparing two.
#include <QTemporaryDir>

#include "core/base/atomic_file.h"
#include "core/image/compare.h"
#include "core/image/look_over.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

MemoryImage image(std::uint64_t at, Bytes bytes) {
  MemoryImage i;
  i.write(at, std::move(bytes));
  return i;
}

/// Little-endian words.
Bytes words(std::initializer_list<std::uint32_t> values, std::size_t size) {
  Bytes bytes;
  for (const std::uint32_t v : values) {
    for (int i = 0; i < 4; ++i) bytes.push_back(static_cast<std::uint8_t>(v >> (8 * i)));
  }
  bytes.resize(size, 0x55);
  return bytes;
}

}  // namespace

class LookOverTest : public QObject {
  Q_OBJECT
  QTemporaryDir folder_;
  std::vector<Piece> pieces_;

  Piece& add(const char* name, std::uint64_t at, const Bytes& bytes, const char* options = "") {
    writeFileAtomically(folder_.filePath(name).toStdString(), bytes);
    pieces_.push_back(
        readPiece(parsePiece(std::string(name) + "@" + std::to_string(at) + options), folder_.path().toStdString()));
    return pieces_.back();
  }
  /// The findings of a code that are not fine: "level: sentence", a line each.
  std::string told(const std::string& code, const LookOverRules& rules) {
    std::string text;
    for (const Finding& f : lookOver(pieces_, rules)) {
      if (nameOf(f.kind) == code && f.level != Finding::Fine)
        text += std::string(nameOf(f.level)) + ": " + f.what + "\n";
    }
    return text;
  }

 private slots:
  void init() { pieces_.clear(); }

  void placesThatCannotBe() {
    add("a.bin", 0, Bytes(0x120, 1));
    add("b.bin", 0x100, Bytes(0x40, 2));
    add("c.bin", 0x7F0, Bytes(0x20, 3));
    LookOverRules rules;
    rules.memory = "boot-flash";
    rules.size = 0x800;
    rules.block = 0x100;
    rules.keep = {{0x7F8, 0x7FC}};
    COMPARE_TEXT(told("overlap", rules), "blocks: a.bin and b.bin overlap at 0x000100 – 0x00011F\n");
    COMPARE_TEXT(told("outside", rules), "blocks: c.bin takes 0x0007F0 – 0x00080F, but boot-flash ends at 0x0007FF\n");
    COMPARE_TEXT(told("block", rules), "note: c.bin begins at 0x0007F0, not on a 256 bytes block\n");
    COMPARE_TEXT(told("kept", rules), "blocks: c.bin would write into 0x0007F8 – 0x0007FB, which is kept\n");
    QCOMPARE(lookOver(pieces_, rules).front().level, Finding::Blocks);  // the worst comes first
    for (const Finding& f : lookOver(pieces_, rules)) {
      if (f.level > Finding::Note) QVERIFY2(!f.remedy.empty(), f.what.c_str());
    }
  }

  void piecesThatShareABlock() {
    add("a.bin", 0, Bytes(0x120, 1));
    add("b.bin", 0x180, Bytes(0x40, 2));
    LookOverRules rules;
    rules.block = 0x100;
    COMPARE_TEXT(told("block", rules),
                 "trouble: b.bin begins at 0x000180, in the same 256 bytes block as the end of a.bin\n");
  }

  void syncWords() {
    Bytes stream(64, 0xFF);
    stream.insert(stream.end(), {0x9A, 0x51, 0x6C, 0xE1});
    stream.resize(600, 7);
    LookOverRules rules;
    rules.use = MemoryUse::Configuration;
    rules.sync = {0x59, 0x8A, 0x36, 0x87};  // the same, its bits reversed
    add("plain.bin", 0, stream);
    COMPARE_TEXT(told("sync", rules),
                 "trouble: The sync word of plain.bin is stored with the bits of each byte reversed\n");
    pieces_.clear();
    add("plain.bin", 0, stream, ",reversed");
    COMPARE_TEXT(told("sync", rules), "");
    add("text.bin", 0x1000, Bytes(40, 'x'));
    COMPARE_TEXT(told("sync", rules), "note: text.bin has no sync word 598A3687 within its first 40 bytes\n");
    pieces_.clear();
    add("text.bin", 0, Bytes(40, 'x'));
    COMPARE_TEXT(told("sync", rules), "trouble: text.bin has no sync word 598A3687 within its first 40 bytes\n");
    // Behind more than a pad it is not where a part looks.
    pieces_.clear();
    Bytes late(5000, 0xFF);
    late.insert(late.end(), rules.sync.begin(), rules.sync.end());
    add("late.bin", 0, late);
    VERIFY_CONTAINS(told("sync", rules), "has no sync word");
  }

  void codeInTheWrongPlace() {
    const Bytes firmware = words({0x20001000, 0x41}, 0x100);
    add("fw.bin", 0, firmware);
    LookOverRules rules;
    rules.use = MemoryUse::Configuration;
    COMPARE_TEXT(told("code", rules), "trouble: fw.bin has code for a core, not for a configuration flash\n");
    rules.use = MemoryUse::CoreCode;
    COMPARE_TEXT(told("code", rules), "");
    rules.sync = {0x41, 0, 0, 0};
    COMPARE_TEXT(told("code", rules), "trouble: fw.bin is a bitstream, not code for a core\n");
  }

  void vectorsOfACore() {
    LookOverRules rules;
    rules.use = MemoryUse::CoreCode;
    const auto with = [&](std::uint32_t stack, std::uint32_t reset, std::uint64_t at = 0) {
      pieces_.clear();
      add("fw.bin", at, words({stack, reset}, 0x100));
      return told("reset", rules) + told("stack", rules);
    };
    COMPARE_TEXT(with(0x20001000, 0x41), "");
    COMPARE_TEXT(with(0x20001000, 0x141),
                 "trouble: The reset vector at 0x000004 points to 0x000141, outside the image\n");
    COMPARE_TEXT(with(0x20001000, 0x41, 0x8000),
                 "trouble: The reset vector at 0x008004 points to 0x000041, outside the image\n");
    COMPARE_TEXT(with(0x20001000, 0x8041, 0x8000), "");
    COMPARE_TEXT(with(0x20001000, 0x40), "trouble: The reset vector 0x000040 at 0x000004 has no Thumb bit\n");
    COMPARE_TEXT(with(0x1000, 0x41),
                 "trouble: The stack pointer at 0x000000 is 0x001000, not in RAM (0x20000000 – 0x3FFFFFFF)\n");
    rules.ram = AddressRange{0x10000000, 0x10001000};
    COMPARE_TEXT(with(0x10001000, 0x41), "");  // its end is where a stack begins
    VERIFY_CONTAINS(with(0x10001004, 0x41), "not in RAM");
  }

  void sameFilesAndNewerOnes() {
    add("a.bin", 0, Bytes(64, 1));
    add("b.bin", 0x1000, Bytes(64, 1));
    add("c.bin", 0x2000, Bytes(65, 1));
    COMPARE_TEXT(told("same", {}), "note: a.bin and b.bin have the same bytes\n");
    LookOverRules rules;
    rules.saved = pieces_[2].source->changed - std::chrono::hours(1);
    VERIFY_CONTAINS(told("newer", rules), "c.bin is newer than the saved image");
    rules.saved = pieces_[2].source->changed + std::chrono::hours(1);
    COMPARE_TEXT(told("newer", rules), "");
  }

  /// Against looking at every byte.
  void comparingIsTheSameAsLookingAtEveryByte() {
    std::mt19937 random(44);
    for (int round = 0; round < 300; ++round) {
      MemoryImage a, b;
      for (std::size_t i = 0; i < below(random, 5); ++i)
        a.write(below(random, 300), randomBytes(random, 1 + below(random, 90)));
      if (round % 3 != 0) b = a;
      for (std::size_t i = 0; i < below(random, 4); ++i)
        b.write(below(random, 300), randomBytes(random, 1 + below(random, 9)));
      const Differences found = compareImages(a, b);
      std::uint64_t bytes = 0, first = 0, second = 0, same = 0;
      for (std::uint64_t at = 0; at < 500; ++at) {
        const auto x = a.at(at), y = b.at(at);
        const bool listed =
            std::any_of(found.ranges.begin(), found.ranges.end(), [&](const auto& r) { return r.contains(at); });
        QCOMPARE(listed, x != y);
        bytes += x != y;
        first += x && !y;
        second += y && !x;
        same += x && y && x == y;
      }
      QCOMPARE(found.bytes, bytes);
      QCOMPARE(found.onlyFirst, first);
      QCOMPARE(found.onlySecond, second);
      QCOMPARE(found.same, same);
      for (std::size_t i = 1; i < found.ranges.size(); ++i) QVERIFY(found.ranges[i - 1].end < found.ranges[i].begin);
    }
  }

  void theReportShowsTheBytes() {
    const MemoryImage a = image(0x10, {1, 2, 3, 4}), b = image(0x10, {1, 9, 3});
    const Differences found = compareImages(a, b);
    COMPARE_TEXT(differenceReport(a, b, found, "one", "two", 4),
                 "first:  one\nsecond: two\n\n0x000011 – 0x000011  1 byte\n  0x000011  02                       |  09\n"
                 "\n0x000013 – 0x000013  1 byte\n  0x000013  04                       |  ..\n"
                 "\n2 bytes differ in 2 ranges; 1 only in the first, 0 only in the second; 2 bytes the same\n");
  }
};
IMPRIMO_TEST(LookOverTest);
#include "tst_look_over.moc"
