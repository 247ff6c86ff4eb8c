// SPDX-License-Identifier: GPL-3.0-or-later
//
// How the models work together; the actions stand in workbench_actions.cpp.
#include "app/model/workbench.h"

#include <QFileInfo>
#include <algorithm>

#include "app/session/help_words.h"
#include "core/base/number.h"
#include "core/bench/memory_kinds.h"
#include "core/image/wrapper_card.h"

namespace imprimo::app {
namespace {

constexpr std::uint64_t kReadAhead = 512;

std::vector<store::Description> wrapperCards(const store::Catalog& catalog) {
  std::vector<store::Description> cards;
  for (const store::Description& d : catalog.all()) {
    if (d.kind == store::DescriptionKind::WrapperCard && !d.copy) cards.push_back(d);
  }
  return cards;
}

/// The only card of the library that a file fits; empty where there is none, or several.
QString wrapperOf(const std::filesystem::path& file, const std::vector<store::Description>& cards) {
  QStringList fitting;
  const Bytes bytes = cards.empty() ? Bytes() : readFile(file, kImageFile);
  for (const store::Description& d : cards) {
    const Unwrapped out = tryUnwrap(readWrapperCard(d.file), bytes);
    if (out.problem.empty() && !out.payload.empty()) fitting += QString::fromStdString(d.file.string());
  }
  return fitting.size() == 1 ? fitting.front() : QString();
}

}  // namespace

Workbench::Workbench(QObject* parent) : QObject(parent) {
  makeActions();
  connectModels();
  connectLink();
  connectSession();
}

void Workbench::connectModels() {
  connect(&document_, &SheetDocument::opened, this, &Workbench::takeSheet);
  connect(&document_, &SheetDocument::placementsChanged, this, [this] {
    run_.readFiles();
    run_.forgetRecord();
    emit placementsChanged();
    emit looksChanged();
    run_.replan();
    run_.compareInBackground();
  });
  connect(&document_, &SheetDocument::editsChanged, this, [this] {
    run_.takeEdits();
    emit placementsChanged();
    emit looksChanged();
    run_.replan();
    run_.compareInBackground();
    updateActions();
  });
  connect(&document_, &SheetDocument::eraseListChanged, this, &Workbench::takeWanted);
  connect(&document_, &SheetDocument::rebuilt, this, &Workbench::takeRebuilt);
  connect(&document_, &SheetDocument::settingsChanged, this, &Workbench::takeSettings);
  connect(&document_, &SheetDocument::placementsChanged, &device_, &DeviceWork::changed);
  connect(&document_, &SheetDocument::historyChanged, this, &Workbench::updateActions);
  connect(&choice_, &WriteChoice::changed, this, &Workbench::takeWanted);
  connect(&keeping_, &SheetKeeping::unsavedChanged, this, &Workbench::updateActions);
  connect(&device_, &DeviceWork::changed, this, [this] {
    if (!run_.isRunning()) {
      run_.forgetRecord();
      run_.replan();
    }
    emit deviceChanged();
  });
  connect(&clock_, &ClockSearch::changed, this, [this] {
    emit clockChanged();
    updateActions();
  });
  connect(&clock_, &ClockSearch::ended, this, [this] { run_.compareInBackground(); });
  connect(&clock_, &ClockSearch::used, this, [this] {
    emit linkChanged();
    run_.replan();
  });
  connect(&link_, &LinkModel::message, this, &Workbench::message);
  connect(&clock_, &ClockSearch::message, this, &Workbench::message);
  connect(&choice_, &WriteChoice::message, this, &Workbench::message);
  connect(&keeping_, &SheetKeeping::message, this, &Workbench::message);
  connect(&library_, &LibraryModel::message, this, &Workbench::message);
  connect(&needs_, &BoardNeeds::message, this, &Workbench::message);
  // A description makes another sheet, which is connected to anew: not while a run goes on.
  connect(&library_, &LibraryModel::changed, this, [this] {
    if (!session_.isBusy()) needs_.lookUp();
  });
  connect(&ways_, &WayModel::message, this, &Workbench::message);
  connect(&ways_, &WayModel::changed, this, &Workbench::updateActions);
  connect(&ways_, &WayModel::wiresWanted, this, &Workbench::wiresWanted);
  connect(&ways_, &WayModel::deviceWanted, this, &Workbench::selectDevice);
  connect(&ways_, &WayModel::added, this, [this](const QString& memory) { selectMemory(memory.toStdString()); });
}

void Workbench::connectLink() {
  connect(&link_, &LinkModel::changed, this, [this] {
    emit linkChanged();
    updateActions();
  });
  connect(&link_, &LinkModel::connecting, this, [this] { run_.earlier_.clear(); });  // it may be another board
  connect(&link_, &LinkModel::reported, this, &Workbench::takeReport);
  connect(&link_, &LinkModel::devicesChanged, this, &Workbench::deviceChanged);
  connect(&link_, &LinkModel::lost, this, [this](const QString& why) {
    looks_.doubt();
    // What went well is no news beside a bench that is gone; what did not stays until it was seen to.
    if (run_.record() && run_.record()->good()) run_.forgetRecord();
    emit linkChanged();
    emit looksChanged();
    emit message(why.isEmpty() ? tr("Disconnected.") : why, !why.isEmpty());
    if (!run_.isRunning()) run_.replan();
    updateActions();
  });
}

void Workbench::connectSession() {
  connect(&session_, &BenchSession::contentsChanged, this, [this](const ContentsUpdate& news) {
    if (news.memory != memory_) return;
    if (news.doubted) looks_.doubt();
    looks_.update(news.touched, news.contents);
    emit looksChanged();
  });
  connect(&session_, &BenchSession::registersRead, this, [this](const RegisterNews& news) {
    if (!news.values.empty()) link_.setRegisters(news.memory, news.values);
    if (news.memory != memory_) return;
    if (!news.problem.isEmpty()) emit message(news.problem, true);
    takeProtection();
    emit registersChanged();
    emit looksChanged();
    run_.replan(true);
  });
  connect(&session_, &BenchSession::memoryIdentified, this, &Workbench::takeIdentity);
  // A file of vectors has its own view; here it only matters that the bench is busy, and is to be looked at anew.
  connect(&session_, &BenchSession::runStarted, this, [this] { updateActions(); });
  connect(&session_, &BenchSession::playFinished, this, [this](const PlayReportPtr& report) {
    updateActions();
    emit runChanged();
    if (report->record.error != ErrorKind::LinkLost)
      QMetaObject::invokeMethod(
          this, [this] { link_.reconnect(); }, Qt::QueuedConnection);
  });
}

void Workbench::takeSheet() {
  link_.forget();
  const sheet::Sheet& sheet = document_.sheet();
  memory_ = sheet.memories.empty() ? std::string() : sheet.memories.front().name;
  device_.lookAt(sheet.memories.empty() ? 1 : 0);
  choice_.reset();
  keeping_.hold();
  forgetSheet();
}

void Workbench::takeRebuilt() {
  const auto& memories = document_.sheet().memories;
  const bool there = std::any_of(memories.begin(), memories.end(), [&](const auto& m) { return m.name == memory_; });
  link_.forget();
  if (!there) memory_ = memories.empty() ? std::string() : memories.front().name;
  const std::size_t devices = document_.sheet().chain.size();
  device_.lookAt(device_.position() > 0 ? std::min(device_.position(), devices) : memories.empty() ? 1 : 0);
  rebuilding_ = true;
  forgetSheet();
  rebuilding_ = false;
}

void Workbench::forgetSheet() {
  run_.forgetRecord();
  looks_.clear();
  run_.earlier_.clear();
  run_.readFiles();
  takeGeometry();
  emit sheetChanged();
  emit linkChanged();
  emit memoryChanged();
  run_.replan();
  if (!link_.address().isEmpty()) link_.connectTo(link_.address());
}

/// What is connected stays connected; what is planned may be another plan.
void Workbench::takeSettings() {
  session_.takeSheet(document_.sheet());
  if (!looks_.empty()) looks_.setKept(document_.sheet().keptIn(memory_));
  emit settingsChanged();
  takeWanted();
}

void Workbench::takeReport() {
  const ConnectReport& report = *link_.report();
  // What was known of the same part is shown as from before until it is read again.
  const memory::Identity* now = identity();
  const bool same = now != nullptr && shown_ && shown_->samePart(*now);
  if (same) {
    looks_.doubt();
  } else {
    looks_.clear();
  }
  shown_ = now != nullptr ? std::optional(*now) : std::nullopt;
  // What is erased depends on the part's size; and what was in the way of the files may be gone by now.
  if (choice_.intent() == Intent::Erase || !run_.problem().isEmpty()) run_.readFiles();
  takeGeometry();
  emit linkChanged();
  emit memoryChanged();
  if (report.error) {
    emit message(report.message, true);
  } else if (document_.sheet().onlySwd()) {
    for (const auto& [name, core] : report.cores) {
      if (core.locked) {
        emit message(tr("%1 is locked.").arg(QString::fromStdString(name)), true);
        continue;
      }
      emit message(tr("%1 answers on SWD: %2, %3.")
                       .arg(QString::fromStdString(name), QString::fromStdString(debug::cpuidText(core.cpuid)),
                            debug::nameOf(core.state)),
                   false);
    }
  } else {
    emit message(tr("Chain examined: %1, %2 instruction bits, all as the sheet expects.")
                     .arg(QString::fromStdString(countText(report.chain.devices.size(), "part")))
                     .arg(report.chain.irTotal),
                 false);
  }
  for (const auto& [name, why] : report.memoryErrors) emit message(why, true);
  if (document_.sheet().onlySwd()) {
    for (const auto& [name, why] : report.coreErrors) emit message(why, true);
  }
  for (const auto& [name, core] : report.cores) {
    for (const std::string& text : core.messages)
      emit message(tr("The pack of %1 says: %2").arg(QString::fromStdString(name), QString::fromStdString(text)),
                   false);
  }
  run_.replan();
  run_.compareInBackground();
  updateActions();
}

void Workbench::takeIdentity(const std::string& name, const memory::Identity& identity,
                             const std::vector<std::uint8_t>& registers) {
  if (!link_.report()) return;
  link_.takeIdentity(name, identity, registers);
  if (name != memory_) return;
  const bool fresh = looks_.empty() || !(looks_.geometry() == identity.geometry);
  if (fresh) looks_.clear();
  shown_ = identity;
  takeGeometry();
  emit linkChanged();
  if (fresh) emit memoryChanged();
  run_.replan();
  run_.compareInBackground();
}

void Workbench::takePlannedUnit() {
  if (run_.isRunning() || choice_.intent() != Intent::Write || atDevice()) return;
  // What the last run came to stays in sight.
  run_.readFiles();
  emit placementsChanged();
  emit looksChanged();
  run_.replan();
  run_.compareInBackground();
  updateActions();
}

/// Another intent, or another list: everything that is planned is looked at anew.
void Workbench::takeWanted() {
  run_.readFiles();
  run_.forgetRecord();
  emit intentChanged();
  emit placementsChanged();
  emit looksChanged();
  run_.replan();
  run_.compareInBackground();
  updateActions();
}

void Workbench::takeFiles() {
  if (looks_.empty()) takeGeometry();
  emit placementsChanged();
  emit looksChanged();
  run_.replan();
  run_.compareInBackground();
  updateActions();
}

std::optional<memory::Geometry> Workbench::geometry() const {
  if (memory_.empty()) return std::nullopt;
  if (const memory::Identity* own = identity()) return own->geometry;
  try {
    return bench::geometryOnPaper(document_.sheet(), memory_);
  } catch (const Error&) {
    return std::nullopt;  // a broken card is told of when it is needed
  }
}

std::optional<std::string> Workbench::neededBridge() const {
  return atDevice() ? std::nullopt : link_.neededBridge(memory_);
}

void Workbench::takeGeometry() {
  const auto now = geometry();
  if (!now) {
    // The planned bytes can be looked at all the same.
    looks_.clear();
    looks_.setPlanned(run_.image());
    cursor_.reset({0, run_.image().extent().end});
    return;
  }
  if (looks_.empty() || !(looks_.geometry() == *now)) {
    looks_.reset(*now, document_.sheet().keptIn(memory_));
    takeProtection();
    looks_.setPlanned(run_.image());
    cursor_.reset(now->whole());
  }
}

void Workbench::takeProtection() {
  const memory::Identity* device = identity();
  if (device == nullptr || !device->protection || registers().empty()) return looks_.setProtected({});
  const std::size_t index = memory::registerNamed(device->registers, device->protection->inRegister);
  const memory::Protection::Level* level = device->protection->levelOf(registers().at(index));
  looks_.setProtected(level == nullptr ? std::vector<AddressRange>{} : level->ranges);
}

void Workbench::selectMemory(const std::string& name) {
  if (run_.isRunning() || (name == memory_ && !atDevice())) return;
  const bool same = name == memory_;
  if (atDevice()) {
    run_.forgetRecord();
    device_.lookAt(0);
  }
  if (same) {
    emit memoryChanged();
    run_.replan();
    return;
  }
  memory_ = name;
  looks_.clear();
  run_.forgetRecord();
  run_.readFiles();
  takeGeometry();
  emit memoryChanged();
  run_.replan();
  run_.compareInBackground();
}

void Workbench::selectDevice(std::size_t position) {
  if (run_.isRunning() || position == device_.position()) return;
  run_.forgetRecord();
  device_.lookAt(position);
  emit memoryChanged();
  if (link_.isConnected()) session_.lookAtDevices();
}

void Workbench::fileForDevice(std::size_t position, const QString& path) {
  if (run_.isRunning()) return;
  selectDevice(position);
  device_.setFile(path);
}

void Workbench::addFiles(const QStringList& paths) {
  if (memory_.empty()) return;
  const auto at = std::make_shared<std::uint64_t>(cursor_.position());
  for (const QString& path : paths) addFile(path, at);
}

/// `at`: where it begins when it has no addresses; behind it afterwards.
void Workbench::addFile(const QString& path, const std::shared_ptr<std::uint64_t>& at) {
  std::error_code none;
  const std::filesystem::path file = path.toStdString();
  const auto size = std::filesystem::file_size(file, none);
  const std::vector<store::Description> cards = wrapperCards(library_.catalog());
  adding_.add(none ? 0 : size,
              [this, path, file, cards, memory = memory_, at](const ReadRules& rules) -> std::function<void()> {
                try {
                  const ImageFile read = readImageFile(file, std::nullopt, rules);
                  const QString wrapper = read.hasAddresses ? QString() : wrapperOf(file, cards);
                  const std::uint64_t bytes = read.image.byteCount();
                  return [this, path, memory, has = read.hasAddresses, bytes, wrapper, at] {
                    // It can be seen there and corrected; the next one begins on the next block.
                    document_.addFile(memory, path, has ? std::nullopt : std::optional(*at), wrapper);
                    const std::uint64_t block = geometry() ? geometry()->blockSize() : 0x1000;
                    if (!has) *at = (*at + bytes + block - 1) / block * block;
                    if (!wrapper.isEmpty())
                      emit message(tr("%1 is unwrapped by %2 of the library; Ctrl+Z takes it out again.")
                                       .arg(QFileInfo(path).fileName(), QFileInfo(wrapper).fileName()),
                                   false);
                  };
                } catch (const Error& e) {
                  return [this, why = told(e)] { emit message(why, true); };
                } catch (const std::exception& e) {
                  return [this, why = QString::fromStdString(e.what())] { emit message(why, true); };
                }
              });
}

void Workbench::typeByte(std::uint64_t address, std::optional<std::uint8_t> byte) {
  if (run_.isRunning() || choice_.intent() == Intent::Erase || memory_.empty()) return;
  document_.typeByte(memory_, address, byte);
}

void Workbench::show(const AddressRange& range) {
  if (!link_.isConnected() || run_.isRunning() || looks_.empty() || neededBridge()) return;
  const AddressRange whole = looks_.geometry().whole();
  const AddressRange wide{range.begin < kReadAhead ? 0 : range.begin - kReadAhead, range.end + kReadAhead};
  if (!looks_.isSure(whole.cut(range))) session_.readForView(memory_, whole.cut(wide));
}

}  // namespace imprimo::app
