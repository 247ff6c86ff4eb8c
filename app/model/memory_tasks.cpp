// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/memory_tasks.h"

#include <QFileInfo>
#include <algorithm>
#include <utility>

#include "app/model/core_places.h"
#include "app/model/workbench.h"
#include "app/session/help_words.h"
#include "core/base/atomic_file.h"
#include "core/base/json.h"
#include "core/base/number.h"
#include "core/image/image_writer.h"
#include "core/run/job.h"
#include "core/sheet/core_route.h"

namespace imprimo::app {

MemoryTasks::MemoryTasks(Workbench& bench) : bench_(bench) {
  connect(&bench_.session(), &BenchSession::runFinished, this,
          [this](const RecordPtr& record) { keepReadBytes(*record); });
}

bool MemoryTasks::canAsk() const {
  return bench_.link().isConnected() && !bench_.session().isBusy() && !bench_.clock().isRunning() &&
         !bench_.memory().empty();
}

plan::Wanted MemoryTasks::wantedHere(plan::Task task) const {
  plan::Wanted wanted = run::wantedFor(bench_.document().sheet(), bench_.memory(), task);
  wanted.restart = false;
  return wanted;
}

void MemoryTasks::start(plan::Wanted wanted) {
  if (canAsk()) bench_.run().start(std::make_shared<plan::Wanted>(std::move(wanted)));
}

void MemoryTasks::readToFile(const AddressRange& range, const QString& file, bool twice) {
  if (!canAsk()) return;
  plan::Wanted wanted = wantedHere(plan::Task::Read);
  wanted.ranges = {range};
  wanted.twice = twice;
  try {
    AtomicFile(file.toStdString(), range.size());  // better known before minutes of reading
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
    return;
  }
  readInto_ = file;
  readRange_ = range;
  start(std::move(wanted));
}

void MemoryTasks::keepReadBytes(const run::Record& record) {
  if (readInto_.isEmpty()) return;
  const QString file = std::exchange(readInto_, {});
  if (record.outcome != run::Outcome::Read) return;
  try {
    writeReadBack(file.toStdString(), readRange_.begin, bench_.looks().contents().bytes(readRange_));
    emit bench_.message(tr("Wrote %1.").arg(QFileInfo(file).fileName()), false);
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
  }
}

void MemoryTasks::compareWithFile(const QString& file, std::optional<std::uint64_t> at) {
  if (!canAsk()) return;
  try {
    Placement placement;
    placement.memory = bench_.memory();
    placement.file = QFileInfo(file).absoluteFilePath().toStdString();
    placement.at = at;
    plan::Wanted wanted =
        run::wantedFor(bench_.document().sheet(), bench_.memory(), plan::Task::Verify, std::vector{placement});
    wanted.restart = false;
    start(std::move(wanted));
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
  }
}

void MemoryTasks::lookIfBlank() {
  if (!canAsk()) return;
  plan::Wanted wanted = wantedHere(plan::Task::Blank);
  if (bench_.choice().intent() == Intent::Erase) wanted.ranges = bench_.choice().eraseRanges();
  wanted.all = wanted.ranges.empty();
  start(std::move(wanted));
}

void MemoryTasks::tryBench(std::optional<AddressRange> scratch) {
  if (!canAsk()) return;
  plan::Wanted wanted = wantedHere(plan::Task::Trial);
  if (scratch) wanted.ranges = {*scratch};
  start(std::move(wanted));
}

void MemoryTasks::putBack(const run::StoredCopy& copy, bool anyPart) {
  const memory::Identity* part = bench_.identity();
  if (!canAsk() || part == nullptr) return;
  try {
    run::requireFitting(copy, *part, anyPart);
    plan::Wanted wanted =
        run::wantedToRestore(bench_.document().sheet(), bench_.memory(), copy, store::userCopies().contents(copy));
    wanted.anyPart = anyPart;
    wanted.restart = false;
    start(std::move(wanted));
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
  }
}

void MemoryTasks::loadBridge() {
  if (canAsk() && bench_.neededBridge()) start(wantedHere(plan::Task::Reach));
}

bool MemoryTasks::mayStart() const {
  return bench_.link().isConnected() && !bench_.session().isBusy() && !bench_.clock().isRunning();
}

bool MemoryTasks::keepRange(std::size_t index, const QString& text) {
  const auto range = parseRange(text.trimmed().toStdString());
  const auto size = bench_.geometry() ? bench_.geometry()->size : UINT64_MAX;
  if (!range || range->end > size) {
    emit bench_.inputRefused(
        range ? tr("%1 is not all in %2.").arg(text.trimmed(), QString::fromStdString(bench_.memory()))
              : tr("'%1' is no range: write A..B (both ends included) or A+N, with A before B.").arg(text));
    return false;
  }
  emit bench_.inputMended();
  try {
    bench_.document().change(tr("kept range"), [&](sheet::SheetJson& root) {
      const sheet::Place entry{"keep", index};
      sheet::setValue(root, entry / "memory", bench_.memory());
      sheet::setValue(root, entry / "from", hexAddress(range->begin));
      sheet::setValue(root, entry / "to", hexAddress(range->end - 1));
    });
    return true;
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
    return false;
  }
}

void MemoryTasks::keepRange(const AddressRange& range) {
  keepRange(bench_.document().sheet().keep.size(), typedRange(range));
}

QString MemoryTasks::typedRange(const AddressRange& range) {
  return QString::fromStdString(hexAddress(range.begin) + ".." + hexAddress(range.end - 1));
}

void MemoryTasks::keepNoLonger(std::size_t index) {
  bench_.document().change(tr("kept range"), [&](sheet::SheetJson& root) {
    sheet::removeValue(root, sheet::Place{"keep", index});
  });
}

void MemoryTasks::restartBoard() {
  if (mayStart()) bench_.run().startOther([this] { bench_.session().restart(); });
}

/// For what may close a core, or open it.
void MemoryTasks::startThenLookAnew(const std::function<void()>& act) {
  if (!mayStart()) return;
  connect(
      &bench_.session(), &BenchSession::runFinished, this,
      [this](const run::RecordPtr& record) {
        emit bench_.message(QString::fromStdString(record->message), !record->good());
        bench_.link().reconnect();
      },
      static_cast<Qt::ConnectionType>(Qt::QueuedConnection | Qt::SingleShotConnection));
  bench_.run().startOther(act);
}

void MemoryTasks::unlockCore(const std::string& core) {
  startThenLookAnew([this, core] { bench_.session().unlock(core); });
}

void MemoryTasks::lockCore(const std::string& core) {
  startThenLookAnew([this, core] { bench_.session().lock(core); });
}

void MemoryTasks::writeWords(const run::WordsWanted& wanted) {
  startThenLookAnew([this, wanted] { bench_.session().writeWords(wanted); });
}

void MemoryTasks::watchCore() {
  const std::string core = coreOfMemory(bench_);
  if (core.empty() || !bench_.link().isConnected() || bench_.session().isBusy()) return;
  bench_.session().ask(this, [this, core](bench::Bench& bench) -> std::function<void()> {
    try {
      const debug::CoreWatch watch = bench.core(core).watch({});
      return [this, core, watch] {
        bench_.link().takeWatch(core, watch);
        emit bench_.message(QString::fromStdString(core + " " + watch.words() + "."), false);
      };
    } catch (const Error& e) {
      return [this, problem = told(e)] { emit bench_.message(problem, true); };
    }
  });
}

void MemoryTasks::usePartCard(const QString& file) {
  if (bench_.session().isBusy()) return;
  bench_.document().setPartCard(bench_.memory(), file);
  emit bench_.message(tr("%1 is described by %2 now; save the sheet to keep that.")
                          .arg(QString::fromStdString(bench_.memory()), QFileInfo(file).fileName()),
                      false);
}

void MemoryTasks::useConfigCard(std::size_t position, const QString& file) {
  if (bench_.session().isBusy()) return;
  bench_.document().setConfigCard(position, file);
  emit bench_.message(
      tr("%1 is configured by %2 now; save the sheet to keep that.")
          .arg(QString::fromStdString(bench_.document().sheet().chain[position - 1].name), QFileInfo(file).fileName()),
      false);
}

std::vector<AddressRange> MemoryTasks::differences(std::size_t most) const {
  std::vector<AddressRange> ranges;
  const BlockLooks& looks = bench_.looks();
  for (const MemoryImage::Segment& p : looks.planned().segments()) {
    for (const MemoryImage::Segment& h : looks.contents().segmentsIn(p.range())) {
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
