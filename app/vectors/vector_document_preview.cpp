// SPDX-License-Identifier: GPL-3.0-or-later
//
// Actions, and the file that is about to be written.
#include <QFileInfo>

#include "app/session/help_words.h"
#include "app/vectors/vector_document.h"
#include "core/base/atomic_file.h"
#include "core/run/job.h"
#include "core/store/user_library.h"

namespace imprimo::app {

void VectorDocument::makeActions() {
  const auto make = [this](const char* name, const QString& text, const QKeySequence& key, auto&& act) {
    auto* action = new QAction(text, this);
    action->setObjectName(name);
    action->setShortcut(key);
    connect(action, &QAction::triggered, this, act);
    return action;
  };
  playAction =
      make("playVectors", tr("Play"), QKeySequence(Qt::CTRL | Qt::Key_Return), [this] { playing_.playOrStop(); });
  pauseAction =
      make("pauseVectors", tr("pause"), QKeySequence(Qt::CTRL | Qt::Key_Period), [this] { playing_.pauseOrGoOn(); });
  stopAction = make("stopVectors", tr("stop"), QKeySequence(Qt::SHIFT | Qt::Key_Escape), [this] { playing_.stop(); });
  openAction = make("openVectors", tr("Open a file of vectors…"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_O),
                    [this] { emit openRequested(); });
  findAction = make("findVectors", tr("Find…"), QKeySequence::Find, [this] { emit findRequested(); });
  bookmarkAction =
      make("bookmarkVectors", tr("Mark this line"), QKeySequence(Qt::CTRL | Qt::Key_D), [this] { toggleBookmark(); });
  nextBookmarkAction =
      make("nextVectorBookmark", tr("Next marked line"), QKeySequence(Qt::Key_F2), [this] { nextBookmark(); });
  previewAction = make("previewVectors", tr("What the bench plans, as vectors"), {}, [this] { makePreview(); });
}

void VectorDocument::updateActions() {
  const bool busy = playing_.isBusy();
  playAction->setEnabled(busy || playing_.canPlay());
  pauseAction->setEnabled(busy && playing_.state() != PlayState::AtMismatch);
  stopAction->setEnabled(busy);
  for (QAction* action : {findAction, bookmarkAction, nextBookmarkAction}) action->setEnabled(isOpen());
  openAction->setEnabled(!busy);
  previewAction->setEnabled(!busy && bench_.document().isOpen() && !bench_.memory().empty());
}

vectors::VectorWish VectorDocument::wish() const {
  const sheet::Sheet& sheet = bench_.document().sheet();
  vectors::VectorWish wish;
  wish.load = choice_.load;
  wish.writer.hz = choice_.hz != 0 ? choice_.hz : sheet.clockHz.value_or(1'000'000);
  wish.writer.shortDigits = choice_.shortDigits;
  plan::Wanted wanted = run::wantedFor(sheet, bench_.memory(), plan::Task::Program);
  wanted.noVerify = !choice_.verify;
  wish.memories.push_back(std::move(wanted));
  if (choice_.knownContents) wish.contents = bench_.looks().contents();
  return wish;
}

void VectorDocument::setChoice(const ExportChoice& choice) {
  if (choice == choice_) return;
  choice_ = choice;
  if (preview_) makePreview();
}

void VectorDocument::makePreview() {
  if (!bench_.document().isOpen() || bench_.memory().empty()) return;
  // A new name each time: the one that is shown is still mapped.
  const QString path = folder_.filePath(QString("preview-%1.svf").arg(++previews_));
  const auto finder = [](const std::string& entity) { return store::findConfigCard(entity, {}); };
  try {
    AtomicFile file(path.toStdString());
    NoProgress nobody;
    vectors::writeVectors(
        bench_.document().sheet(), wish(), finder, [&](std::string_view text) { file.write(text); }, nobody);
    file.commitSoon();
    auto shown = std::make_shared<VectorFile>(path);
    const QString before = preview_ && file_ ? file_->path() : QString();
    preview_ = true;
    show(std::move(shown));
    if (!before.isEmpty()) QFile::remove(before);
  } catch (const Error& e) {
    emit message(told(e), true);
    emit changed();
  }
}

bool VectorDocument::savePreview(const QString& path) {
  if (!preview_) return false;
  try {
    writeFileAtomically(path.toStdString(), file_->text());
    emit message(tr("Written: %1").arg(QFileInfo(path).fileName()), false);
  } catch (const Error& e) {
    emit message(told(e), true);
    return false;
  }
  return open(path);
}

}  // namespace imprimo::app
