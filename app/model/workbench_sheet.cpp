// SPDX-License-Identifier: GPL-3.0-or-later
//
// Opening and saving the workbench's sheet, and what becomes of changes that are not saved.
#include "app/model/workbench.h"

namespace imprimo::app {
namespace {

QString text(const Error& e) {
  return QString::fromStdString(e.full());
}

}  // namespace

bool Workbench::openSheet(const QString& path) {
  try {
    document_.open(path);
  } catch (const Error& e) {
    emit message(text(e), true);
    return false;
  }
  for (const std::string& warning : document_.sheet().warnings) emit message(QString::fromStdString(warning), false);
  return true;
}

bool Workbench::resume(const std::string& sheetText, const std::filesystem::path& path, const std::string& saved) {
  try {
    document_.resume(sheetText, path, saved);
    return true;
  } catch (const Error& e) {
    emit message(text(e), true);
    return false;
  }
}

/// Says so where another program has the sheet open, since one of them will find the other's changes when it saves.
void Workbench::holdSheet() {
  sheetHolder_.reset();
  const std::filesystem::path& path = document_.sheet().path;
  if (path.empty()) return;
  std::error_code none;
  sheetHolder_ =
      std::make_unique<store::Holder>("sheet " + std::filesystem::weakly_canonical(path, none).string(), "imprimo");
  if (const auto& other = sheetHolder_->other()) {
    emit message(tr("%1 is open in another program too: %2. Save only in one of them.")
                     .arg(QString::fromStdString(path.filename().string()), QString::fromStdString(*other)),
                 true);
  }
}

bool Workbench::saveSheet() {
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
    emit message(text(e), true);
    return false;
  }
  emit message(tr("Saved %1.").arg(QString::fromStdString(document_.sheet().path.filename().string())), false);
  return true;
}

bool Workbench::saveSheetOver() {
  try {
    document_.saveOver();
    emit message(tr("Saved %1.").arg(QString::fromStdString(document_.sheet().path.filename().string())), false);
    return true;
  } catch (const Error& e) {
    emit message(text(e), true);
    return false;
  }
}

void Workbench::setViewHasChanges(bool has) {
  if (has == viewHasChanges_) return;
  viewHasChanges_ = has;
  updateActions();
  emit unsavedChanged();
}

}  // namespace imprimo::app
