// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAction>
#include <QObject>
#include <map>
#include <optional>

#include "app/model/block_looks.h"
#include "app/model/device_work.h"
#include "app/model/memory_cursor.h"
#include "app/model/sheet_document.h"
#include "app/session/bench_session.h"
#include "core/store/holder.h"

namespace imprimo::app {

/// What the one button is for.
enum class Intent { Write, Erase };

enum class LinkState { NotConnected, Connecting, Connected, Mismatch };

struct StepStatus {
  enum State { Waiting, Running, Done, Broken } state = Waiting;
  std::uint64_t done = 0;
  double waitLeft = 0;  ///< of a step that waits for the target
  double seconds = 0;
};

/// What the window shows, in one place: the sheet, the bench, the memory that is looked at, its plan and the run. Owns
/// the actions; views listen and paint.
class Workbench : public QObject {
  Q_OBJECT
 public:
  explicit Workbench(QObject* parent = nullptr);

  SheetDocument& document() { return document_; }
  const SheetDocument& document() const { return document_; }
  BenchSession& session() { return session_; }
  MemoryCursor& cursor() { return cursor_; }

  const std::string& memory() const { return memory_; }
  void selectMemory(const std::string& name);
  /// A part of the chain is looked at instead of a memory, and what can be done to it is planned.
  void selectDevice(std::size_t position);
  bool atDevice() const { return device_.position() != 0; }
  DeviceWork& device() { return device_; }
  const DeviceWork& device() const { return device_; }
  /// The file that goes into a part itself, which then is looked at.
  void fileForDevice(std::size_t position, const QString& path);
  /// How a part said it is; null where it was not looked at, or tells nothing.
  const bench::DeviceReport* deviceReport(std::size_t position) const;
  /// The part that has to become a bridge before the memory that is looked at can be reached.
  std::optional<std::string> neededBridge() const;
  void restartBoard();
  /// Loads the bridge that the memory needs, and asks the memory who it is.
  void loadBridge();
  /// The card describes the part from now on: the sheet names it, and the bench is looked at again.
  void useConfigCard(std::size_t position, const QString& file);
  const BlockLooks& looks() const { return looks_; }

  LinkState link() const { return link_; }
  const std::optional<ConnectReport>& report() const { return report_; }
  QString linkProblem() const { return linkProblem_; }
  QString address() const { return address_; }
  /// With `wait`, up to so many seconds until power and chain are there.
  void connectTo(const QString& address, std::optional<std::uint32_t> wait = {});
  void reconnect();
  /// Seconds left while connecting waits for the target; nothing while it does not.
  std::optional<double> waitLeft() const { return waitLeft_; }
  /// A description for a part of the rail; it joins the user's library, and the chain is looked at again.
  bool describeDevice(std::size_t position, const QString& file);

  /// The search for the fastest sound clock: going on, and what it found.
  bool findingClock() const { return findingClock_; }
  const std::vector<probe::ClockSample>& clockSamples() const { return clockSamples_; }
  const std::optional<bench::ClockReport>& clockReport() const { return clockReport_; }
  void findClock();
  void useSuggestedClock();
  /// Opens a sheet; what cannot be opened is told by message(). True when it was.
  bool openSheet(const QString& path);
  /// Saves what is on screen, in whatever view. False where nothing was saved: told by message(), or asked for by
  /// saveAsWanted() or saveConflict().
  bool saveSheet();
  /// Whatever the file holds by now is written over.
  bool saveSheetOver();
  /// The sheet has changes that are in no file, or a view has some for it.
  bool isUnsaved() const { return document_.isModified() || viewHasChanges_; }
  /// A view has, or no longer has, changes that go into the sheet at saving().
  void setViewHasChanges(bool has);
  /// Changes that were kept when the program had to end. True when they are there again.
  bool resume(const std::string& text, const std::filesystem::path& path, const std::string& saved);
  void addFile(const QString& path);

  /// Of the memory that is looked at: what it said itself, or else what card or sheet say.
  std::optional<memory::Geometry> geometry() const;

  /// Writing what the sheet places, or erasing what it lists.
  Intent intent() const { return intent_; }
  void setIntent(Intent intent);
  std::vector<AddressRange> eraseRanges() const;
  /// Adds to the list; throws nothing, what cannot be is told by message().
  void addEraseRange(const AddressRange& range);
  void removeEraseRange(std::size_t index);
  /// Refuse what cannot be written without an erase.
  bool noErase() const { return noErase_; }
  void setNoErase(bool on);
  bool wholeBlocks() const { return wholeBlocks_; }
  /// Erasing leaves what the sheet keeps, instead of being refused.
  bool skipKept() const { return skipKept_; }
  void setSkipKept(bool on);
  /// What shares a block with an erased range goes too.
  void setWholeBlocks(bool on);

  /// Puts a byte over what the files place; nothing gives back what the files say.
  void typeByte(std::uint64_t address, std::optional<std::uint8_t> byte);

  // Other things to do with the memory that is looked at; each is one run.
  void readToFile(const AddressRange& range, const QString& file, bool twice);
  void compareWithFile(const QString& file, std::optional<std::uint64_t> at);
  void lookIfBlank();
  void tryBench(std::optional<AddressRange> scratch);
  void putBack(const run::StoredCopy& copy, bool anyPart);

  /// The card describes the memory from now on: the sheet names it, and the part is asked again.
  void usePartCard(const QString& file);

  const memory::Identity* identity() const;
  /// The registers as they were read last; empty before that.
  const std::vector<std::uint8_t>& registers() const { return registers_; }
  bool canAsk() const { return link_ == LinkState::Connected && !isRunning() && !findingClock_ && !memory_.empty(); }
  /// Where what is planned differs from what was read, in order; at most `most` ranges.
  std::vector<AddressRange> differences(std::size_t most) const;

  const std::vector<Piece>& pieces() const { return wanted_.pieces; }
  /// The plan of the run that goes on or went before, or else of the next one.
  const PlanPtr& plan() const { return plan_; }
  /// Why there is no plan; empty when there is one or nothing is asked for.
  QString problem() const { return problem_; }
  const std::vector<StepStatus>& steps() const { return steps_; }
  bool isRunning() const { return session_.isBusy(); }
  const RecordPtr& record() const { return record_; }

  /// Writes, confirms or stops: whatever the one button says.
  void go();
  QString goText() const;
  bool canGo() const;
  /// All that is planned is on the part already, as far as was read.
  bool nothingToWrite() const;
  bool planIsSure() const;
  void confirmOnly();
  /// The last run was refused for the sake of an earlier one that did not end: again, with what is to become of that.
  void goAgain(plan::Wanted::Earlier earlier);
  /// Runs on the memory that is looked at which did not end, the oldest first, each in a sentence.
  QStringList earlierRuns() const;
  /// Puts back what they left, and nothing else.
  void finishEarlier();
  void jumpToNextDifference();
  /// The view shows these bytes: what is not known of them is read, with a little ahead.
  void show(const AddressRange& range);

  QAction *goAction, *confirmAction, *nextDifferenceAction, *backAction, *saveAction, *disconnectAction, *gotoAction,
      *findAction, *bookmarkAction, *reconnectAction, *clockAction, *undoEditAction, *restartAction, *bridgeAction;

 signals:
  void sheetChanged();  ///< another sheet
  void linkChanged();
  void clockChanged();   ///< samples, report or the clock itself
  void memoryChanged();  ///< another memory, or another size of it; or a part is looked at, or no longer
  void deviceChanged();  ///< what is done to the part that is looked at, or how it is
  void looksChanged();   ///< blocks look different
  void placementsChanged();
  void planChanged();
  void intentChanged();     ///< write or erase, the list, or its choice
  void registersChanged();  ///< values, or a problem told by message()
  void runChanged();        ///< steps, progress, outcome
  void vectorsWanted();     ///< what is planned, as vectors
  void connectRequested();  ///< the one button was pressed with no probe
  void saving();            ///< the sheet is about to be saved: whoever has something for it puts it there
  void saveAsWanted();      ///< it has no file yet
  void saveConflict(const QStringList& differences);  ///< somebody else changed its file
  void unsavedChanged();
  void earlierChanged();  ///< what is known of runs that did not end
  void message(const QString& text, bool trouble);

 private:
  void connectDevices();
  void planDevice();
  void goDevice();
  void takeDevices(const run::Record& record);
  void takeIdentity(const std::string& name, const memory::Identity& identity,
                    const std::vector<std::uint8_t>& registers);
  void makeActions();
  void connectSession();
  void readFiles();
  void holdSheet();
  /// `keepPlan`: only more is known; what was planned still holds until the new plan is there.
  void replan(bool keepPlan = false);
  void takeGeometry();
  void compareInBackground();
  void applyReport(const ConnectReport& report);
  void startRun(const plan::Wanted& wanted);
  /// Runs something else than the one button would; what is planned stays as it is.
  void runAside(plan::Wanted wanted);
  void takeWanted();
  void takeEraseList();
  void takeEdits();
  void takeProtection();
  void keepReadBytes(const run::Record& record);
  plan::Wanted wantedHere(plan::Task task) const;
  void updateActions();
  QString eraseText() const;

  SheetDocument document_;
  BenchSession session_;
  DeviceWork device_{document_};
  std::shared_ptr<run::ConfigureJob> job_;
  MemoryCursor cursor_;
  std::string memory_;
  BlockLooks looks_;
  std::optional<memory::Identity> shown_;  // whose contents `looks_` has
  LinkState link_ = LinkState::NotConnected;
  std::optional<ConnectReport> report_;
  QString linkProblem_, address_;
  std::optional<double> waitLeft_;
  bool findingClock_ = false;
  std::vector<probe::ClockSample> clockSamples_;
  std::optional<bench::ClockReport> clockReport_;
  Intent intent_ = Intent::Write;
  bool wholeBlocks_ = false, skipKept_ = false, noErase_ = false;
  bool viewHasChanges_ = false;
  std::map<std::string, QStringList> earlier_;
  std::unique_ptr<store::Holder> sheetHolder_;
  QString readInto_;
  AddressRange readRange_;
  std::vector<std::uint8_t> registers_;
  plan::Wanted wanted_;
  plan::Wanted last_;  // what the last run was asked for
  bool wantedGood_ = false;
  PlanPtr plan_, next_;
  QString problem_;
  std::vector<StepStatus> steps_;
  RecordPtr record_;
};

}  // namespace imprimo::app
