// SPDX-License-Identifier: GPL-3.0-or-later
//
// Playing the file, and the file that is about to be written.
#include <QFileInfo>

#include "app/session/help_words.h"
#include "app/vectors/vector_document.h"
#include "core/base/atomic_file.h"
#include "core/bench/probe_pins.h"
#include "core/run/job.h"
#include "core/store/user_library.h"

namespace imprimo::app {

void VectorDocument::makeActions() {
  const auto make = [this](const char* name, const QString& text, const QKeySequence& key, auto&& act) {
    auto* action = new QAction(text, this);
    action->setObjectName(name);
    action->setShortcut(key);
    connect(action, &QAction::triggered, this, act);
    return action;
  };
  playAction = make("playVectors", tr("Play"), QKeySequence(Qt::CTRL | Qt::Key_Return), [this] {
    switch (state_) {
      case PlayState::Playing:
      case PlayState::Paused:
      case PlayState::AtMismatch:
        return stop();
      case PlayState::Ended: {
        const auto safe = safePoint();
        const bool whole = report_ && report_->result.end == svf::PlayResult::End::Whole;
        return play(safe && !whole ? safe->place.offset : 0);
      }
      case PlayState::Nothing:
        return play();
    }
  });
  pauseAction = make("pauseVectors", tr("pause"), QKeySequence(Qt::CTRL | Qt::Key_Period), [this] { pauseOrGoOn(); });
  stopAction = make("stopVectors", tr("stop"), QKeySequence(Qt::SHIFT | Qt::Key_Escape), [this] { stop(); });
  openAction = make("openVectors", tr("Open a file of vectors…"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_O),
                    [this] { emit openRequested(); });
  findAction = make("findVectors", tr("Find…"), QKeySequence::Find, [this] { emit findRequested(); });
  bookmarkAction =
      make("bookmarkVectors", tr("Mark this line"), QKeySequence(Qt::CTRL | Qt::Key_D), [this] { toggleBookmark(); });
  nextBookmarkAction =
      make("nextVectorBookmark", tr("Next marked line"), QKeySequence(Qt::Key_F2), [this] { nextBookmark(); });
  previewAction = make("previewVectors", tr("What the bench plans, as vectors"), {}, [this] { makePreview(); });
}

void VectorDocument::updateActions() {
  const bool busy = state_ == PlayState::Playing || state_ == PlayState::Paused || state_ == PlayState::AtMismatch;
  playAction->setEnabled(busy || canPlay());
  pauseAction->setEnabled(state_ == PlayState::Playing || state_ == PlayState::Paused);
  stopAction->setEnabled(busy);
  for (QAction* action : {findAction, bookmarkAction, nextBookmarkAction}) action->setEnabled(isOpen());
  openAction->setEnabled(!busy);
  previewAction->setEnabled(!busy && bench_.document().isOpen() && !bench_.memory().empty());
}

bool VectorDocument::canPlay() const {
  const std::vector<std::string> pins =
      bench_.link().report() ? bench_.link().report()->probe.pins : std::vector<std::string>();
  return file_ && !preview_ && survey_.whole && bench::missing(survey_, pins) == nullptr && !bench_.run().isRunning() &&
         (bench_.link().state() == LinkState::Connected || bench_.link().state() == LinkState::Mismatch);
}

void VectorDocument::connectSession() {
  BenchSession& session = bench_.session();
  connect(&session, &BenchSession::playAdvanced, this, [this](const svf::Played& played) {
    if (state_ != PlayState::Playing && state_ != PlayState::Paused) return;
    played_ = played;
    setPosition(played.place.offset);
    emit playChanged();
  });
  connect(&session, &BenchSession::playMismatch, this,
          [this](const svf::Mismatch& mismatch, const vectors::MismatchStory& story) {
            if (state_ != PlayState::Playing && state_ != PlayState::Paused) return;
            state_ = PlayState::AtMismatch;
            mismatch_ = mismatch;
            story_ = story;
            setPosition(mismatch.place.offset);
            emit message(tr("Line %1: %2.")
                             .arg(mismatch.place.line)
                             .arg(QString::fromStdString(story.doing.empty() ? mismatch.text() : story.doing)),
                         true);
            emit playChanged();
            updateActions();
          });
  connect(&session, &BenchSession::playFinished, this, [this](const PlayReportPtr& report) {
    state_ = PlayState::Ended;
    report_ = *report;
    played_ = report->result.played;
    if (report->result.first) {
      mismatch_ = report->result.first;
      story_ = report->story;
      setPosition(mismatch_->place.offset);
    } else {
      setPosition(played_.place.offset);
    }
    emit message(QString::fromStdString(report->record.message), !report->record.good());
    emit playChanged();
    updateActions();
  });
  // Whatever ended the link ended the playing too.
  connect(&session, &BenchSession::disconnected, this, [this] {
    if (state_ == PlayState::Playing || state_ == PlayState::Paused || state_ == PlayState::AtMismatch)
      state_ = PlayState::Ended;
    emit playChanged();
    updateActions();
  });
  connect(&bench_, &Workbench::runChanged, this, [this] { updateActions(); });
}

void VectorDocument::play(std::uint64_t from) {
  if (!canPlay()) return;
  mismatch_.reset();
  report_.reset();
  played_ = {};
  playedFrom_ = survey_.timeOf(from);
  control_ = std::make_shared<PlayControl>();
  vectors::PlayWish wish;
  wish.file = file_->path().toStdString();
  wish.from = from;
  wish.fromPause = fromPause_;
  state_ = PlayState::Playing;
  bench_.session().playVectors(control_, wish);
  emit playChanged();
  updateActions();
}

double VectorDocument::playedSeconds() const {
  const double at = survey_.timeOf(played_.place.offset);
  return std::clamp(playedFrom_ + played_.seconds, at, std::max(at, survey_.seconds));
}

void VectorDocument::setFromPause(svf::FromPause way) {
  if (way == fromPause_ || !mayChooseWay()) return;
  fromPause_ = way;
  emit playChanged();
}

void VectorDocument::pauseOrGoOn() {
  if (state_ != PlayState::Playing && state_ != PlayState::Paused) return;
  const bool pause = state_ == PlayState::Playing;
  control_->setPaused(pause);
  state_ = pause ? PlayState::Paused : PlayState::Playing;
  emit playChanged();
  updateActions();
}

void VectorDocument::goOnPast() {
  if (state_ != PlayState::AtMismatch) return;
  state_ = PlayState::Playing;
  mismatch_.reset();
  control_->decide(true);
  emit playChanged();
  updateActions();
}

void VectorDocument::stop() {
  if (state_ == PlayState::AtMismatch) control_->decide(false);
  bench_.session().stop();
}

std::optional<svf::SafePoint> VectorDocument::safePoint() const {
  if (!report_ || report_->result.safe.place.offset == 0) return std::nullopt;
  return report_->result.safe;
}

vectors::VectorWish VectorDocument::wish() const {
  const sheet::Sheet& sheet = bench_.document().sheet();
  vectors::VectorWish wish;
  wish.load = choice_.load;
  wish.writer.hz = choice_.hz != 0 ? choice_.hz : sheet.clockHz.value_or(1'000'000);
  wish.writer.shortDigits = choice_.shortDigits;
  plan::Wanted wanted = run::wantedFor(sheet, bench_.memory(), plan::Task::Program);
  wanted.noVerify = !choice_.verify;
  wish.memories.push_back(std::move(wanted));
  if (choice_.knownContents) wish.contents = bench_.looks().contents();
  return wish;
}

void VectorDocument::setChoice(const ExportChoice& choice) {
  if (choice == choice_) return;
  choice_ = choice;
  if (preview_) makePreview();
}

void VectorDocument::makePreview() {
  if (!bench_.document().isOpen() || bench_.memory().empty()) return;
  // A new name each time: the one that is shown is still mapped.
  const QString path = folder_.filePath(QString("preview-%1.svf").arg(++previews_));
  const auto finder = [](const std::string& entity) { return store::findConfigCard(entity, {}); };
  try {
    AtomicFile file(path.toStdString());
    NoProgress nobody;
    vectors::writeVectors(
        bench_.document().sheet(), wish(), finder, [&](std::string_view text) { file.write(text); }, nobody);
    file.commitSoon();
    auto shown = std::make_shared<VectorFile>(path);
    const QString before = preview_ && file_ ? file_->path() : QString();
    preview_ = true;
    show(std::move(shown));
    if (!before.isEmpty()) QFile::remove(before);
  } catch (const Error& e) {
    emit message(told(e), true);
    emit changed();
  }
}

bool VectorDocument::savePreview(const QString& path) {
  if (!preview_) return false;
  try {
    writeFileAtomically(path.toStdString(), file_->text());
    emit message(tr("Written: %1").arg(QFileInfo(path).fileName()), false);
  } catch (const Error& e) {
    emit message(told(e), true);
    return false;
  }
  return open(path);
}

}  // namespace imprimo::app
