// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QString>
#include <functional>
#include <map>

#include "app/model/sheet_history.h"
#include "core/jtag/examine.h"
#include "core/sheet/pin_route.h"
#include "core/sheet/sheet.h"
#include "core/sheet/sheet_changes.h"

namespace imprimo::app {

/// The sheet's file is not what it was when it was read or saved here last.
class ChangedMeanwhile : public Error {
 public:
  explicit ChangedMeanwhile(const std::string& file, std::vector<std::string> differences)
      : Error(ErrorKind::CannotWrite, file + " was changed by another program since it was opened here",
              "Nothing was written."),
        differences_(std::move(differences)) {}
  const std::vector<std::string>& differences() const { return differences_; }

 private:
  std::vector<std::string> differences_;
};

/// The open job sheet, its history, and whether it has changes that are not saved. Errors are thrown to whoever asked;
/// then nothing was changed. Each change is one step that can be undone.
class SheetDocument : public QObject {
  Q_OBJECT
 public:
  using QObject::QObject;

  bool isOpen() const { return open_; }
  bool isModified() const { return modified_; }
  /// It has no file yet.
  bool isNew() const { return open_ && sheet_.path.empty(); }
  const sheet::Sheet& sheet() const { return sheet_; }

  /// Throws BadFile; then the sheet that was open stays open.
  void open(const QString& path);
  void start(sheet::Sheet sheet);
  /// Changes that were kept when the program had to end, as they were; `saved` is what their file held then. Throws
  /// BadFile.
  void resume(const std::string& text, const std::filesystem::path& path, const std::string& saved);
  /// Throws CannotWrite, and ChangedMeanwhile where somebody else changed the file; then it is as it was.
  void save();
  /// Whatever the file holds by now is written over. Throws CannotWrite.
  void saveOver();
  /// The file as it was read or saved last.
  const std::string& saved() const { return saved_; }
  void saveAs(const QString& path);

  /// Changes anything, by its place in the file. `what` it is, for the menu: "name of correlator". Throws BadFile where
  /// the sheet would be none: BadValue or BadReference where that is one value.
  void change(const QString& what, const std::function<void(sheet::SheetJson&)>& make);
  /// The same, by a sheet that was made of this one.
  void replace(const QString& what, sheet::Sheet next);
  /// What the file holds by now, which somebody else wrote, takes the place of what is here: one step, and saved.
  void takeFile(sheet::Sheet next, const std::string& text);
  /// What the next undo takes back, and redo makes again; empty where there is nothing.
  QString undoText() const { return history_.undoText(); }
  QString redoText() const { return history_.redoText(); }
  void undo();
  void redo();

  /// Gives devices descriptions, by position; one that was numbered gets its description's name. Lengths that are
  /// guesses are made to fit again, `chain` being what was found. Throws BadFile, ChainMismatch.
  void describeDevices(const std::vector<std::pair<std::size_t, std::filesystem::path>>& files,
                       const jtag::FoundChain* chain = nullptr);
  /// The clock for the chain, and for memories that bear less.
  void setClock(std::uint32_t hz, const std::map<std::string, std::uint32_t>& memories);
  /// `wrapper`: the card that takes it apart; empty: none.
  void addFile(const std::string& memory, const QString& path, std::optional<std::uint64_t> at,
               const QString& wrapper = {});
  void setPlacement(std::size_t index, const Placement& placement);
  /// All that is placed in a memory at once.
  void setImage(const std::string& memory, const std::vector<Placement>& placements,
                const std::vector<SumPlacement>& sums, const Bytes& sync);
  /// The file that goes into a part itself; an empty path: none.
  void setConfiguration(const std::string& device, const QString& path);
  void setConfigurationReversed(const std::string& device, bool reversed);
  /// The configuration card of a part, as a path.
  void setConfigCard(std::size_t position, const QString& path);
  void removePlacement(std::size_t index);
  void movePlacement(std::size_t from, std::size_t to);
  /// Puts a byte over what the files place; nothing takes it away again.
  void typeByte(const std::string& memory, std::uint64_t address, std::optional<std::uint8_t> byte);
  void removeEdits(const std::string& memory);
  /// The list of what is erased in a memory.
  void setEraseList(const std::string& memory, const std::vector<AddressRange>& ranges);
  /// The part card of a memory, as a path.
  void setPartCard(const std::string& memory, const QString& path);
  /// What a core's configuration words should hold.
  void setCoreWords(const std::string& core, const std::vector<sheet::WordWish>& words);
  /// A memory behind pins: a new one, or another way to one that there is. Throws Usage, BadFile.
  void setPinRoute(const std::string& memory, const sheet::PinRoute& route);
  /// What a port is on this board; without a name and a level it is nothing any more.
  void setPinLabel(const sheet::PinLabel& label);
  void addBookmark(const sheet::Bookmark& bookmark);
  void removeBookmark(std::size_t index);
  /// What an identification found is kept with the sheet when it is saved; it is no change by itself.
  void setLastSeen(const std::string& memory, const std::string& cardText);

 signals:
  void opened();
  void placementsChanged();
  void bookmarksChanged();
  void editsChanged();
  void eraseListChanged();
  void pinLabelsChanged();
  void settingsChanged();  ///< title, clocks, kept ranges and what else plans and records depend on
  void rebuilt();          ///< devices, cores or memories are others: it is to be connected to anew
  void modifiedChanged();
  void historyChanged();

 private:
  /// Makes one step of the history.
  void step(const QString& what, const std::function<void(sheet::Sheet&)>& make);
  void take(sheet::Sheet next);
  void tellOf(const sheet::Sheet& before);
  void setModified(bool modified);
  QString relative(const QString& path) const;

  bool open_ = false;
  bool modified_ = false;
  std::string saved_;
  SheetHistory history_;
  sheet::Sheet sheet_;
};

}  // namespace imprimo::app
