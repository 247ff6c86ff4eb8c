// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/images/image_document.h"

#include <fmt/format.h>

#include <QDir>
#include <QFileInfo>
#include <QUndoCommand>

#include "app/session/help_words.h"
#include "core/base/number.h"
#include "core/bench/bench.h"
#include "core/bench/memory_kinds.h"

namespace imprimo::app {
namespace {

/// Writers replace a file in several steps; it is read when they are done.
constexpr int kSettleMs = 200;

}  // namespace

/// A step from one state to another.
class ImageChange : public QUndoCommand {
 public:
  ImageChange(ImageDocument& document, const QString& what, ImageState before, ImageState after, int merge)
      : QUndoCommand(what), document_(document), before_(std::move(before)), after_(std::move(after)), merge_(merge) {}
  void undo() override { document_.apply(before_); }
  void redo() override { document_.apply(after_); }
  int id() const override { return merge_ == 0 ? -1 : merge_; }
  bool mergeWith(const QUndoCommand* other) override {
    after_ = static_cast<const ImageChange*>(other)->after_;
    return true;
  }

 private:
  ImageDocument& document_;
  ImageState before_, after_;
  int merge_;
};

ImageDocument::ImageDocument(Workbench& bench, QObject* parent) : QObject(parent), bench_(bench) {
  settle_.setSingleShot(true);
  settle_.setInterval(kSettleMs);
  connect(&settle_, &QTimer::timeout, this, &ImageDocument::reread);
  connect(&reading_, &FileReading::progressed, this, &ImageDocument::readingProgressed);
  connect(&reading_, &FileReading::taken, this, &ImageDocument::rebuild);
  connect(&watcher_, &QFileSystemWatcher::fileChanged, this, [this](const QString& path) {
    if (!touched_.contains(path)) touched_ += path;
    settle_.start();
  });
  connect(&bench_, &Workbench::sheetChanged, this, [this] {
    const auto& memories = bench_.document().sheet().memories;
    // What was decided here stays, where its memory does.
    if (bench_.isRebuilding() && std::any_of(memories.begin(), memories.end(),
                                             [&](const sheet::MemoryEntry& m) { return m.name == state_.memory; }))
      return;
    pending_.clear();
    state_ = {};
    state_.memory = bench_.memory();
    savedAs_.clear();
    savedTime_.reset();
    comparison_.end();
    takeSheet();
  });
  connect(&bench_, &Workbench::memoryChanged, this, [this] {
    // The part said how large it is.
    if (state_.memory.empty() || state_.memory != bench_.memory() || !bench_.geometry()) return;
    state_.size = bench_.geometry()->size;
    state_.block = bench_.geometry()->blockSize();
    rebuild();
  });
  connect(&bench_.document(), &SheetDocument::placementsChanged, this, [this] {
    // Changed on the bench. What was decided here and not yet kept in the sheet stays, and can be kept or undone.
    if (!state_.memory.empty() && !keeping_ && history_.isClean()) takeSheet();
  });
}

std::string ImageDocument::sourceKey(const Placement& p) {
  if (p.pattern) return fmt::format("pattern:{}", patternText(*p.pattern));
  return fmt::format("{}\n{}\n{}", p.file, p.wrapper, p.format ? shortNameOf(*p.format) : "");
}

std::filesystem::path ImageDocument::folder() const {
  return bench_.document().isOpen() ? bench_.document().sheet().folder() : std::filesystem::path();
}

QString ImageDocument::absolute(const std::string& file) const {
  return QFileInfo(QString::fromStdString((folder() / file).string())).absoluteFilePath();
}

QString ImageDocument::relative(const QString& path) const {
  QString whole = QFileInfo(path).absoluteFilePath();
  if (folder().empty()) return whole;
  const QString inside = QDir(QString::fromStdString(folder().string())).relativeFilePath(whole);
  return inside.startsWith("..") ? whole : inside;
}

void ImageDocument::takeSheet() {
  history_.clear();
  sources_.clear();
  unreadable_.clear();
  pristine_ = false;
  selected_.reset();
  position_ = 0;
  apply(asInSheet(state_.memory));
  select(state_.placements.empty() ? std::nullopt : std::optional<std::size_t>{0});
}

ImageState ImageDocument::asInSheet(const std::string& memory) {
  ImageState next;
  next.memory = memory;
  const SheetDocument& document = bench_.document();
  if (document.isOpen() && !next.memory.empty()) {
    next.placements = document.sheet().placementsIn(next.memory);
    next.sums = document.sheet().sumsIn(next.memory);
    next.sync = document.sheet().memory(next.memory).sync;
    try {
      auto geometry = next.memory == bench_.memory() ? bench_.geometry() : std::nullopt;
      if (!geometry) geometry = bench::geometryOnPaper(document.sheet(), next.memory);
      if (geometry) {
        next.size = geometry->size;
        next.block = geometry->blockSize();
      }
    } catch (const Error& e) {
      emit message(told(e), true);
    }
  } else {
    next.memory.clear();
  }
  return next;
}

void ImageDocument::setMemory(const std::string& name) {
  // A step like any other: what was there and not kept comes back by undoing it.
  const auto before = pending_.find(name);
  change(tr("For another memory"), before != pending_.end() ? before->second : asInSheet(name));
  history_.setClean();
  select(state_.placements.empty() ? std::nullopt : std::optional<std::size_t>{0});
}

void ImageDocument::change(const QString& what, ImageState next, int merge) {
  if (next == state_) return;
  history_.push(new ImageChange(*this, what, state_, std::move(next), merge));
}

void ImageDocument::apply(const ImageState& state) {
  if (state.memory != state_.memory && !state_.memory.empty() && !keptInSheet()) pending_[state_.memory] = state_;
  pending_.erase(state.memory);
  state_ = state;
  if (selected_ && *selected_ >= state_.placements.size()) selected_.reset();
  rebuild();
}

PlacedFile ImageDocument::placed(std::size_t index, const LayoutRules& rules) {
  const Placement& placement = state_.placements[index];
  PlacedFile file;
  const std::string key = sourceKey(placement);
  if (const auto known = sources_.find(key); known != sources_.end()) {
    file.source = known->second;
    try {
      pieces_.push_back(place(file.source, placement, rules));
      pieceFiles_.push_back(index);
    } catch (const Error& e) {
      file.problem = told(e);
    }
  } else if (const auto why = unreadable_.find(key); why != unreadable_.end()) {
    file.problem = why->second;
  } else {
    file.isRead = false;
  }
  return file;
}

void ImageDocument::rebuild() {
  fetchSources();
  LayoutRules rules;
  if (state_.block > 0) rules.block = state_.block;
  rules.fill = state_.fill;
  const bool reusable = pristine_ && builtRules_.block == rules.block && builtRules_.fill == rules.fill;
  files_.clear();
  const std::vector<Placement> built = std::exchange(built_, state_.placements);
  std::vector<Piece> old = std::exchange(pieces_, {});
  const std::vector<std::size_t> oldFiles = std::exchange(pieceFiles_, {});
  builtRules_ = rules;
  // What did not change is taken over as it is: moving one piece of a large image stays quick.
  const auto unchanged = [&](const Placement& p) -> Piece* {
    if (!reusable || p.after || (!p.at && p.align)) return nullptr;
    for (std::size_t i = 0; i < oldFiles.size(); ++i) {
      if (built[oldFiles[i]] == p && !old[i].image.empty()) return &old[i];
    }
    return nullptr;
  };
  for (std::size_t i = 0; i < state_.placements.size(); ++i) {
    Piece* same = unchanged(state_.placements[i]);
    if (same != nullptr) {
      PlacedFile file;
      file.source = same->source;
      pieces_.push_back(std::move(*same));
      same->image = MemoryImage();  // given away: a second file that is the same is placed anew
      pieceFiles_.push_back(i);
      files_.push_back(std::move(file));
    } else {
      files_.push_back(placed(i, rules));
    }
    if (!pieceFiles_.empty() && pieceFiles_.back() == i) rules.before = pieces_.back().image.extent().end;
  }
  writeChecksums();
  for (std::size_t k = 0; k < pieceFiles_.size(); ++k) files_[pieceFiles_[k]].piece = &pieces_[k];
  watchFiles();
  lookAgain();
  comparison_.update(pieces_, state_.fill);
  emit changed();
}

void ImageDocument::writeChecksums() {
  sumProblem_.clear();
  pristine_ = state_.sums.empty();
  try {
    writeSums(pieces_, state_.sums, state_.fill);
  } catch (const Error& e) {
    sumProblem_ = told(e);
  }
}

void ImageDocument::lookAgain() {
  LookOverRules rules;
  rules.use = state_.use;
  rules.memory = state_.memory;
  if (state_.size > 0) rules.size = state_.size;
  if (state_.block > 0) rules.block = state_.block;
  rules.keep = kept();
  rules.sync = state_.sync;
  rules.saved = savedTime_;
  findings_ = lookOver(pieces_, rules);
  for (const PlacedFile& file : files_) {
    if (file.problem.isEmpty()) continue;
    findings_.insert(findings_.begin(), {Finding::Blocks, Finding::File, file.problem.toStdString()});
  }
  if (!sumProblem_.isEmpty())
    findings_.insert(findings_.begin(), {Finding::Blocks, Finding::Sum, sumProblem_.toStdString()});
}

std::string ImageDocument::answerKey(const Finding& finding, const std::vector<Piece>& pieces) {
  std::string key = nameOf(finding.kind);
  for (const std::size_t piece : finding.pieces) key += fmt::format(" {}", pieces[piece].name());
  return key;
}

void ImageDocument::accept(const Finding& finding) {
  ImageState next = state_;
  next.meant.insert(answerKey(finding, pieces_));
  change(tr("It is meant so"), next);
}

std::optional<std::size_t> ImageDocument::fileOf(std::size_t piece) const {
  return piece < pieceFiles_.size() ? std::optional{pieceFiles_[piece]} : std::nullopt;
}

std::vector<AddressRange> ImageDocument::kept() const {
  if (!bench_.document().isOpen() || state_.memory.empty()) return {};
  return bench_.document().sheet().keptIn(state_.memory);
}

std::uint64_t ImageDocument::extent() const {
  std::uint64_t end = std::max<std::uint64_t>(state_.size, 0x1000);
  for (const Piece& piece : pieces_) end = std::max(end, piece.image.extent().end);
  if (const auto& other = comparison_.other()) end = std::max(end, other->extent().end);
  return end;
}

std::string ImageDocument::name() const {
  return state_.memory.empty() ? std::string("image") : state_.memory;
}

void ImageDocument::remove(std::size_t index) {
  ImageState next = state_;
  const QString name = QString::fromStdString(shortName(next.placements.at(index)));
  next.placements.erase(next.placements.begin() + static_cast<std::ptrdiff_t>(index));
  change(tr("Take out %1").arg(name), next);
}

void ImageDocument::setPlacement(std::size_t index, const Placement& placement, const QString& what, int merge) {
  ImageState next = state_;
  next.placements.at(index) = placement;
  change(what, next, merge);
}

void ImageDocument::moveTo(std::size_t index, std::uint64_t to, int merge) {
  const PlacedFile& file = files_.at(index);
  if (!file.piece) return;
  Placement placement = state_.placements[index];
  const std::uint64_t own = file.piece->image.extent().begin - file.piece->moved;
  placement.after = false;
  placement.align.reset();
  if (file.source->file.hasAddresses) {
    if (to < own) to = own;  // its own addresses only go up
    placement.at = to - own;
    if (placement.at == 0) placement.at.reset();
  } else {
    placement.at = to;
  }
  setPlacement(index, placement, tr("Move %1").arg(QString::fromStdString(shortName(placement))), merge);
  setPosition(to);
}

void ImageDocument::select(std::optional<std::size_t> index) {
  selected_ = index;
  if (index && *index < files_.size() && files_[*index].piece) {
    position_ = files_[*index].piece->image.extent().begin;
    emit positionChanged();
  }
  emit selectionChanged();
}

void ImageDocument::setPosition(std::uint64_t address) {
  if (position_ == address) return;
  position_ = address;
  emit positionChanged();
}

}  // namespace imprimo::app
