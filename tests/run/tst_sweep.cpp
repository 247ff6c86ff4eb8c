// SPDX-License-Identifier: GPL-3.0-or-later
//
// Something breaks once, at every place of a run: the link, an answer, the power, a command, a byte on its way in or
// out. Whatever it is, the record says what is so, nothing outside the plan changes, and the next run succeeds.
// IMPRIMO_SWEEP_RUNS says how many such runs there are (240 if not given; ./run nightly asks for more).
#include <fmt/format.h>

#include "core/run/runner.h"
#include "tests/support/break_once.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"
#include "tests/support/world.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::test;

namespace {

constexpr std::size_t kData = 0xC000;  // old data stands from 0 to here; behind it the part is blank
constexpr AddressRange kKept{0x2800, 0x3000};

constexpr Breaks kAll[] = {Breaks::Link,    Breaks::Refusal, Breaks::ShortAnswer, Breaks::Power,
                           Breaks::Command, Breaks::ByteIn,  Breaks::ByteOut};

const char* nameOf(Breaks breaks) {
  constexpr const char* kNames[] = {"link", "refusal", "short answer", "power", "command", "byte in", "byte out"};
  return kNames[static_cast<int>(breaks)];
}

/// All of the part is protected; a run clears that and puts it back.
constexpr std::uint8_t kAllProtected = 0x1C;
bool isProtected(unsigned variant) {
  return variant % 8 >= 6;
}
constexpr const char* kCard = R"({"imprimo_part": 1, "name": "Quill", "id": "0x7E4014", "size": "128K", "page": 256,
 "program": {"typical": 0.0004, "longest": 0.003},
 "erase": [{"size": "4K", "opcode": "0x20", "typical": 0.002, "longest": 0.02},
           {"size": "64K", "opcode": "0xD8", "typical": 0.004, "longest": 0.04}],
 "registers": [{"name": "status 1", "read": "0x05", "write": "0x01", "together": ["status 1", "status 2"], "bits": [
    {"bits": "1..0", "name": "at work", "read_only": true}, {"bits": "4..2", "name": "block protection"}]},
   {"name": "status 2", "read": "0x35", "write": "0x01", "together": ["status 1", "status 2"]}],
 "protection": {"register": "status 1", "bits": "4..2", "levels": [
   {"value": 0, "ranges": []}, {"value": 7, "ranges": ["0+128K"]}]}})";

WorldOptions options(unsigned variant) {
  WorldOptions o;
  o.flash =
      R"("size": "128K", "times": {"page": [0.0004, 0.003], "4K": [0.002, 0.02], "32K": [0.003, 0.03], "64K": [0.004, 0.04], "chip": [1, 9]})";
  // Uniform, with small blocks at the beginning only, and slower than it says.
  if (variant % 3 == 1 && !isProtected(variant))
    o.flash +=
        R"(, "sfdp": "newest", "regions": [{"from": "0", "erase": ["4K"]}, {"from": "32K", "erase": ["32K", "64K"]}])";
  if (variant % 3 == 2) o.flash += R"(, "pace": 1.7)";
  if (isProtected(variant)) {
    o.flash += R"(, "second_status": true, "status": "0x1C")";
    o.memory = R"(, "part": "card.json")";
    o.files["card.json"] = kCard;
  }
  o.sheet = R"(, "keep": [{"memory": "boot-flash", "from": "0x2800", "to": "0x2FFF"}])";
  return o;
}

/// An image whose ends share blocks with other data, over old data; the block at 0x1000 makes it bootable.
struct Scene {
  explicit Scene(unsigned v) : variant(v), world(options(variant)) {
    std::mt19937 random(500 + variant);
    old = randomBytes(random, kData);
    old.resize(0x20000, 0xFF);
    world.fill(0, old);
    wanted = world.wanted(Task::Program);
    const Bytes fresh = randomBytes(random, 0x1D00);
    wanted.image.write(0xB00, fresh);
    wanted.image.write(0x9100, randomBytes(random, 0x800));
    if (variant % 2 == 1) wanted.boot = 0x1000;
    expected = old;
    for (const MemoryImage::Segment& s : wanted.image.segments())
      std::copy(s.bytes.begin(), s.bytes.end(), expected.begin() + static_cast<std::ptrdiff_t>(s.begin));
  }
  Bytes cells() { return world.cells(0, 0x20000); }
  unsigned variant;
  World world;
  Bytes old, expected;
  Wanted wanted;
};

using Lengths = RunLengths;

Lengths lengthsOf(unsigned variant) {
  Scene clean(variant);
  Lengths l{};
  clean.world.bench();
  l.firstPacket = clean.world.sim().packets();
  l.begin = sim::toSeconds(clean.world.sim().board().now());
  const Record record = clean.world.carryOut(clean.wanted);
  if (record.outcome != Outcome::Verified || clean.cells() != clean.expected) qFatal("%s", record.message.c_str());
  l.packets = clean.world.sim().packets();
  l.commands = clean.world.flash().commandCount();
  l.bytesIn = clean.world.flash().bytesWritten();
  l.bytesOut = clean.world.flash().bytesRead();
  l.end = sim::toSeconds(clean.world.sim().board().now());
  return l;
}

void breakIt(Scene& s, Breaks breaks, const Lengths& l, double where, std::uint8_t mask) {
  breakOnce(s.world.sim(), s.world.flash(), breaks, l, where, mask);
}

/// Empty when all that the record claims is so.
std::string untrue(Scene& s, const Record& record, Breaks breaks) {
  const Bytes now = s.cells();
  if (record.good() && now != s.expected) return "it says that all is well, and the part holds something else";
  if (record.outcome == Outcome::Verified && !record.steps.back().finished) return "verified without a last step";
  if (!record.changed && now != s.old) return "it says that nothing was changed";
  if (record.changed && !record.good() && record.message.find("now holds:") == std::string::npos &&
      record.message.find("No byte of boot-flash was changed") == std::string::npos)
    return "it does not say what the part holds";
  if (isProtected(s.variant)) {
    const bool open = (s.world.flash().status(s.world.sim().board().now()) & kAllProtected) != kAllProtected;
    if (open && record.message.find("could not be put back: status 1 held 0x1C before") == std::string::npos)
      return "its protection is gone and nobody says so";
  }
  RangeSet planned;
  for (const BlockPlan& block : record.plan->blocks) planned.add(block.range);
  for (std::size_t i = 0; i < now.size(); ++i) {
    if (now[i] != s.old[i] && !planned.contains({i, i + 1})) return fmt::format("0x{:x} changed outside the plan", i);
  }
  for (const AddressRange& r : record.erased) {
    if (!planned.contains(r)) return "it erased outside the plan";
  }
  // What differs is told with the byte that is really there, but for a byte that was read wrongly twice.
  if (record.first && record.changed && record.first->found != now[record.first->address])
    return fmt::format("0x{:x} does not hold what it says", record.first->address);
  if (breaks != Breaks::ByteOut && breaks != Breaks::Power) {
    for (const MemoryImage::Segment& k : s.world.bench().identified("boot-flash")
                                             ? s.world.bench().at("boot-flash").contents().segments()
                                             : std::vector<MemoryImage::Segment>{}) {
      if (!std::equal(k.bytes.begin(), k.bytes.end(), now.begin() + static_cast<std::ptrdiff_t>(k.begin)))
        return fmt::format("what is taken for known at 0x{:x} is not there", k.begin);
    }
  }
  const auto begin = static_cast<std::ptrdiff_t>(kKept.begin), end = static_cast<std::ptrdiff_t>(kKept.end);
  if (!std::equal(now.begin() + begin, now.begin() + end, s.old.begin() + begin)) {
    if (record.message.find(record.backup.string()) == std::string::npos)
      return "kept bytes are gone and no copy is named";
    if (s.world.copy(record.backup).bytes(kKept) != Bytes(s.old.begin() + begin, s.old.begin() + end))
      return "kept bytes are gone and the copy has others";
  }
  return {};
}

/// Power and link are back; what an interrupted block held besides is put back from the copy, then the run goes again.
std::string recovered(Scene& s, const Record& broken) {
  s.world.sim().board().repair();
  s.world.sim().restoreLink();
  s.world.reconnect();
  if (broken.changed && !broken.backup.empty()) {
    MemoryImage others = s.world.copy(broken.backup);
    for (const MemoryImage::Segment& planned : s.wanted.image.segments()) others.erase(planned.range());
    Wanted back = s.world.wanted(Task::Program, others);
    back.keep.clear();
    const Record restored = s.world.carryOut(back);
    if (!restored.good()) return "restoring: " + restored.message;
  }
  const Record again = s.world.carryOut(s.wanted);
  if (again.outcome != Outcome::Verified) return "again: " + again.message;
  return s.cells() == s.expected ? std::string() : "after the second run the part holds something else";
}

}  // namespace

class SweepTest : public QObject {
  Q_OBJECT
 private slots:
  void whateverBreaksTheRecordIsTrueAndTheNextRunSucceeds() {
    const int runs = std::max(qEnvironmentVariableIntValue("IMPRIMO_SWEEP_RUNS"), 240);
    std::map<unsigned, Lengths> lengths;
    std::map<std::string, int> outcomes;
    std::mt19937 random(4711);
    constexpr unsigned kVariants = 8;
    for (unsigned variant = 0; variant < kVariants; ++variant) lengths[variant] = lengthsOf(variant);
    const int each = (runs + 6) / 7;
    int n = 0;
    for (const Breaks breaks : kAll) {
      for (int i = 0; i < each; ++i, ++n) {
        const auto variant = static_cast<unsigned>(n) % kVariants;
        Scene s(variant);
        s.world.bench();
        const double where = (i + 0.5) / each;
        const auto mask = static_cast<std::uint8_t>(1u << (random() % 8));
        breakIt(s, breaks, lengths[variant], where, mask);
        const Record record = s.world.carryOut(s.wanted);
        ++outcomes[fmt::format("{}: {}", nameOf(breaks), run::nameOf(record.outcome))];
        const std::string what = fmt::format("{} at {:.4f} of variant {}: ", nameOf(breaks), where, variant);
        const std::string lie = untrue(s, record, breaks);
        QVERIFY2(lie.empty(), (what + lie + "\n" + record.message).c_str());
        const std::string trouble = recovered(s, record);
        QVERIFY2(trouble.empty(), (what + trouble + "\n" + record.message).c_str());
      }
    }
    // The sweep has to hit something: a run that always ended well would prove nothing.
    QVERIFY(outcomes["link: stopped"] > each / 4);
    QVERIFY(outcomes["power: stopped"] > each / 4);
    QVERIFY(outcomes["byte in: stopped"] > each / 2);
    if (runs > 240) {
      for (const auto& [what, count] : outcomes) qInfo("%s %d", what.c_str(), count);
    }
  }
};
IMPRIMO_TEST(SweepTest);
#include "tst_sweep.moc"
