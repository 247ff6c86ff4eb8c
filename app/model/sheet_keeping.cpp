// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/sheet_keeping.h"

#include "app/session/help_words.h"
#include "core/base/input_file.h"
#include "core/sheet/sheet_differences.h"

namespace imprimo::app {

SheetKeeping::SheetKeeping(SheetDocument& document, QObject* parent) : QObject(parent), document_(document) {
  connect(&document_, &SheetDocument::modifiedChanged, this, &SheetKeeping::unsavedChanged);
  // An editor writes a file in several steps.
  constexpr int kSettle = 200;
  settle_.setSingleShot(true);
  settle_.setInterval(kSettle);
  connect(&watcher_, &QFileSystemWatcher::fileChanged, &settle_, qOverload<>(&QTimer::start));
  connect(&watcher_, &QFileSystemWatcher::directoryChanged, &settle_, qOverload<>(&QTimer::start));
  connect(&settle_, &QTimer::timeout, this, &SheetKeeping::lookOutside);
}

/// The folder too: many programs put a new file in the place of the old one.
void SheetKeeping::watch() {
  const QStringList old = watcher_.files() + watcher_.directories();
  if (!old.isEmpty()) watcher_.removePaths(old);
  const std::filesystem::path& path = document_.sheet().path;
  if (path.empty()) return;
  watcher_.addPath(QString::fromStdString(path.string()));
  watcher_.addPath(QString::fromStdString(path.parent_path().string()));
}

void SheetKeeping::lookOutside() {
  const std::filesystem::path path = document_.sheet().path;
  if (path.empty()) return;
  watcher_.addPath(QString::fromStdString(path.string()));  // a new file in its place is not watched yet
  std::string text;
  try {
    text = readTextFile(path, kSheetFile);
  } catch (const Error&) {
    return;  // it was taken away; saving writes it again
  }
  const bool decided = text == document_.saved() || text == declined_;
  outside_.clear();
  outsideSheet_.reset();
  if (!decided) {
    for (const std::string& line : sheet::differences(text, sheet::sheetText(document_.sheet())))
      outside_ += QString::fromStdString(line);
    outsideText_ = text;
    try {
      outsideSheet_ = std::make_unique<sheet::Sheet>(sheet::parseSheet(text, path, &document_.sheet()));
      // Only spaces differ, or both were changed alike.
      if (outside_.isEmpty()) document_.takeFile(*outsideSheet_, text);
    } catch (const Error& e) {
      outside_ = QStringList{QString::fromStdString(e.what())};
    }
  }
  emit outsideChanged();
}

void SheetKeeping::takeOutside() {
  if (!outsideSheet_) return;
  const std::unique_ptr<sheet::Sheet> sheet = std::move(outsideSheet_);
  outside_.clear();
  document_.takeFile(*sheet, outsideText_);
  emit message(tr("%1 is what the file has now. Ctrl+Z brings back what was here.")
                   .arg(QString::fromStdString(document_.sheet().path.filename().string())),
               false);
  emit outsideChanged();
}

void SheetKeeping::keepMine() {
  declined_ = outsideText_;
  outside_.clear();
  outsideSheet_.reset();
  emit outsideChanged();
}

bool SheetKeeping::open(const QString& path) {
  try {
    document_.open(path);
  } catch (const Error& e) {
    emit message(told(e), true);
    return false;
  }
  for (const std::string& warning : document_.sheet().warnings) emit message(QString::fromStdString(warning), false);
  return true;
}

bool SheetKeeping::resume(const std::string& sheetText, const std::filesystem::path& path, const std::string& saved) {
  try {
    document_.resume(sheetText, path, saved);
    return true;
  } catch (const Error& e) {
    emit message(told(e), true);
    return false;
  }
}

/// One of two programs with the same sheet will find the other's changes when it saves.
void SheetKeeping::hold() {
  viewHasChanges_ = false;
  holder_.reset();
  outside_.clear();
  outsideSheet_.reset();
  declined_.clear();
  watch();
  emit outsideChanged();
  const std::filesystem::path& path = document_.sheet().path;
  if (path.empty()) return;
  std::error_code none;
  holder_ =
      std::make_unique<store::Holder>("sheet " + std::filesystem::weakly_canonical(path, none).string(), "imprimo");
  if (const auto& other = holder_->other()) {
    emit message(tr("%1 is open in another program too: %2. Save only in one of them.")
                     .arg(QString::fromStdString(path.filename().string()), QString::fromStdString(*other)),
                 true);
  }
}

bool SheetKeeping::save() {
  if (!document_.isOpen()) return false;
  emit saving();
  if (document_.sheet().path.empty()) {
    emit saveAsWanted();
    return !isUnsaved();
  }
  try {
    document_.save();
  } catch (const ChangedMeanwhile& e) {
    QStringList differences;
    for (const std::string& d : e.differences()) differences += QString::fromStdString(d);
    emit saveConflict(differences);
    return !isUnsaved();
  } catch (const Error& e) {
    emit message(told(e), true);
    return false;
  }
  emit message(tr("Saved %1.").arg(QString::fromStdString(document_.sheet().path.filename().string())), false);
  return true;
}

bool SheetKeeping::saveOver() {
  try {
    document_.saveOver();
    emit message(tr("Saved %1.").arg(QString::fromStdString(document_.sheet().path.filename().string())), false);
    return true;
  } catch (const Error& e) {
    emit message(told(e), true);
    return false;
  }
}

void SheetKeeping::setViewHasChanges(bool has) {
  if (has == viewHasChanges_) return;
  viewHasChanges_ = has;
  emit unsavedChanged();
}

}  // namespace imprimo::app
