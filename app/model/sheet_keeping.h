// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFileSystemWatcher>
#include <QObject>
#include <QStringList>
#include <QTimer>
#include <filesystem>
#include <memory>

#include "app/model/sheet_document.h"
#include "core/store/holder.h"

namespace imprimo::app {

/// Opening and saving the sheet, and what becomes of changes that are not saved.
class SheetKeeping : public QObject {
  Q_OBJECT
 public:
  explicit SheetKeeping(SheetDocument& document, QObject* parent = nullptr);

  /// Opens a sheet; what cannot be opened is told by message(). True when it was.
  bool open(const QString& path);
  /// Saves what is on screen, in whatever view. False where nothing was saved: told by message(), or asked for by
  /// saveAsWanted() or saveConflict().
  bool save();
  /// Whatever the file holds by now is written over.
  bool saveOver();
  /// The sheet has changes that are in no file, or a view has some for it.
  bool isUnsaved() const { return document_.isModified() || viewHasChanges_; }
  /// A view has, or no longer has, changes that go into the sheet at saving().
  void setViewHasChanges(bool has);
  /// Changes that were kept when the program had to end. True when they are there again.
  bool resume(const std::string& text, const std::filesystem::path& path, const std::string& saved);
  /// Where the file differs from what is here since another program changed it, a line each; empty: nothing is to be
  /// decided.
  const QStringList& outside() const { return outside_; }
  /// What the file holds now is a sheet.
  bool canTakeOutside() const { return outsideSheet_ != nullptr; }
  /// The file's takes the place of what is here, as a step that can be undone.
  void takeOutside();
  /// What is here stays; it is asked about once more when it is saved.
  void keepMine();
  /// Another sheet is open: says so where another program has it open too.
  void hold();

 signals:
  void saving();        ///< the sheet is about to be saved: whoever has something for it puts it there
  void saveAsWanted();  ///< it has no file yet
  void saveConflict(const QStringList& differences);  ///< somebody else changed its file
  void unsavedChanged();
  void message(const QString& text, bool trouble);
  void outsideChanged();

 private:
  void watch();
  void lookOutside();
  SheetDocument& document_;
  bool viewHasChanges_ = false;
  QFileSystemWatcher watcher_;
  QTimer settle_;
  QStringList outside_;
  std::string outsideText_, declined_;
  std::unique_ptr<sheet::Sheet> outsideSheet_;
  std::unique_ptr<store::Holder> holder_;
};

}  // namespace imprimo::app
