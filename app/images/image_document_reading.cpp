// SPDX-License-Identifier: GPL-3.0-or-later
//
// The files of an image, which are read beside the window.
#include <algorithm>
#include <filesystem>

#include "app/images/image_document.h"
#include "app/session/help_words.h"
#include "core/base/number.h"
#include "core/image/shared_source.h"

namespace imprimo::app {

void ImageDocument::fetchSources() {
  std::map<std::string, Placement> missing;
  std::uint64_t bytes = 0;
  for (const Placement& p : state_.placements) {
    const std::string key = sourceKey(p);
    if (sources_.contains(key) || unreadable_.contains(key) || !missing.try_emplace(key, p).second) continue;
    std::error_code none;
    const auto size = std::filesystem::file_size(folder() / p.file, none);
    if (!none) bytes += size;
  }
  // A large file that is taken out gives its memory back; whoever undoes that has it read again.
  constexpr std::uint64_t kLarge = std::uint64_t{8} << 20;
  std::erase_if(sources_, [&](const auto& known) {
    const auto used = [&](const Placement& p) { return sourceKey(p) == known.first; };
    return known.second->file.image.byteCount() > kLarge &&
           std::none_of(state_.placements.begin(), state_.placements.end(), used);
  });
  std::set<std::string> keys;
  for (const auto& [key, placement] : missing) keys.insert(key);
  if (keys.empty()) reading_.cancel();
  if (keys.empty() || (reading_.isReading() && keys == beingRead_)) return;
  beingRead_ = keys;
  reading_.read(bytes, [this, missing, where = folder()](const ReadRules& rules) {
    std::map<std::string, std::shared_ptr<const SourceFile>> sources;
    std::map<std::string, QString> unreadable;
    for (const auto& [key, placement] : missing) {
      try {
        sources[key] = sharedSource(placement, where, rules);
      } catch (const Error& e) {
        unreadable[key] = told(e);
      } catch (const std::exception& e) {
        unreadable[key] = QString::fromStdString(e.what());
      }
    }
    return [this, sources, unreadable] {
      for (const auto& [key, source] : sources) sources_[key] = source;
      for (const auto& [key, why] : unreadable) unreadable_[key] = why;
    };
  });
}

void ImageDocument::stopReading() {
  if (!reading_.isReading()) return;
  reading_.cancel();
  for (const std::string& key : beingRead_)
    unreadable_[key] = tr("Reading was stopped. Take it out and add it again to read it.");
  rebuild();
}

void ImageDocument::addFile(const QString& path) {
  Placement placement;
  placement.file = relative(path).toStdString();
  addPlacement(placement);
}

void ImageDocument::addPlacement(Placement placement) {
  placement.memory = state_.memory;
  std::error_code none;
  const auto size = std::filesystem::file_size(folder() / placement.file, none);
  adding_.add(none ? 0 : size, [this, placement, where = folder()](const ReadRules& rules) -> std::function<void()> {
    try {
      auto source = std::make_shared<const SourceFile>(readSource(placement, where, rules));
      return [this, placement, source] {
        sources_[sourceKey(placement)] = source;
        addRead(placement, source->file.hasAddresses);
      };
    } catch (const Error& e) {
      return [this, why = told(e)] { emit message(why, true); };
    } catch (const std::exception& e) {
      return [this, why = QString::fromStdString(e.what())] { emit message(why, true); };
    }
  });
}

void ImageDocument::addRead(Placement placement, bool hasAddresses) {
  if (!hasAddresses && !placement.at && !placement.after) {
    // The next free block: it can be seen there, and dragged or typed to where it belongs.
    std::uint64_t end = 0;
    for (const Piece& piece : pieces_) end = std::max(end, piece.image.extent().end);
    const std::uint64_t step = std::max<std::uint64_t>(state_.block, 0x1000);
    placement.at = (end + step - 1) / step * step;
    emit message(
        tr("Added %1 at %2, after the others: it has no addresses of its own.")
            .arg(QString::fromStdString(shortName(placement)), QString::fromStdString(hexAddress(*placement.at))),
        false);
  }
  ImageState next = state_;
  next.placements.push_back(placement);
  change(tr("Add %1").arg(QString::fromStdString(shortName(placement))), next);
  select(state_.placements.size() - 1);
}

}  // namespace imprimo::app
