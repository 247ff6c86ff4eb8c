// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/vectors/vector_playing.h"

#include "app/vectors/vector_document.h"
#include "core/bench/pins/probe_pins.h"

namespace imprimo::app {

VectorPlaying::VectorPlaying(Workbench& bench, VectorDocument& document) : bench_(bench), document_(document) {
  BenchSession& session = bench_.session();
  connect(&session, &BenchSession::playAdvanced, this, [this](const svf::Played& played) {
    if (state_ != PlayState::Playing && state_ != PlayState::Paused) return;
    played_ = played;
    document_.setPosition(played.place.offset);
    emit changed();
  });
  connect(&session, &BenchSession::playMismatch, this,
          [this](const svf::Mismatch& mismatch, const vectors::MismatchStory& story) {
            if (state_ != PlayState::Playing && state_ != PlayState::Paused) return;
            state_ = PlayState::AtMismatch;
            mismatch_ = mismatch;
            story_ = story;
            document_.setPosition(mismatch.place.offset);
            emit document_.message(
                tr("Line %1: %2.")
                    .arg(mismatch.place.line)
                    .arg(QString::fromStdString(story.doing.empty() ? mismatch.text() : story.doing)),
                true);
            emit changed();
          });
  connect(&session, &BenchSession::playFinished, this, [this](const PlayReportPtr& report) { finished(*report); });
  // Whatever ended the link ended the playing too.
  connect(&session, &BenchSession::disconnected, this, [this] {
    if (isBusy()) state_ = PlayState::Ended;
    emit changed();
  });
}

void VectorPlaying::finished(const vectors::PlayReport& report) {
  state_ = PlayState::Ended;
  report_ = report;
  played_ = report.result.played;
  if (report.result.first) {
    mismatch_ = report.result.first;
    story_ = report.story;
    document_.setPosition(mismatch_->place.offset);
  } else {
    document_.setPosition(played_.place.offset);
  }
  emit document_.message(QString::fromStdString(report.record.message), !report.record.good());
  emit changed();
}

bool VectorPlaying::canPlay() const {
  const std::vector<std::string> pins =
      bench_.link().report() ? bench_.link().report()->probe.pins : std::vector<std::string>();
  return document_.isOpen() && !document_.isPreview() && document_.survey().whole &&
         bench::missing(document_.survey(), pins) == nullptr && !bench_.run().isRunning() &&
         (bench_.link().state() == LinkState::Connected || bench_.link().state() == LinkState::Mismatch);
}

void VectorPlaying::play(std::uint64_t from) {
  if (!canPlay()) return;
  mismatch_.reset();
  report_.reset();
  played_ = {};
  playedFrom_ = document_.survey().timeOf(from);
  control_ = std::make_shared<PlayControl>();
  vectors::PlayWish wish;
  wish.file = document_.file()->path().toStdString();
  wish.from = from;
  wish.fromPause = fromPause_;
  state_ = PlayState::Playing;
  bench_.session().playVectors(control_, wish);
  emit changed();
}

void VectorPlaying::playOrStop() {
  if (isBusy()) return stop();
  const auto safe = safePoint();
  const bool whole = report_ && report_->result.end == svf::PlayResult::End::Whole;
  play(state_ == PlayState::Ended && safe && !whole ? safe->place.offset : 0);
}

double VectorPlaying::playedSeconds() const {
  const svf::Survey& survey = document_.survey();
  const double at = survey.timeOf(played_.place.offset);
  return std::clamp(playedFrom_ + played_.seconds, at, std::max(at, survey.seconds));
}

void VectorPlaying::setFromPause(svf::FromPause way) {
  if (way == fromPause_ || !mayChooseWay()) return;
  fromPause_ = way;
  emit changed();
}

void VectorPlaying::pauseOrGoOn() {
  if (state_ != PlayState::Playing && state_ != PlayState::Paused) return;
  const bool pause = state_ == PlayState::Playing;
  control_->setPaused(pause);
  state_ = pause ? PlayState::Paused : PlayState::Playing;
  emit changed();
}

void VectorPlaying::goOnPast() {
  if (state_ != PlayState::AtMismatch) return;
  state_ = PlayState::Playing;
  mismatch_.reset();
  control_->decide(true);
  emit changed();
}

void VectorPlaying::stop() {
  if (state_ == PlayState::AtMismatch) control_->decide(false);
  bench_.session().stop();
}

void VectorPlaying::forget() {
  fromPause_ = svf::FromPause::Update;
  state_ = PlayState::Nothing;
  mismatch_.reset();
  report_.reset();
  played_ = {};
}

std::optional<svf::SafePoint> VectorPlaying::safePoint() const {
  if (!report_ || report_->result.safe.place.offset == 0) return std::nullopt;
  return report_->result.safe;
}

}  // namespace imprimo::app
