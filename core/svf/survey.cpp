// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/svf/survey.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/svf/walk.h"

namespace imprimo::svf {
namespace {

constexpr std::uint64_t kBytesBetweenNews = 8u << 20;
constexpr std::uint64_t kBitsBetweenNews = 1u << 26;  // a short file can have long scans
constexpr std::size_t kMostMarks = 10000, kMostNeeds = 100;

class Surveyor {
 public:
  Surveyor(Reader& reader, double hz, const std::function<bool(const Survey&)>& told, FromPause fromPause)
      : reader_(reader), highest_(hz), hz_(hz), told_(told), walk_(fromPause) {}

  Survey run() {
    reader_.onComment([this](const Comment& comment) { comments_.push_back(comment); });
    try {
      read();
    } catch (const Error& e) {
      s_.problem = e;
    }
    reader_.onComment({});
    s_.end = reader_.place();
    s_.remarks = reader_.remarks();
    return std::move(s_);
  }

 private:
  void read() {
    std::uint64_t news = kBytesBetweenNews;
    Statement statement;
    while (reader_.next(statement)) {
      comments(statement.place.offset);
      row(statement.place);
      take(statement);
      comments_.clear();  // those within it
      if (statement.kind == Statement::Kind::Scan || statement.kind == Statement::Kind::Padding)
        fields_[static_cast<std::size_t>(statement.field)] = statement.place.offset + 1;
      if ((statement.end < news && passed_ < kBitsBetweenNews) || !told_) continue;
      news = statement.end + kBytesBetweenNews;
      passed_ = 0;
      s_.end = reader_.place();
      if (!told_(s_)) return;
    }
    comments(UINT64_MAX);
    s_.whole = true;
  }

  void comments(std::uint64_t before) {
    for (const Comment& c : comments_) {
      if (s_.rows == 0 && c.text.starts_with("Imprimo vectors ")) s_.ours = true;
      if (c.place.offset >= before) break;
      row(c.place);
      if (stepTitle(c.text)) mark({c.place, c.text});
    }
  }

  void row(const Place& place) {
    if (s_.rows++ % Survey::kRowsBetween == 0) s_.index.push_back({place, fields_});
  }

  void mark(SafePoint point) {
    if (s_.marks.size() < kMostMarks) s_.marks.push_back({std::move(point), s_.seconds});
  }

  void need(const Place& place, std::string what, std::string pin) {
    const bool known =
        std::any_of(s_.needs.begin(), s_.needs.end(), [&](const Survey::Need& n) { return n.what == what; });
    if (!known && s_.needs.size() < kMostNeeds) s_.needs.push_back({place, std::move(what), std::move(pin)});
  }

  void take(const Statement& s) {
    const jtag::TapState before = walk_.tap();
    switch (s.kind) {
      case Statement::Kind::EndDr:
      case Statement::Kind::EndIr:
        return walk_.endStates(s);
      case Statement::Kind::Frequency:
        if (s.hz && !s_.hz) s_.hz = s.hz;
        hz_ = s.hz ? std::min(*s.hz, highest_) : highest_;
        return;
      case Statement::Kind::Scan:
        scan(s);
        break;
      case Statement::Kind::RunTest:
        runTest(s);
        break;
      case Statement::Kind::State: {
        const auto way = walk_.path(s);
        if (!way) {
          throw reader_.error(s.place, fmt::format("the path begins with {}, and the TAP is in {}",
                                                   svfName(s.path.front()), svfName(before)));
        }
        move(*way);
        if (walk_.tap() == jtag::TapState::TestLogicReset) mark({s.place, {}});
        break;
      }
      case Statement::Kind::Trst:
        if (s.trst != Trst::On) return;
        move(*walk_.path(Walk::reset()));
        mark({s.place, {}});
        break;
      case Statement::Kind::PioMap:
        pins_ = s.pins;
        return;
      case Statement::Kind::Pio:
        for (std::size_t i = 0; i < pins_.size(); ++i) {
          if (s.levels[i] != 'X') need(s.place, "a pin named " + pins_[i].second, pins_[i].second);
        }
        return;
      case Statement::Kind::Padding:
        paddingCompared_[static_cast<std::size_t>(s.field)] = comparedIn(reader_.value(s.field));
        passed_ += reader_.value(s.field).length;
        return;
    }
  }

  static std::size_t comparedIn(const FieldValue& field) {
    if (!field.tdo) return 0;
    return field.mask.empty() ? field.length : onesIn(field.mask);
  }

  void scan(const Statement& s) {
    const bool instruction = s.field == Field::Sir;
    const PaddedScan scan(reader_.value(instruction ? Field::Hir : Field::Hdr), reader_.value(s.field),
                          reader_.value(instruction ? Field::Tir : Field::Tdr));
    ++(instruction ? s_.irScans : s_.drScans);
    s_.longestScan = std::max<std::uint64_t>(s_.longestScan, scan.size());
    const std::size_t compared = paddingCompared_[static_cast<std::size_t>(instruction ? Field::Hir : Field::Hdr)] +
                                 comparedIn(reader_.value(s.field)) +
                                 paddingCompared_[static_cast<std::size_t>(instruction ? Field::Tir : Field::Tdr)];
    passed_ += reader_.value(s.field).length;
    if (walk_.beginsInPause(s.field) && s_.fromPause++ == 0) s_.firstFromPause = s.place;
    move(walk_.resume(s.field));
    const std::uint64_t clocks = scan.size() + walk_.clocksOf(s.field);
    walk_.scanned(s.field);
    s_.clocks += clocks;
    pass(s.place, static_cast<double>(clocks) / hz_,
         instruction ? &Survey::Stretch::instruction : &Survey::Stretch::data);
    if (compared > 0) {
      ++s_.compares;
      ++s_.stretches.back().compares;
      s_.comparedBits += compared;
    }
  }

  void runTest(const Statement& s) {
    if (s.runTest.systemClock) need(s.place, "a clock SCK", {});
    move(walk_.moveTo(s.runTest.run));
    const RunLength length = lengthOf(s.runTest, hz_);
    const double seconds = static_cast<double>(length.clocks) / hz_ + length.rest;
    ++s_.waits;
    s_.clocks += length.clocks;
    s_.waitSeconds += seconds;
    pass(s.place, seconds, &Survey::Stretch::waiting);
    move(walk_.moveTo(s.runTest.end));
  }

  void move(const std::vector<TmsRun>& runs) {
    for (const TmsRun& run : runs) {
      s_.clocks += run.count;
      s_.seconds += run.count / hz_;
    }
  }

  /// Time goes by with something of one kind.
  void pass(const Place& place, double seconds, float Survey::Stretch::*kind) {
    double left = seconds;
    do {
      auto stretch = static_cast<std::size_t>(s_.seconds / s_.stretchSeconds);
      while (stretch >= Survey::kMostStretches) {
        halve();
        stretch = static_cast<std::size_t>(s_.seconds / s_.stretchSeconds);
      }
      while (s_.stretches.size() <= stretch) s_.stretches.push_back({0, 0, 0, 0, place.offset});
      const double room = static_cast<double>(stretch + 1) * s_.stretchSeconds - s_.seconds;
      // However small the step, it leads on: at least to the next stretch.
      const double some = left < room ? left : std::max(room, s_.stretchSeconds * 1e-9);
      s_.stretches[stretch].*kind += static_cast<float>(std::min(some, left));
      s_.seconds += std::min(some, left);
      left -= some;
    } while (left > 0);
  }

  void halve() {
    std::vector<Survey::Stretch> half((s_.stretches.size() + 1) / 2);
    for (std::size_t i = 0; i < s_.stretches.size(); ++i) {
      Survey::Stretch& to = half[i / 2];
      const Survey::Stretch& from = s_.stretches[i];
      if (i % 2 == 0) to.offset = from.offset;
      to.instruction += from.instruction;
      to.data += from.data;
      to.waiting += from.waiting;
      to.compares += from.compares;
    }
    s_.stretches = std::move(half);
    s_.stretchSeconds *= 2;
  }

  Reader& reader_;
  double highest_, hz_;
  const std::function<bool(const Survey&)>& told_;
  Survey s_;
  Walk walk_;
  std::vector<Comment> comments_;
  std::array<std::uint64_t, kFields> fields_{};
  std::array<std::size_t, kFields> paddingCompared_{};  // bits of headers and trailers that are compared
  std::uint64_t passed_ = 0;                            // bits since the last news
  std::vector<std::pair<PinRole, std::string>> pins_;
};

}  // namespace

double Survey::timeOf(std::uint64_t offset) const {
  const auto behind = std::upper_bound(stretches.begin(), stretches.end(), offset,
                                       [](std::uint64_t at, const Stretch& stretch) { return at < stretch.offset; });
  const auto number = behind - stretches.begin();
  if (number == 0) return 0;
  // Several statements share a stretch: in between as the bytes lie.
  const Stretch& stretch = stretches[static_cast<std::size_t>(number - 1)];
  const std::uint64_t next = behind == stretches.end() ? end.offset : behind->offset;
  const double device = next > stretch.offset ? static_cast<double>(std::min(offset, next) - stretch.offset) /
                                                    static_cast<double>(next - stretch.offset)
                                              : 0;
  // A statement that lasts over several stretches stands in the first of them.
  auto first = number - 1;
  while (first > 0 && stretches[static_cast<std::size_t>(first - 1)].offset == stretch.offset) --first;
  const double from = static_cast<double>(offset == stretch.offset ? first : number - 1) * stretchSeconds;
  return std::min(seconds, from + device * stretchSeconds);
}

std::uint64_t Survey::offsetAt(double at) const {
  if (stretches.empty() || at <= 0) return 0;
  return stretches[std::min(stretches.size() - 1, static_cast<std::size_t>(at / stretchSeconds))].offset;
}

Survey survey(Reader& reader, double hz, const std::function<bool(const Survey&)>& told, FromPause fromPause) {
  return Surveyor(reader, hz, told, fromPause).run();
}

}  // namespace imprimo::svf
