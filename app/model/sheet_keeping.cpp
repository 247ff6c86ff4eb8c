// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/sheet_keeping.h"

#include "app/session/help_words.h"

namespace imprimo::app {

SheetKeeping::SheetKeeping(SheetDocument& document, QObject* parent) : QObject(parent), document_(document) {
  connect(&document_, &SheetDocument::modifiedChanged, this, &SheetKeeping::unsavedChanged);
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
