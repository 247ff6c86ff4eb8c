// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/svf/player.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>

#include "core/base/number.h"
#include "core/svf/walk.h"

namespace imprimo::svf {
namespace {

using jtag::Register;
using jtag::Rest;
using jtag::TapState;

/// A long scan goes out in pieces of so many bits.
constexpr std::size_t kPiece = std::size_t{1} << 18;
/// All of a scan up to so many bits is kept of a mismatch, and as many around the first bit of a longer one.
constexpr std::size_t kKept = 16384, kShownWhole = 256;
constexpr double kMostQueued = 0.02, kMostAtRest = 0.05, kMostAfterStop = 0.3;
constexpr std::size_t kMostItems = 4096;

class Play {
 public:
  Play(Reader& reader, jtag::JtagPort& port, const PlayOptions& options, PlayObserver& observer,
       const std::stop_token& stop)
      : reader_(reader), port_(port), options_(options), observer_(observer), stop_(stop), walk_(options.fromPause) {}

  PlayResult run() {
    reader_.onComment([this](const Comment& comment) {
      if (auto title = stepTitle(comment.text)) step_ = SafePoint{comment.place, comment.text};
      if (options_.together.empty()) return;
      if (comment.text.starts_with(options_.together)) together_ = true;
      if (comment.text.starts_with(options_.togetherEnds)) {
        together_ = false;
        ended_ = true;
      }
    });
    batch_.reset();
    queued_ += jtag::clocksOf(jtag::ResetTap{});
    try {
      all();
      flush();
      settle();
    } catch (...) {
      reader_.onComment({});
      try {
        settle();
      } catch (...) {  // NOLINT: what went wrong first is told
      }
      throw;
    }
    reader_.onComment({});
    return std::move(result_);
  }

 private:
  void all() {
    Statement s;
    while (reader_.next(s)) {
      if (s.place.offset < options_.from) {
        passOver(s);
        continue;
      }
      if (std::exchange(ended_, false) && stop_.stop_requested()) {
        flush();
        result_.played.place = s.place;
        result_.end = PlayResult::End::Stopped;
        return;
      }
      result_.played.place = s.place;
      if (step_) result_.safe = *std::exchange(step_, std::nullopt);
      statement(s);
      if (result_.end != PlayResult::End::Whole) return;
      if (queued_ > kMostQueued * port_.clockHz() || batch_.items().size() > kMostItems) flush();
      if (result_.end != PlayResult::End::Whole) return;
    }
    result_.played.place = reader_.place();
  }

  /// What lies in front of where it begins counts only for what is remembered.
  void passOver(const Statement& s) {
    if (s.kind == Statement::Kind::EndDr || s.kind == Statement::Kind::EndIr) walk_.endStates(s);
    if (s.kind == Statement::Kind::PioMap) pins_ = s.pins;
    if (s.kind == Statement::Kind::Frequency) frequency(s);
  }

  void statement(const Statement& s) {
    switch (s.kind) {
      case Statement::Kind::EndDr:
      case Statement::Kind::EndIr:
        return walk_.endStates(s);
      case Statement::Kind::Padding:
        return;
      case Statement::Kind::Frequency:
        return frequency(s);
      case Statement::Kind::Scan:
        return scan(s);
      case Statement::Kind::RunTest:
        return runTest(s);
      case Statement::Kind::State:
        return path(s);
      case Statement::Kind::Trst:
        return trst(s);
      case Statement::Kind::Pio:
        return pio(s);
      case Statement::Kind::PioMap:
        pins_ = s.pins;
        return;
    }
  }

  void frequency(const Statement& s) {
    flush();
    if (options_.setClock) options_.setClock(s.hz.value_or(0));
  }

  void clocks(bool tms, std::uint64_t count, jtag::Lasting lasting = {}) {
    while (count > 0) {
      const auto some = static_cast<std::uint32_t>(std::min<std::uint64_t>(count, UINT32_MAX));
      batch_.clocks(tms, some, lasting);
      queued_ += some;
      count -= some;
    }
  }

  void follow(const std::vector<TmsRun>& runs) {
    for (const TmsRun& run : runs) clocks(run.tms, run.count);
  }
  void moveTo(TapState state) { follow(walk_.moveTo(state)); }

  void path(const Statement& s) {
    const TapState from = walk_.tap();
    const auto way = walk_.path(s);
    if (!way) {
      throw reader_.error(s.place, fmt::format("the path begins with {}, and the TAP is in {}", svfName(s.path.front()),
                                               svfName(from)));
    }
    follow(*way);
    if (std::count(s.path.begin(), s.path.end(), TapState::TestLogicReset) > 0) instructed_ = false;
    if (walk_.tap() == TapState::TestLogicReset) result_.safe = {s.place, {}};
  }

  void runTest(const Statement& s) {
    const RunTest& run = s.runTest;
    if (run.systemClock) {
      throw Error(ErrorKind::Refused,
                  reader_.error(s.place, "RUNTEST counts clocks of SCK, and no probe here has such a clock").what());
    }
    moveTo(run.run);
    const double hz = port_.clockHz();
    RunLength length = lengthOf(run, hz);
    std::uint64_t& left = length.clocks;
    double& rest = length.rest;
    const bool tms = run.run == TapState::TestLogicReset;
    const auto atOnce = static_cast<std::uint64_t>(std::max(1.0, kMostAtRest * hz));
    // Of the seconds these clocks take their device, on a probe with another clock than it was asked for too. Where the
    // file asks for no clocks, they run as far as the link carries them in that time: some devices need them to work.
    double timed = run.seconds.value_or(0) - rest;
    while (left > 0 && going()) {
      const std::uint64_t some = std::min(left, atOnce);
      const double time = std::clamp(static_cast<double>(some) / hz, 0.0, std::max(0.0, timed));
      timed -= time;
      const jtag::Lasting lasting{std::chrono::microseconds(static_cast<std::int64_t>(std::ceil(time * 1e6 - 1e-3))),
                                  !run.clocks};
      if (run.run == TapState::RunTestIdle) {
        batch_.idle(static_cast<std::uint32_t>(some), lasting);
        queued_ += some;
      } else {
        clocks(tms, some, lasting);
      }
      left -= some;
      if (left > 0 || queued_ > kMostQueued * hz) flush();
    }
    while (rest > 1e-9 && going()) {
      const double some = std::min(rest, kMostAtRest);
      batch_.delay(std::chrono::microseconds(static_cast<std::int64_t>(std::ceil(some * 1e6))));
      waiting_ += some;
      rest -= some;
      flush();
    }
    if (going()) moveTo(run.end);
  }

  void trst(const Statement& s) {
    const bool pin = options_.pins != nullptr && options_.pins->has("TRST");
    if (s.trst == Trst::On) {
      flush();
      if (pin) options_.pins->drive("TRST", false);
      // Without the wire the same is done by TMS.
      follow(*walk_.path(Walk::reset()));
      instructed_ = false;
      result_.safe = {s.place, {}};
    } else if (pin) {
      flush();
      options_.pins->drive("TRST", s.trst == Trst::Off ? std::optional(true) : std::nullopt);
    }
  }

  void pio(const Statement& s) {
    flush();
    for (std::size_t i = 0; i < pins_.size() && going(); ++i) {
      const std::string& name = pins_[i].second;
      const char level = s.levels[i];
      if (level == 'X') continue;
      if (options_.pins == nullptr || !options_.pins->has(name)) {
        throw Error(ErrorKind::Refused, reader_.error(s.place, fmt::format("the probe has no pin {}", name)).what(),
                    "Use a probe with such a pin, or take PIO out of the file.");
      }
      if (level == 'H' || level == 'L' || level == 'Z') {
        options_.pins->drive(name, level == 'Z' ? std::nullopt : std::optional(level == 'H'));
        continue;
      }
      ++result_.played.compares;
      if (options_.pins->level(name) == (level == 'U')) continue;
      Mismatch m;
      m.place = s.place;
      m.pin = name;
      m.pinShouldBe = level == 'U';
      differs(std::move(m));
    }
  }

  void scan(const Statement& s) {
    const bool instruction = s.field == Field::Sir;
    const PaddedScan scan(reader_.value(instruction ? Field::Hir : Field::Hdr), reader_.value(s.field),
                          reader_.value(instruction ? Field::Tir : Field::Tdr));
    const bool compares = scan.hasTdo();
    follow(walk_.resume(s.field));
    Mismatch m;
    std::size_t total = scan.size();
    for (std::size_t at = 0; at < total;) {
      const jtag::BitRange piece{at, total - at <= kPiece + kPiece / 4 ? total : at + kPiece};
      jtag::Scan out;
      out.into = instruction ? Register::Instruction : Register::Data;
      out.out = scan.tdi(piece);
      out.from = at == 0 ? restIn(walk_.tap()) : Rest::Shift;
      out.until = piece.end == total ? walk_.untilOf(s.field) : Rest::Shift;
      const BitVector mask = compares ? scan.mask(piece) : BitVector();
      jtag::BitRange looked = extentOf(mask);
      // Of a short scan people want to see the rest too.
      if (looked.size() > 0 && total <= kShownWhole) looked = {0, total};
      if (looked.size() > 0) out.captures = {looked};
      queued_ += piece.size() + jtag::clocksAround(out.into, out.from, out.until);
      batch_.add(std::move(out));
      if (piece.end == total) follow(walk_.scanned(s.field));
      // Pieces of a scan go one by one, so that no more than one of them is held here.
      if (looked.size() > 0 || total > kPiece) {
        const jtag::ScanAnswers answers = hand();
        if (looked.size() > 0) compare(scan, piece, mask, looked, answers.back(), m);
        if (piece.end < total) observer_.advanced(result_.played);
      }
      at = piece.end;
      // One more bit leaves the register; waiting for the others would take longer than a stop may.
      if (!instruction && total - at > kMostAfterStop * port_.clockHz() && stop_.stop_requested() && !together_) {
        total = at + 1;
        result_.end = PlayResult::End::Stopped;
        result_.played.place = reader_.place();  // it has to count as sent
      }
    }
    ++(instruction ? result_.played.irScans : result_.played.drScans);
    instructed_ = instructed_ || instruction;
    if (walk_.tap() == TapState::TestLogicReset) result_.safe = {s.place, {}};
    if (m.compared > 0) ++result_.played.compares;
    if (m.differing > 0) {
      m.place = s.place;
      m.into = instruction ? Register::Instruction : Register::Data;
      m.length = scan.ownBits();
      m.header = scan.headerBits();
      m.total = total;
      differs(std::move(m));
    }
    if (m.compared > 0) boundary();
  }

  void compare(const PaddedScan& scan, jtag::BitRange piece, const BitVector& mask, jtag::BitRange looked,
               const BitVector& found, Mismatch& m) {
    m.compared += onesIn(mask);
    const BitVector tdo = scan.tdo(piece);
    for (std::size_t i = looked.begin; i < looked.end; i += 64) {
      const std::size_t count = std::min<std::size_t>(64, looked.end - i);
      const std::uint64_t wrong = (tdo.bits(i, count) ^ found.bits(i - looked.begin, count)) & mask.bits(i, count);
      if (wrong == 0) continue;
      if (m.differing == 0) {
        const std::size_t bit = i + static_cast<std::size_t>(std::countr_zero(wrong));
        m.first = piece.begin + bit;
        const std::size_t from = piece.size() <= kKept || bit < kKept / 2 ? 0 : bit - kKept / 2;
        const std::size_t kept = std::min(kKept, piece.size() - from);
        m.from = piece.begin + from;
        m.expected = tdo.slice(from, kept);
        m.mask = mask.slice(from, kept);
        BitVector all(looked.begin);
        all.append(found);
        all.appendFill(false, piece.size() - all.size());
        m.found = all.slice(from, kept);
      }
      m.differing += static_cast<std::size_t>(std::popcount(wrong));
    }
  }

  void differs(Mismatch m) {
    m.comment = reader_.lastComment();
    m.instructed = instructed_;
    m.comparesBefore = result_.played.compares - 1 - result_.mismatches;
    ++result_.mismatches;
    const bool on = observer_.goesOnPast(m);
    if (!result_.first) result_.first = std::move(m);
    if (!on) result_.end = PlayResult::End::Mismatch;
  }

  bool going() const { return result_.end == PlayResult::End::Whole; }

  /// Sends what is queued.
  jtag::ScanAnswers hand() {
    const jtag::ScanBatch batch = std::exchange(batch_, {});
    const std::uint64_t clocks = std::exchange(queued_, 0);
    const double waits = std::exchange(waiting_, 0);
    result_.played.clocks += clocks;
    result_.played.waits += waits;
    result_.played.seconds += static_cast<double>(clocks) / port_.clockHz() + waits;
    if (batch.empty()) return {};
    return port_.run(batch);
  }

  void flush() {
    hand();
    boundary();
  }

  void boundary() {
    observer_.advanced(result_.played);
    if (stop_.stop_requested() && !together_ && going()) result_.end = PlayResult::End::Stopped;
  }

  void settle() {
    moveTo(TapState::RunTestIdle);
    hand();
  }

  Reader& reader_;
  jtag::JtagPort& port_;
  const PlayOptions& options_;
  PlayObserver& observer_;
  const std::stop_token& stop_;

  Walk walk_;
  std::vector<std::pair<PinRole, std::string>> pins_;
  jtag::ScanBatch batch_;
  std::uint64_t queued_ = 0;  // clocks
  double waiting_ = 0;
  bool instructed_ = false;
  std::optional<SafePoint> step_;
  bool together_ = false, ended_ = false;  // within statements that belong together; such a row has just ended
  PlayResult result_;
};

}  // namespace

std::string Mismatch::text() const {
  if (!pin.empty()) {
    return fmt::format("pin {} should be {} and is {}", pin, pinShouldBe ? "high" : "low",
                       pinShouldBe ? "low" : "high");
  }
  const bool should = expected[first - from];
  return fmt::format(
      "{} {}: {} of {} differ{}, bit {} should be {} and is {}", into == Register::Instruction ? "SIR" : "SDR", length,
      differing, countText(compared, "compared bit"), differing == 1 ? "s" : "",
      static_cast<std::int64_t>(first) - static_cast<std::int64_t>(header), should ? 1 : 0, should ? 0 : 1);
}

std::optional<std::string> stepTitle(std::string_view comment) {
  if (!comment.starts_with("Step ")) return std::nullopt;
  comment.remove_prefix(5);
  const auto number = [&] {
    const std::size_t digits = std::min(comment.find_first_not_of("0123456789"), comment.size());
    comment.remove_prefix(digits);
    return digits > 0;
  };
  if (!number() || !comment.starts_with(" of ")) return std::nullopt;
  comment.remove_prefix(4);
  if (!number() || !comment.starts_with(": ")) return std::nullopt;
  return std::string(comment.substr(2));
}

PlayResult play(Reader& reader, jtag::JtagPort& port, const PlayOptions& options, PlayObserver& observer,
                const std::stop_token& stop) {
  return Play(reader, port, options, observer, stop).run();
}

}  // namespace imprimo::svf
