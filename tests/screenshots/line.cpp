// SPDX-License-Identifier: GPL-3.0-or-later
//
// The line after a good and after a failed unit, and eight places at once.
#include <fmt/format.h>

#include "core/base/utc.h"
#include "tests/app/line/line_stage.h"
#include "tests/screenshots/camera.h"

namespace imprimo::test {
namespace {

using Kind = LineAnswer::Kind;

release::LineRules rules() {
  release::LineRules line;
  line.units = 500;
  line.afterGood = "Take the board out, and put the next one in.";
  line.afterFailed = "Put this board into the red tray, then insert the next one.";
  return line;
}

/// A morning's work, as the day book has it.
void addMorning(const LineStage& stage) {
  const release::Release release = release::readRelease(stage.gauge.file(), release::trustedKeys());
  line::DayBook book(line::bookFolder(), release.id);
  const std::string day = utcNow().substr(0, 10);
  for (int i = 0; i < 76; ++i) {
    const bool good = i != 17 && i != 54 && i != 55;
    book.add({fmt::format("{}T06:{:02}:{:02}Z", day, 2 + i / 2, i % 2 * 30), good, false,
              static_cast<std::uint64_t>(i + 1), 3.8, ""});
  }
}

void take(Camera& camera, const char* name, std::size_t places, double faulty,
          const std::function<bool(LineStage&)>& done, const std::function<void(LineStage&)>& before = {}) {
  sim::FixtureModel boards;
  boards.faulty = faulty;
  boards.rest = places == 1 ? 1e9 : 8;
  LineStage stage(places, rules(), boards);
  stage.window->setDark(qEnvironmentVariableIsSet("IMPRIMO_DARK"));
  if (qEnvironmentVariableIsSet("IMPRIMO_LOW")) stage.window->resize(1280, 720);
  addMorning(stage);
  if (before) before(stage);
  stage.ready();
  stage.find<QPushButton>("lineBegin")->click();
  if (!waitUntil([&] { return done(stage); })) throw std::runtime_error(std::string("no ") + name);
  QTest::qWait(150);
  camera.take(name, *stage.window);
}

}  // namespace

void takeLine(const QString& pictures, const QString& demo) {
  Camera camera(pictures, demo);
  const auto is = [](Kind kind) {
    return [kind](LineStage& stage) { return stage.view().cards()[0]->answer().kind == kind; };
  };
  take(camera, "line-failed", 1, 0, is(Kind::Failed), [](LineStage& stage) {
    stage.places.front().server().with([](sim::Bench& b) { b.flash("boot-flash").corruptWritten(5000, 0x10); });
  });
  take(camera, "line-eight", 8, 0.3, [](LineStage& stage) {
    int good = 0, failed = 0, busy = 0;
    for (AnswerCard* card : stage.view().cards()) {
      good += card->answer().kind == Kind::Good ? 1 : 0;
      failed += card->answer().kind == Kind::Failed ? 1 : 0;
      busy += card->answer().kind == Kind::Busy && card->answer().part > 0.2 ? 1 : 0;
    }
    return good >= 2 && failed >= 1 && busy >= 2;
  });
}

}  // namespace imprimo::test
