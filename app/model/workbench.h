// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAction>
#include <QObject>
#include <optional>

#include "app/model/block_looks.h"
#include "app/model/board_needs.h"
#include "app/model/clock_search.h"
#include "app/model/device_work.h"
#include "app/model/library_model.h"
#include "app/model/link_model.h"
#include "app/model/memory_cursor.h"
#include "app/model/memory_tasks.h"
#include "app/model/run_model.h"
#include "app/model/run_sequence.h"
#include "app/model/sheet_document.h"
#include "app/model/sheet_keeping.h"
#include "app/model/unit_model.h"
#include "app/model/way_model.h"
#include "app/model/write_choice.h"
#include "app/session/bench_session.h"
#include "app/session/file_reading.h"
#include "app/session/store_thread.h"

namespace imprimo::app {

/// What the window shows, in one place: the sheet, the bench, what is looked at, its plan and the run, each in a model
/// of its own. Owns the actions; views listen and paint. It has more public functions than others because it is where
/// views find all of these.
class Workbench : public QObject {
  Q_OBJECT
 public:
  explicit Workbench(QObject* parent = nullptr);

  SheetDocument& document() { return document_; }
  const SheetDocument& document() const { return document_; }
  BenchSession& session() { return session_; }
  SheetKeeping& keeping() { return keeping_; }
  LinkModel& link() { return link_; }
  const LinkModel& link() const { return link_; }
  ClockSearch& clock() { return clock_; }
  WriteChoice& choice() { return choice_; }
  RunModel& run() { return run_; }
  MemoryTasks& tasks() { return tasks_; }
  RunSequence& sequence() { return sequence_; }
  UnitModel& units() { return units_; }
  const UnitModel& units() const { return units_; }
  /// Records and numbers.
  StoreThread& store() { return store_; }
  MemoryCursor& cursor() { return cursor_; }
  DeviceWork& device() { return device_; }
  const DeviceWork& device() const { return device_; }
  const BlockLooks& looks() const { return looks_; }
  LibraryModel& library() { return library_; }
  BoardNeeds& needs() { return needs_; }
  WayModel& ways() { return ways_; }

  const std::string& memory() const { return memory_; }
  /// While sheetChanged() tells of the same sheet, whose devices, cores or memories are others.
  bool isRebuilding() const { return rebuilding_; }
  /// Whether the demo's files are beside the program.
  bool canOpenDemo() const { return canOpenDemo_; }
  void setCanOpenDemo(bool can) { canOpenDemo_ = can; }
  void selectMemory(const std::string& name);
  /// A device of the chain is looked at instead of a memory, and what can be done to it is planned.
  void selectDevice(std::size_t position);
  bool atDevice() const { return device_.position() != 0; }
  /// The file that goes into a device itself, which then is looked at.
  void fileForDevice(std::size_t position, const QString& path);

  // Of the memory that is looked at.
  /// What it said itself, or else what card or sheet say.
  std::optional<memory::Geometry> geometry() const;
  const memory::Identity* identity() const { return link_.identity(memory_); }
  /// The registers as they were read last; empty before that.
  const std::vector<std::uint8_t>& registers() const { return link_.registers(memory_); }
  /// The device that has to become a bridge before it can be reached.
  std::optional<std::string> neededBridge() const;
  /// Those without addresses begin at the position, each of `paths` behind the one before it.
  void addFiles(const QStringList& paths);
  void addFile(const QString& path) { addFiles({path}); }
  /// Puts a byte over what the files place; nothing gives back what the files say.
  void typeByte(std::uint64_t address, std::optional<std::uint8_t> byte);
  /// The view shows these bytes: what is not known of them is read, with a little ahead.
  void show(const AddressRange& range);

  QAction *goAction, *confirmAction, *nextDifferenceAction, *backAction, *saveAction, *disconnectAction, *gotoAction,
      *findAction, *bookmarkAction, *reconnectAction, *clockAction, *undoAction, *redoAction, *restartAction,
      *bridgeAction, *unbookmarkAction, *keepAction;

 signals:
  void sheetChanged();     ///< another sheet
  void settingsChanged();  ///< title, clocks, kept ranges and the like of the same sheet
  void linkChanged();
  void clockChanged();   ///< samples, report or the clock itself
  void memoryChanged();  ///< another memory, or another size of it; or a device is looked at, or no longer
  void deviceChanged();  ///< what is done to the device that is looked at, or how it is
  void looksChanged();   ///< blocks look different
  void placementsChanged();
  void planChanged();
  void intentChanged();                                           ///< write or erase, the list, or its choice
  void registersChanged();                                        ///< values, or a problem told by message()
  void runChanged();                                              ///< steps, progress, outcome
  void vectorsWanted();                                           ///< what is planned, as vectors
  void wiresWanted(const QString& memory, std::size_t position);  ///< of a memory behind a device's pins
  void connectRequested();                                        ///< the one button was pressed with no probe
  void exploreRequested(const QString& address);                  ///< a sheet of what is connected to that probe
  void openRequested(const QString& path);
  void demoRequested();
  void earlierChanged();                    ///< what is known of runs that did not end
  void differenceReached(quint64 address);  ///< somebody asked for the next one
  void message(const QString& text, bool trouble);
  /// What was typed makes no sense; told until inputMended().
  void inputRefused(const QString& text);
  void inputMended();

 private:
  friend class RunModel;
  friend class MemoryTasks;
  friend class UnitModel;
  void makeActions();
  void connectModels();
  void connectSession();
  void connectLink();
  void takeSheet();
  /// The same sheet with other devices, cores or memories.
  void takeRebuilt();
  /// All that belonged to the sheet that was there, or to what it said of the hardware.
  void forgetSheet();
  void takeSettings();
  void takeReport();
  void takeIdentity(const std::string& name, const memory::Identity& identity,
                    const std::vector<std::uint8_t>& registers);
  void takeGeometry();
  void takeWanted();
  /// The files were read after all.
  void takeFiles();
  void takeProtection();
  /// The numbers that go in are others.
  void takePlannedUnit();
  void addFile(const QString& path, const std::shared_ptr<std::uint64_t>& at);
  void updateActions();
  void removeBookmarkHere();

  SheetDocument document_;
  BenchSession session_;
  SheetKeeping keeping_{document_};
  LinkModel link_{document_, session_};
  ClockSearch clock_{document_, session_, link_};
  WriteChoice choice_{*this};
  DeviceWork device_{document_};
  LibraryModel library_;
  BoardNeeds needs_{document_, link_, library_};
  WayModel ways_{document_, link_, session_, library_, needs_};
  MemoryCursor cursor_;
  std::string memory_;
  bool rebuilding_ = false, canOpenDemo_ = false;
  BlockLooks looks_;
  std::optional<memory::Identity> shown_;  // whose contents `looks_` has
  FileReading adding_;
  RunModel run_{*this};
  MemoryTasks tasks_{*this};
  RunSequence sequence_{*this};
  StoreThread store_;
  UnitModel units_{*this};
};

}  // namespace imprimo::app
