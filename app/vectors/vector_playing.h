// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <memory>
#include <optional>

#include "app/model/workbench.h"
#include "app/session/play_control.h"
#include "core/svf/survey.h"
#include "core/vectors/play.h"

namespace imprimo::app {

class VectorDocument;

enum class PlayState { Nothing, Playing, Paused, AtMismatch, Ended };

/// The file of a document being played on what is connected: where it stands, and what the user can do about it.
class VectorPlaying : public QObject {
  Q_OBJECT
 public:
  VectorPlaying(Workbench& bench, VectorDocument& document);

  PlayState state() const { return state_; }
  /// It is on its way, or waits for a decision.
  bool isBusy() const { return state_ != PlayState::Nothing && state_ != PlayState::Ended; }
  const svf::Played& played() const { return played_; }
  /// Where playing stands in the file's own time; within a long wait too.
  double playedSeconds() const;
  const std::optional<svf::Mismatch>& mismatch() const { return mismatch_; }
  const vectors::MismatchStory& story() const { return story_; }
  const std::optional<vectors::PlayReport>& report() const { return report_; }
  /// Where it can be taken up again; nothing before anything was played.
  std::optional<svf::SafePoint> safePoint() const;

  bool canPlay() const;
  /// How scans go on that begin in the pause state of their own register; of this file, as long as it is open.
  svf::FromPause fromPause() const { return fromPause_; }
  void setFromPause(svf::FromPause way);
  bool mayChooseWay() const { return !isBusy(); }
  void play(std::uint64_t from = 0);
  /// What the one button does: stops, plays, or goes on from where it can be taken up again.
  void playOrStop();
  void pauseOrGoOn();
  void goOnPast();
  void stop();
  /// Another file: nothing of it was played.
  void forget();

 signals:
  void changed();  ///< state, progress, mismatch

 private:
  void finished(const vectors::PlayReport& report);

  Workbench& bench_;
  VectorDocument& document_;
  svf::FromPause fromPause_ = svf::FromPause::Update;
  PlayState state_ = PlayState::Nothing;
  double playedFrom_ = 0;  // seconds
  svf::Played played_;
  std::optional<svf::Mismatch> mismatch_;
  vectors::MismatchStory story_;
  std::optional<vectors::PlayReport> report_;
  std::shared_ptr<PlayControl> control_;
};

}  // namespace imprimo::app
