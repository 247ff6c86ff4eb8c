// SPDX-License-Identifier: GPL-3.0-or-later
//
// Sessions of up to twenty runs on boards that change: swapped, restarted, switched off, written by their own design,
// played on, stopped and lost in the middle. After each run what is on the part, in the copy and in the message agree,
// byte for byte. IMPRIMO_SESSIONS says how many (40 if not given; ./run nightly asks for more).
#include <fmt/format.h>

#include "core/run/job.h"
#include "tests/support/test_registry.h"
#include "tests/support/vector_station.h"

using namespace imprimo;
using namespace imprimo::plan;
using namespace imprimo::run;
using namespace imprimo::store;
using namespace imprimo::vectors;
using namespace imprimo::test;

namespace {

constexpr std::size_t kSize = 0x20000;
constexpr AddressRange kKept{0x6800, 0x7100};

WorldOptions options(unsigned seed) {
  WorldOptions o;
  o.flash =
      R"("size": "128K", "unique_id": "0x01", "times": {"page": [0.0004, 0.003], "4K": [0.002, 0.02], "32K": [0.003, 0.03], "64K": [0.004, 0.04], "chip": [1, 9]})";
  o.sheet = R"(, "keep": [{"memory": "boot-flash", "from": "0x6800", "to": "0x70FF"}])";
  if (seed % 3 == 1) o.bench = "";
  if (seed % 2 == 1) {
    o.memory = R"(, "part": "card.json")";
    o.files["card.json"] =
        R"({"imprimo_part": 1, "name": "Quill", "id": "0x7E4014", "size": "128K", "page": 256, "program": {"typical": 0.0004, "longest": 0.003}, "erase": [{"size": "4K", "opcode": "0x20", "typical": 0.002, "longest": 0.02}, {"size": "64K", "opcode": "0xD8", "typical": 0.004, "longest": 0.04}], "unique_id": {"command": "0x4B", "dummy": 4, "bytes": 1}})";
  }
  return o;
}

/// Stops, or loses the link or the supply, at the n-th piece of progress.
struct Trouble : RunObserver {
  std::size_t left = 0;
  std::function<void()> act;
  void advanced(std::size_t, const AddressRange&, const Amount&) override {
    if (left > 0 && --left == 0) act();
  }
};

class Session {
 public:
  explicit Session(unsigned seed) : random_(seed * 7919 + 1), seed_(seed), world_(options(seed)) {
    if (seed % 3 == 1) world_.sim().board().device(1).bridge()->withoutMarks();
    for (Bytes& board : boards_) {
      board.assign(kSize, 0xFF);
      for (int i = 0; i < 4; ++i)
        put(board, below(random_, kSize - 0x4000), randomBytes(random_, below(random_, 0x4000)));
    }
    load();
  }

  /// Empty when all went as it should; otherwise what did not.
  std::string run() {
    const std::size_t count = 4 + below(random_, 17);
    for (std::size_t i = 0; i < count; ++i) {
      between();
      std::string wrong = below(random_, 8) == 0 ? play() : oneRun();
      if (!wrong.empty()) return fmt::format("seed {}, run {}: {}", seed_, i, wrong);
      // A link that goes in the middle of a frame leaves the frame cut off.
      if (const std::string v = world_.sim().violations(); !v.empty() && !lossy_)
        return fmt::format("seed {}: {}", seed_, v);
    }
    return {};
  }
  std::map<std::string, int> seen;

 private:
  static void put(Bytes& into, std::size_t at, const Bytes& bytes) {
    std::copy(bytes.begin(), bytes.end(), into.begin() + static_cast<std::ptrdiff_t>(at));
  }
  Bytes cells() { return world_.cells(0, kSize); }
  void load() {
    for (std::size_t i = 0; i < kSize; ++i) world_.flash().cells().set(i, boards_[board_][i]);
    world_.flash().setUniqueId({static_cast<std::uint8_t>(board_ + 1)});
  }

  /// What happens between two runs. While a run's work is open, the board stays the same.
  void between() {
    if (pending_) return;
    switch (below(random_, 9)) {
      case 0:
        boards_[board_] = cells();
        board_ = 1 - board_;
        world_.swapBoard();
        load();
        return;
      case 1:
        world_.sim().board().cyclePower();
        return;
      case 2:
      case 3: {
        // Started anew, the design writes a log: wherever it likes, the kept range included.
        world_.bench().devices().restart();
        const std::size_t size = 1 + below(random_, 600), at = below(random_, kSize - size);
        Bytes log = world_.cells(at, size);
        for (auto& b : log) b &= static_cast<std::uint8_t>(random_());
        world_.fill(at, log);
        return;
      }
      case 4:
        world_.reconnect();
        return;
      default:
        return;
    }
  }

  MemoryImage someImage() {
    MemoryImage image;
    const std::size_t pieces = 1 + below(random_, 3);
    for (std::size_t i = 0; i < pieces; ++i) {
      const std::size_t size = 1 + below(random_, below(random_, 3) == 0 ? 0x5000 : 0x600),
                        at = below(random_, kSize - size);
      Bytes bytes = below(random_, 4) == 0 ? world_.cells(at, size) : randomBytes(random_, size);
      if (!kKept.overlaps({at, at + size})) image.write(at, bytes);
    }
    if (image.empty()) image.write(0x100, randomBytes(random_, 16));
    return image;
  }

  Wanted someWish() {
    switch (below(random_, 10)) {
      case 0: {
        Wanted erase = world_.wanted(Task::Erase);
        const std::size_t at = below(random_, kSize - 0x3000);
        erase.ranges = {{at, at + 0xA00 + below(random_, 0x2600)}};  // never all of it kept
        erase.skipKept = true;
        return erase;
      }
      case 1: {
        Wanted read = world_.wanted(Task::Read);
        read.all = true;
        return read;
      }
      case 2:
        return world_.wanted(Task::Verify, someImage());
      case 3: {
        Wanted trial = world_.wanted(Task::Trial);
        trial.ranges = {{0x2000 + 0x1000 * below(random_, 4), 0}};
        trial.ranges[0].end = trial.ranges[0].begin + 1;
        trial.trialReads = 2;
        return trial;
      }
      case 4:
        if (!copies_[board_].empty()) {
          const CopyStore store(world_.path("copies").toStdString());
          const StoredCopy copy = store.find(copies_[board_]);
          Wanted restore = wantedToRestore(world_.sheet(), "boot-flash", copy, store.contents(copy));
          restore.restart = false;
          return restore;
        }
        [[fallthrough]];
      default: {
        Wanted program = world_.wanted(Task::Program, someImage());
        if (below(random_, 3) == 0) program.boot = program.image.segments().front().begin;
        program.noVerify = below(random_, 6) == 0;
        program.noErase = below(random_, 8) == 0;
        return program;
      }
    }
  }

  std::string oneRun() {
    Wanted wanted = someWish();
    if (pending_) wanted = world_.wanted(Task::Program, someImage());  // an ordinary next run
    const Bytes before = cells();
    const Bytes logical = pending_ ? logical_ : before;
    Trouble trouble;
    std::stop_source stop;
    bool lost = false;
    if (!pending_ && below(random_, 3) == 0) {
      trouble.left = 1 + below(random_, 30);
      const bool link = below(random_, 2) == 0;
      const std::uint64_t packets = 1 + below(random_, 12);
      trouble.act = [&, link, packets] {
        if (!link) return (void)stop.request_stop();
        lost = true;
        world_.sim().dropLinkAtPacket(world_.sim().packets() + packets);
      };
    }
    Record record = world_.carryOut(wanted, stop.get_token(), &trouble);
    ++seen[run::nameOf(record.outcome)];
    if (lost) {
      lossy_ = true;
      world_.sim().restoreLink();
      if (below(random_, 3) == 0) world_.sim().board().cyclePower();
      world_.reconnect();
    }
    if (record.unfinishedWork) {
      // Another board than the one whose run was stopped; nothing of that run is missing there.
      if (cells() != before) return "refused for an earlier run's sake, and changed";
      wanted.earlier = Wanted::Earlier::Forget;
      record = world_.carryOut(wanted);
      ++seen["forgotten"];
    }
    return check(wanted, record, before, logical);
  }

  std::string check(const Wanted& wanted, const Record& record, const Bytes& before, const Bytes& logical) {
    const Bytes now = cells();
    const std::string where =
        fmt::format("{} of task {}: {}: ", run::nameOf(record.outcome), static_cast<int>(wanted.task), record.message);
    Bytes expected = logical;
    RangeSet planned;
    if (wanted.task == Task::Program || wanted.task == Task::Erase) {
      memory::Geometry g;
      g.size = kSize;
      g.erase = {{4096, 1, 1}};
      const MemoryImage desired = desiredContents(wanted, g);
      desired.copyTo(0, expected);
      for (const MemoryImage::Segment& s : desired.segments()) planned.add(s.range());
    }
    // What an earlier run was stopped in and nobody asked for since may hold anything.
    for (const AddressRange& r : planned.ranges()) open_.remove(r);
    const auto excused = [&](std::size_t i) { return open_.contains({i, i + 1}); };

    for (const RangeSet* claimed : {&record.claims.compared, &record.claims.proven}) {
      for (const AddressRange& r : claimed->ranges()) {
        for (std::uint64_t a = r.begin; a < r.end; ++a) {
          if (record.plan->target.at(a) != now[a]) return where + fmt::format("0x{:x} is claimed to be as planned", a);
        }
      }
    }
    if (record.earlier.empty()) {
      for (std::size_t i = 0; i < kSize; ++i) {
        if (now[i] != before[i] && !record.claims.addressed.contains({i, i + 1}))
          return where + fmt::format("0x{:x} changed and is not among what was addressed", i);
      }
    }
    if (record.message.find("Nothing was touched") != std::string::npos && now != before)
      return where + "something was touched";
    if (!record.backup.empty()) {
      const MemoryImage copy = world_.copy(record.backup);
      for (std::size_t i = 0; i < kSize; ++i) {
        const auto saved = copy.at(i);
        // What was put back of an earlier run comes before the copy.
        const bool same = saved == before[i] || (!record.earlier.empty() && (saved == logical[i] || excused(i)));
        if (saved && !same) return where + fmt::format("the copy has 0x{:02x} at 0x{:x}", *saved, i);
        if (!saved && before[i] != 0xFF && now[i] != before[i] && record.earlier.empty())
          return where + fmt::format("the copy has nothing at 0x{:x}", i);
      }
      if (record.earlier.empty()) copies_[board_] = record.backup.filename().string();
    }
    switch (record.outcome) {
      case Outcome::Verified:
      case Outcome::Programmed:
      case Outcome::Erased:
      case Outcome::Sound:
        for (std::size_t i = 0; i < kSize; ++i) {
          if (now[i] != expected[i] && !excused(i)) return where + fmt::format("0x{:x} is not as it should be", i);
        }
        open_ = {};
        pending_ = false;
        return {};
      case Outcome::Match:
      case Outcome::Mismatch:
        if (wanted.task == Task::Verify) {
          Bytes with = now;
          wanted.image.copyTo(0, with);
          if ((with == now) != (record.outcome == Outcome::Match)) return where + "the answer is wrong";
        }
        [[fallthrough]];
      case Outcome::Read:
        if (wanted.task == Task::Read && !lossy_ && world_.bench().at("boot-flash").contents().bytes({0, kSize}) != now)
          return where + "what was read is not what is there";
        return now == before ? std::string() : where + "only looked, and changed";
      case Outcome::Stopped:
        // A stop leaves no other bytes than the planned ones half changed.
        if (record.error == ErrorKind::Stopped) {
          for (std::size_t i = 0; i < kSize; ++i) {
            if (now[i] != logical[i] && !planned.contains({i, i + 1})) return where + fmt::format("0x{:x} is gone", i);
          }
          return {};
        }
        pending_ = record.changed;
        open_ = record.changed ? planned : RangeSet();
        logical_ = logical;
        if (!pending_ && now != before) return where + "changed, and it does not say so";
        return {};
      default:
        return now == before ? std::string() : where + "refused or failed, and changed";
    }
  }

  /// A file of vectors made from what this board holds, played on it or on the other one.
  std::string play() {
    if (pending_) return {};
    const sheet::Sheet sheet = withLastSeen(world_.sheet(), world_.bench());
    VectorWish wish;
    wish.writer.hz = 10e6;
    const MemoryImage image = someImage();
    wish.memories.push_back(world_.wanted(Task::Program, image));
    MemoryImage held;
    held.write(0, boards_[board_] = cells());
    wish.contents = held;
    std::string text;
    NoProgress nobody;
    writeVectors(
        sheet, wish, {}, [&](std::string_view some) { text += some; }, nobody);
    const bool other = below(random_, 2) == 0;
    if (other) {
      board_ = 1 - board_;
      world_.swapBoard();
      load();
    }
    const Bytes before = cells();
    const std::string path = world_.path("file.svf").toStdString();
    writeFileAtomically(path, text);
    Nobody watch;
    NoRecords records;
    world_.bench().doubtAll();
    const PlayReport report =
        playVectors({path, 0, false, 0}, world_.bench().probe(), &world_.sheet(), {}, records, watch, {});
    ++seen[std::string("played: ") + run::nameOf(report.record.outcome)];
    const Bytes now = cells();
    if (report.record.outcome == Outcome::Played) {
      Bytes expected = before;
      image.copyTo(0, expected);
      return now == expected ? std::string() : "played to its end, and something else is there";
    }
    return now == before ? std::string() : "not played, and changed: " + report.record.message;
  }

  std::mt19937 random_;
  unsigned seed_;
  World world_;
  Bytes boards_[2];
  std::size_t board_ = 0;
  bool lossy_ = false;
  bool pending_ = false;  // a run was lost in the middle, and none was good since
  RangeSet open_;         // planned addresses of a run that was lost in the middle; everything else comes back
  Bytes logical_;         // what the part held before that run
  std::string copies_[2];
};

}  // namespace

class SessionsTest : public QObject {
  Q_OBJECT
 private slots:
  void partCopyAndMessageAgreeAfterEachRun() {
    const int sessions = std::max(qEnvironmentVariableIntValue("IMPRIMO_SESSIONS"), 40);
    std::map<std::string, int> seen;
    for (int seed = qEnvironmentVariableIntValue("IMPRIMO_FIRST_SESSION"); seed < sessions; ++seed) {
      Session session(static_cast<unsigned>(seed));
      const std::string wrong = session.run();
      QVERIFY2(wrong.empty(), wrong.c_str());
      for (const auto& [what, count] : session.seen) seen[what] += count;
    }
    // It has to have met all of it.
    for (const char* what : {"verified", "stopped", "refused", "match", "mismatch", "read", "sound", "erased",
                             "played: played", "played: mismatch"})
      QVERIFY2(seen[what] > 0, what);
    for (const auto& [what, count] : seen) qInfo("%s %d", what.c_str(), count);
  }
};
IMPRIMO_TEST(SessionsTest);
#include "tst_sessions.moc"
