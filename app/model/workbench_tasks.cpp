// SPDX-License-Identifier: GPL-3.0-or-later
//
// What the workbench does with a memory beside writing what the sheet places: erasing, reading to a file, comparing,
// registers, copies, and trying the bench.
#include <QFileInfo>

#include "app/model/workbench.h"
#include "core/base/atomic_file.h"
#include "core/base/number.h"
#include "core/image/image_writer.h"
#include "core/run/job.h"

namespace imprimo::app {

void Workbench::setIntent(Intent intent) {
  if (intent == intent_ || isRunning()) return;
  intent_ = intent;
  takeWanted();
}

std::vector<AddressRange> Workbench::eraseRanges() const {
  return document_.isOpen() ? document_.sheet().listedToErase(memory_) : std::vector<AddressRange>{};
}

void Workbench::addEraseRange(const AddressRange& range) {
  const auto g = geometry();
  if (range.empty() || (g && range.end > g->size)) {
    emit message(g ? tr("%1 reaches past the end of %2, which is at %3.")
                         .arg(QString::fromStdString(rangeText(range)), QString::fromStdString(memory_),
                              QString::fromStdString(hexAddress(g->size - 1)))
                   : tr("The range is empty."),
                 true);
    return;
  }
  RangeSet all(eraseRanges());
  all.add(range);
  document_.setEraseList(memory_, all.ranges());
}

void Workbench::removeEraseRange(std::size_t index) {
  std::vector<AddressRange> ranges = eraseRanges();
  if (index >= ranges.size()) return;
  ranges.erase(ranges.begin() + static_cast<std::ptrdiff_t>(index));
  document_.setEraseList(memory_, ranges);
}

void Workbench::setNoErase(bool on) {
  if (on == noErase_ || isRunning()) return;
  noErase_ = on;
  takeWanted();
}

void Workbench::setWholeBlocks(bool on) {
  if (on == wholeBlocks_ || isRunning()) return;
  wholeBlocks_ = on;
  takeWanted();
}

void Workbench::setSkipKept(bool on) {
  if (on == skipKept_ || isRunning()) return;
  skipKept_ = on;
  takeWanted();
}

plan::Wanted Workbench::wantedHere(plan::Task task) const {
  plan::Wanted wanted = run::wantedFor(document_.sheet(), memory_, task);
  wanted.restart = false;
  return wanted;
}

void Workbench::takeEraseList() {
  wanted_ = run::wantedFor(document_.sheet(), memory_, plan::Task::Erase);
  wanted_.ranges = eraseRanges();
  wanted_.wholeBlocks = wholeBlocks_;
  wanted_.skipKept = skipKept_;
  if (wanted_.ranges.empty()) {
    problem_ = tr("Say what to erase: type a range, or drag over the map.");
  } else if (const auto g = geometry()) {
    try {
      wanted_.image = plan::desiredContents(wanted_, *g);
      wantedGood_ = true;
    } catch (const Error& e) {
      problem_ = QString::fromStdString(e.full());
      emit message(problem_, true);
    }
  }
  looks_.setPlanned(wanted_.image);
}

/// Another intent, or another list: everything that is planned is looked at anew.
void Workbench::takeWanted() {
  readFiles();
  record_.reset();
  emit intentChanged();
  emit placementsChanged();
  emit looksChanged();
  replan();
  compareInBackground();
  updateActions();
}

void Workbench::takeEdits() {
  record_.reset();
  if (intent_ == Intent::Write && wantedGood_ && !wanted_.pieces.empty()) {
    // The files are as they were; only what was typed over them changes.
    wanted_.image = combine(wanted_.pieces);
    for (const sheet::Edit& e : document_.sheet().editsIn(memory_)) wanted_.image.write(e.at, e.bytes);
    looks_.setPlanned(wanted_.image);
  } else {
    readFiles();
  }
  emit placementsChanged();
  emit looksChanged();
  replan();
  compareInBackground();
  updateActions();
}

void Workbench::typeByte(std::uint64_t address, std::optional<std::uint8_t> byte) {
  if (isRunning() || intent_ == Intent::Erase || memory_.empty()) return;
  document_.typeByte(memory_, address, byte);
}

QString Workbench::eraseText() const {
  const QString name = QString::fromStdString(memory_);
  if (!problem_.isEmpty() && !eraseRanges().empty()) return tr("Cannot erase this");
  if (!next_ || looks_.empty() || !wantedGood_ || nothingToWrite()) return tr("Nothing to erase");
  if (!planIsSure()) return tr("Compare and erase %1").arg(name);
  const std::size_t blocks = next_->blocks.size() - next_->count(plan::BlockFate::Agrees);
  return tr("Erase %1 of %2").arg(QString::fromStdString(countText(blocks, "block")), name);
}

void Workbench::runAside(plan::Wanted wanted) {
  if (!canAsk()) return;
  startRun(wanted);
}

void Workbench::readToFile(const AddressRange& range, const QString& file, bool twice) {
  if (!canAsk()) return;
  plan::Wanted wanted = wantedHere(plan::Task::Read);
  wanted.ranges = {range};
  wanted.twice = twice;
  try {
    AtomicFile(file.toStdString(), range.size());  // better known before minutes of reading
  } catch (const Error& e) {
    emit message(QString::fromStdString(e.full()), true);
    return;
  }
  readInto_ = file;
  readRange_ = range;
  runAside(std::move(wanted));
}

void Workbench::keepReadBytes(const run::Record& record) {
  if (readInto_.isEmpty()) return;
  const QString file = std::exchange(readInto_, {});
  if (record.outcome != run::Outcome::Read) return;
  try {
    writeReadBack(file.toStdString(), readRange_.begin, looks_.contents().bytes(readRange_));
    emit message(tr("Wrote %1.").arg(QFileInfo(file).fileName()), false);
  } catch (const Error& e) {
    emit message(QString::fromStdString(e.full()), true);
  }
}

void Workbench::compareWithFile(const QString& file, std::optional<std::uint64_t> at) {
  if (!canAsk()) return;
  try {
    Placement placement;
    placement.memory = memory_;
    placement.file = QFileInfo(file).absoluteFilePath().toStdString();
    placement.at = at;
    plan::Wanted wanted = run::wantedFor(document_.sheet(), memory_, plan::Task::Verify, std::vector{placement});
    wanted.restart = false;
    runAside(std::move(wanted));
  } catch (const Error& e) {
    emit message(QString::fromStdString(e.full()), true);
  }
}

void Workbench::lookIfBlank() {
  if (!canAsk()) return;
  plan::Wanted wanted = wantedHere(plan::Task::Blank);
  wanted.ranges = intent_ == Intent::Erase ? eraseRanges() : std::vector<AddressRange>{};
  wanted.all = wanted.ranges.empty();
  runAside(std::move(wanted));
}

void Workbench::tryBench(std::optional<AddressRange> scratch) {
  if (!canAsk()) return;
  plan::Wanted wanted = wantedHere(plan::Task::Trial);
  if (scratch) wanted.ranges = {*scratch};
  runAside(std::move(wanted));
}

void Workbench::putBack(const run::StoredCopy& copy, bool anyPart) {
  if (!canAsk() || identity() == nullptr) return;
  try {
    run::requireFitting(copy, *identity(), anyPart);
    plan::Wanted wanted = run::wantedToRestore(document_.sheet(), memory_, copy, store::userCopies().contents(copy));
    wanted.anyPart = anyPart;
    wanted.restart = false;
    runAside(std::move(wanted));
  } catch (const Error& e) {
    emit message(QString::fromStdString(e.full()), true);
  }
}

void Workbench::usePartCard(const QString& file) {
  if (isRunning()) return;
  document_.setPartCard(memory_, file);
  emit message(tr("%1 is described by %2 now; save the sheet to keep that.")
                   .arg(QString::fromStdString(memory_), QFileInfo(file).fileName()),
               false);
  looks_.clear();
  takeGeometry();
  emit memoryChanged();
  reconnect();
}

const memory::Identity* Workbench::identity() const {
  if (!report_) return nullptr;
  const auto found = report_->memories.find(memory_);
  return found == report_->memories.end() ? nullptr : &found->second;
}

void Workbench::takeProtection() {
  const memory::Identity* device = identity();
  if (device == nullptr || !device->protection || registers_.empty()) return looks_.setProtected({});
  const std::size_t index = memory::registerNamed(device->registers, device->protection->inRegister);
  const memory::Protection::Level* level = device->protection->levelOf(registers_.at(index));
  looks_.setProtected(level == nullptr ? std::vector<AddressRange>{} : level->ranges);
}

std::vector<AddressRange> Workbench::differences(std::size_t most) const {
  std::vector<AddressRange> ranges;
  for (const MemoryImage::Segment& p : looks_.planned().segments()) {
    for (const MemoryImage::Segment& h : looks_.contents().segmentsIn(p.range())) {
      for (std::size_t i = 0; i < h.bytes.size(); ++i) {
        const std::uint64_t address = h.begin + i;
        if (p.bytes[address - p.begin] == h.bytes[i]) continue;
        if (!ranges.empty() && ranges.back().end == address) {
          ++ranges.back().end;
        } else if (ranges.size() < most) {
          ranges.push_back({address, address + 1});
        } else {
          return ranges;
        }
      }
    }
  }
  return ranges;
}

}  // namespace imprimo::app
