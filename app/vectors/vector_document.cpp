// SPDX-License-Identifier: GPL-3.0-or-later
//
// What is looked at: the file, its survey, positions in it.
#include "app/vectors/vector_document.h"

#include <QFileInfo>
#include <algorithm>
#include <functional>

#include "app/session/help_words.h"
#include "core/bench/chain_view.h"
#include "core/bench/memory_kinds.h"
#include "core/image/compare.h"
#include "core/run/job.h"

namespace imprimo::app {
namespace {

/// Of the chain's clock when neither sheet nor file names one.
constexpr double kUsualHz = 1e6;

std::optional<std::size_t> blocksOtherwise(const sheet::Sheet& sheet, const vectors::VectorContents::Memory& memory) {
  const auto known = [&](const auto& m) { return m.name == memory.name; };
  if (std::none_of(sheet.memories.begin(), sheet.memories.end(), known) || sheet.placementsIn(memory.name).empty())
    return std::nullopt;
  const MemoryImage build = run::wantedFor(sheet, memory.name, plan::Task::Program).image;
  const Differences found = compareImages(build, heldWhere(build, memory.held()));
  const auto geometry = bench::geometryOnPaper(sheet, memory.name);
  const std::uint64_t block = geometry ? geometry->blockSize() : 4096;
  std::set<std::uint64_t> blocks;
  for (const AddressRange& r : found.ranges) {
    for (std::uint64_t at = r.begin / block; at <= (r.end - 1) / block; ++at) blocks.insert(at);
  }
  return blocks.size();
}

}  // namespace

VectorDocument::VectorDocument(Workbench& bench, QObject* parent)
    : QObject(parent), bench_(bench), playing_(bench, *this) {
  makeActions();
  connect(&playing_, &VectorPlaying::changed, this, [this] {
    emit playChanged();
    updateActions();
  });
  connect(&bench_, &Workbench::runChanged, this, [this] { updateActions(); });
  for (const auto signal : {&Workbench::sheetChanged, &Workbench::linkChanged}) {
    connect(&bench_, signal, this, [this] {
      updateWords();
      emit changed();
      updateActions();
    });
  }
  updateActions();
}

VectorDocument::~VectorDocument() {
  reading_.request_stop();
  searching_.request_stop();
}

template <typename Tell>
void VectorDocument::answer(quint64 generation, Tell&& tell) {
  QMetaObject::invokeMethod(
      this,
      [this, generation, tell = std::forward<Tell>(tell)]() mutable {
        if (generation == generation_) tell();
      },
      Qt::QueuedConnection);
}

bool VectorDocument::open(const QString& path) {
  if (playing_.isBusy()) {
    emit message(tr("A file is being played; stop it first."), true);
    return false;
  }
  try {
    auto file = std::make_shared<VectorFile>(path);
    preview_ = false;
    show(std::move(file));
    return true;
  } catch (const Error& e) {
    emit message(told(e), true);
    return false;
  }
}

void VectorDocument::close() {
  reading_ = {};
  searching_ = {};
  ++generation_;
  file_.reset();
  survey_ = {};
  facts_.reset();
  preview_ = false;
  emit changed();
  updateActions();
}

void VectorDocument::show(std::shared_ptr<VectorFile> file) {
  reading_ = {};
  searching_ = {};
  ++generation_;
  file_ = std::move(file);
  survey_ = {};
  facts_.reset();
  bookmarks_.clear();
  position_ = 0;
  playing_.forget();
  updateWords();
  // The first rows at once, the rest behind them.
  const auto reader = VectorFile::reader(file_);
  survey_ = svf::survey(*reader, kUsualHz, [](const svf::Survey& s) { return s.rows < svf::Survey::kRowsBetween; });
  file_->forgetRows();
  readThrough();
  emit changed();
  emit positionChanged();
  updateActions();
}

void VectorDocument::readThrough() {
  const double hz = bench_.link().report()
                        ? bench_.link().report()->clockHz
                        : static_cast<double>(bench_.document().sheet().clockHz.value_or(100'000'000));
  auto sheet = std::make_shared<const sheet::Sheet>(bench_.document().sheet());
  reading_ = std::jthread([this, file = file_, hz, sheet, generation = generation_](const std::stop_token& stop) {
    const auto reader = VectorFile::reader(file);
    svf::Survey survey = svf::survey(*reader, hz, [&](const svf::Survey& known) {
      answer(generation, [this, known] { takeSurvey(known); });
      return !stop.stop_requested();
    });
    if (stop.stop_requested()) return;
    const bool whole = survey.whole;
    answer(generation, [this, survey = std::move(survey)]() mutable { takeSurvey(std::move(survey)); });
    if (!whole) return;
    VectorFacts facts;
    try {
      const auto again = VectorFile::reader(file);
      facts.contents = vectors::contentsOf(*again, [&](std::uint64_t) { return !stop.stop_requested(); });
      for (const auto& memory : facts.contents.memories) {
        if (facts.otherBlocks) break;
        facts.otherBlocks = blocksOtherwise(*sheet, memory);
        if (facts.otherBlocks) facts.comparedMemory = memory.name;
      }
    } catch (const Error& e) {
      if (e.kind() == ErrorKind::Stopped) return;
      facts.problem = QString::fromStdString(e.what());
    }
    answer(generation, [this, facts = std::move(facts)]() mutable { takeFacts(std::move(facts)); });
  });
}

void VectorDocument::takeSurvey(svf::Survey survey) {
  // Pages that are known stay as they were; the last one may have been cut short.
  if (survey_.problem || survey.problem ||
      survey_.rows / svf::Survey::kRowsBetween != survey.rows / svf::Survey::kRowsBetween)
    file_->forgetRows();
  survey_ = std::move(survey);
  emit surveyChanged();
  updateActions();
}

void VectorDocument::takeFacts(VectorFacts facts) {
  facts_ = std::move(facts);
  updateWords();
  emit factsChanged();
}

svf::ChainView VectorDocument::chain() const {
  if (!bench_.document().isOpen()) return svf::ChainView({});
  const sheet::Sheet& sheet = bench_.document().sheet();
  if (bench_.link().state() == LinkState::Connected && bench_.link().report())
    return bench::chainView(bench_.link().report()->chain, &sheet, {});
  return bench::chainView(sheet);
}

void VectorDocument::updateWords() {
  if (!file_) return;
  vectors::BridgeDecoder decoder;
  if (facts_ && !facts_->contents.memories.empty()) decoder.setFourBytes(facts_->contents.memories.front().fourBytes);
  file_->setWords(chain(), decoder);
}

QString VectorDocument::title() const {
  if (!file_) return {};
  return preview_ ? tr("Not written yet") : file_->name();
}

void VectorDocument::setPosition(std::uint64_t offset) {
  if (!file_ || offset == position_) return;
  position_ = std::min<std::uint64_t>(offset, file_->text().size() - 1);
  emit positionChanged();
}

std::uint64_t VectorDocument::row() const {
  return file_ ? file_->rowAt(survey_, position_) : 0;
}

void VectorDocument::moveRows(std::int64_t by) {
  if (!file_ || survey_.rows == 0) return;
  const auto last = static_cast<std::int64_t>(survey_.rows) - 1;
  const auto to = std::clamp<std::int64_t>(static_cast<std::int64_t>(row()) + by, 0, last);
  if (const VectorRow* found = file_->row(survey_, static_cast<std::uint64_t>(to))) setPosition(found->place.offset);
}

void VectorDocument::moveMarks(int direction) {
  const auto& marks = survey_.marks;
  if (direction > 0) {
    const auto next =
        std::find_if(marks.begin(), marks.end(), [this](const auto& m) { return m.point.place.offset > position_; });
    if (next != marks.end()) setPosition(next->point.place.offset);
  } else {
    const auto before =
        std::find_if(marks.rbegin(), marks.rend(), [this](const auto& m) { return m.point.place.offset < position_; });
    if (before != marks.rend()) setPosition(before->point.place.offset);
  }
}

void VectorDocument::toggleBookmark() {
  if (!file_) return;
  if (bookmarks_.erase(position_) == 0) bookmarks_.insert(position_);
  emit marksChanged();
}

void VectorDocument::nextBookmark() {
  if (bookmarks_.empty()) return;
  const auto next = bookmarks_.upper_bound(position_);
  setPosition(next != bookmarks_.end() ? *next : *bookmarks_.begin());
}

void VectorDocument::find(const QString& text) {
  if (!file_ || text.isEmpty()) return;
  const VectorRow* here = file_->row(survey_, row());
  const std::uint64_t behind = here != nullptr ? std::max(here->end, position_ + 1) : position_ + 1;
  // Half a gigabyte is searched through in less than a second, but not while somebody scrolls.
  searching_ = std::jthread([this, file = file_, wanted = text.toStdString(), from = behind,
                             generation = generation_](const std::stop_token& stop) {
    const std::string_view all = file->text();
    const std::boyer_moore_horspool_searcher searcher(wanted.begin(), wanted.end());
    constexpr std::size_t kPiece = 16u << 20;
    const auto look = [&](std::size_t begin, std::size_t end) -> std::optional<std::size_t> {
      for (std::size_t at = begin; at < end && !stop.stop_requested(); at += kPiece) {
        const auto piece = all.substr(at, std::min(kPiece + wanted.size() - 1, all.size() - at));
        const auto found = std::search(piece.begin(), piece.end(), searcher);
        if (found != piece.end()) return at + static_cast<std::size_t>(found - piece.begin());
      }
      return std::nullopt;
    };
    auto found = look(std::min<std::size_t>(from, all.size()), all.size());
    if (!found) found = look(0, std::min<std::size_t>(from, all.size()));
    if (stop.stop_requested()) return;
    answer(generation, [this, found, wanted] {
      if (!found) {
        emit message(tr("\"%1\" is nowhere in the file.").arg(QString::fromStdString(wanted)), true);
        return;
      }
      if (const VectorRow* row = file_->row(survey_, file_->rowAt(survey_, *found))) setPosition(row->place.offset);
    });
  });
}

}  // namespace imprimo::app
