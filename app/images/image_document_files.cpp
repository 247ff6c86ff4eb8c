// SPDX-License-Identifier: GPL-3.0-or-later
//
// The image's dealings with the disk and the sheet: watching, reading again, comparing, keeping and saving.
#include <QFileInfo>

#include "app/images/image_document.h"
#include "app/session/help_words.h"
#include "core/base/number.h"

namespace imprimo::app {

void ImageDocument::watchFiles() {
  QStringList wanted;
  for (const Placement& p : state_.placements) {
    if (p.pattern) continue;
    wanted += absolute(p.file);
    if (!p.wrapper.empty()) wanted += absolute(p.wrapper);
  }
  const QStringList now = watcher_.files();
  for (const QString& path : now) {
    if (!wanted.contains(path)) watcher_.removePath(path);
  }
  for (const QString& path : wanted) {
    if (!now.contains(path) && QFileInfo::exists(path)) watcher_.addPath(path);
  }
}

void ImageDocument::reread() {
  for (const QString& path : std::exchange(touched_, {})) {
    for (const Placement& p : state_.placements) {
      if (p.pattern || (absolute(p.file) != path && (p.wrapper.empty() || absolute(p.wrapper) != path))) continue;
      sources_.erase(sourceKey(p));
      unreadable_.erase(sourceKey(p));
    }
    emit message(QFileInfo::exists(path)
                     ? tr("Read again, since it changed on disk: %1.").arg(QFileInfo(path).fileName())
                     : tr("Gone from the disk: %1.").arg(QFileInfo(path).fileName()),
                 !QFileInfo::exists(path));
  }
  pristine_ = false;  // nothing that was placed holds any more
  rebuild();
}

void ImageDocument::compareWith(const QString& path) {
  std::error_code none;
  const std::filesystem::path file = path.toStdString();
  const auto size = std::filesystem::file_size(file, none);
  comparing_.read(none ? 0 : size, [this, path, file](const ReadRules& rules) -> std::function<void()> {
    try {
      const MemoryImage image = readImageFile(file, std::nullopt, rules).image;
      return [this, path, image] { takeOther(path, image); };
    } catch (const Error& e) {
      return [this, why = told(e)] { emit message(why, true); };
    } catch (const std::exception& e) {
      return [this, why = QString::fromStdString(e.what())] { emit message(why, true); };
    }
  });
}

void ImageDocument::takeOther(const QString& path, const MemoryImage& image) {
  comparison_.begin(image, QFileInfo(path).fileName());
  comparison_.update(pieces_, state_.fill);
  emit changed();
  const Differences& found = comparison_.differences();
  if (found.bytes == 0) {
    emit message(tr("Compared with %1: the same.").arg(comparison_.name()), false);
  } else {
    emit message(
        tr("Compared with %1: %2 differ.").arg(comparison_.name(), QString::fromStdString(sizeText(found.bytes))),
        true);
    setPosition(found.ranges.front().begin);
  }
}

void ImageDocument::stopComparing() {
  comparison_.end();
  emit changed();
}

bool ImageDocument::keptInSheet() const {
  if (!bench_.document().isOpen() || state_.memory.empty()) return false;
  const sheet::Sheet& sheet = bench_.document().sheet();
  return sheet.placementsIn(state_.memory) == state_.placements && sheet.sumsIn(state_.memory) == state_.sums &&
         sheet.memory(state_.memory).sync == state_.sync;
}

void ImageDocument::keepInSheet() {
  if (state_.memory.empty() || keptInSheet()) return;
  history_.setClean();
  keeping_ = true;  // the sheet's word comes back as a change; what can be undone here stays
  bench_.document().setImage(state_.memory, state_.placements, state_.sums, state_.sync);
  keeping_ = false;
  emit changed();
  emit message(tr("Kept in the sheet; save the sheet to keep it for good."), false);
}

void ImageDocument::keepAll() {
  keeping_ = true;
  for (const auto& [memory, state] : std::exchange(pending_, {}))
    bench_.document().setImage(memory, state.placements, state.sums, state.sync);
  keeping_ = false;
  keepInSheet();
}

bool ImageDocument::canSave() const {
  return !isReading() && !pieces_.empty() && std::none_of(findings_.begin(), findings_.end(), [](const Finding& f) {
    return f.level == Finding::Blocks && f.kind != Finding::Kept;
  });
}

bool ImageDocument::save(const QString& path) {
  try {
    OutputFormat format;
    format.format = state_.format;
    if (state_.format != ImageFormat::Raw) format.addressBits = state_.addressBits;
    format.recordLength = state_.recordLength;
    OutputRange range;
    range.fill = state_.fill;
    if (state_.wholeMemory && state_.size > 0) range.size = state_.size;
    const std::uint64_t bytes = saveImage(combine(pieces_), format, range, path.toStdString());
    savedAs_ = path;
    if (state_.memory.empty()) history_.setClean();
    std::error_code none;
    savedTime_ = std::filesystem::last_write_time(path.toStdString(), none);
    lookAgain();
    emit changed();
    emit message(tr("Saved %1: %2, %3")
                     .arg(QFileInfo(path).fileName(), nameOf(state_.format), QString::fromStdString(sizeText(bytes))),
                 false);
    return true;
  } catch (const Error& e) {
    emit message(told(e), true);
    return false;
  }
}

}  // namespace imprimo::app
