// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QStringList>
#include <map>
#include <optional>
#include <vector>

#include "app/session/bench_session.h"
#include "app/session/file_reading.h"
#include "core/image/look_over.h"

namespace imprimo::app {

class Workbench;

struct StepStatus {
  enum State { Waiting, Running, Done, Broken } state = Waiting;
  std::uint64_t done = 0;
  double waitLeft = 0;  ///< of a step that waits for the target
  double seconds = 0;
};

/// What the one button would do, its plan, and the run that goes on or went before.
class RunModel : public QObject {
  Q_OBJECT
 public:
  explicit RunModel(Workbench& bench);

  const std::vector<Piece>& pieces() const { return wanted_->pieces; }
  const MemoryImage& image() const { return wanted_->image; }
  /// The plan of the run that goes on or went before, or else of the next one.
  const PlanPtr& plan() const { return plan_; }
  /// Why there is no plan; empty when there is one or nothing is asked for.
  QString problem() const { return problem_; }
  const std::vector<StepStatus>& steps() const { return steps_; }
  bool isRunning() const;
  /// The files of what is planned are being read.
  bool isReading() const { return reading_.isReading(); }
  const RecordPtr& record() const { return record_; }

  /// Writes, confirms or stops: whatever the one button says.
  void go();
  QString goText() const;
  bool canGo() const;
  /// All that is planned is on the part already, as far as was read.
  bool nothingToWrite() const;
  void confirmOnly();
  /// The last run was refused for the sake of an earlier one that did not end: again, with what is to become of that.
  void goAgain(plan::Wanted::Earlier earlier);
  /// Runs on the memory that is looked at which did not end, the oldest first, each in a sentence.
  QStringList earlierRuns() const;
  /// Puts back what they left, and nothing else.
  void finishEarlier();

 private:
  friend class Workbench;
  friend class MemoryTasks;
  friend class RunSequence;
  void connectSession();
  void listen();
  void takePlan(const PlanPtr& plan);
  void takeRecord(const RecordPtr& record);
  /// Reads the sheet's files: what is wanted is what they hold now.
  void readFiles();
  void startReading();
  void takeFiles(const plan::WantedPtr& wanted, const std::vector<Finding>& findings, const QString& problem);
  /// Reads the files as they are now, and then does this, unless they cannot be read.
  void readThen(std::function<void()> act);
  void takeEraseList();
  void takeEdits();
  /// `keepPlan`: only more is known; what was planned still holds until the new plan is there.
  void replan(bool keepPlan = false);
  void planDevice();
  void goDevice();
  void goUnit(plan::Wanted::Earlier earlier);
  void compareInBackground();
  void start(plan::WantedPtr wanted);
  /// Lets something go that is no run of a memory.
  void startOther(const std::function<void()>& act);
  void forgetRecord() { record_.reset(); }
  bool planIsSure() const;
  QString eraseText() const;

  Workbench& bench_;
  plan::WantedPtr wanted_ = std::make_shared<plan::Wanted>();
  plan::WantedPtr last_;  // what the last run was asked for
  bool wantedGood_ = false;
  std::shared_ptr<run::ConfigureJob> job_;
  PlanPtr plan_, next_;
  QString problem_;
  std::vector<StepStatus> steps_;
  RecordPtr record_;
  std::map<std::string, QStringList> earlier_;
  std::function<void()> afterReading_;
  FileReading reading_;
};

}  // namespace imprimo::app
