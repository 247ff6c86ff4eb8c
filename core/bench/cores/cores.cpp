// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/cores/cores.h"

#include <fmt/format.h>

#include "core/base/number.h"
#include "core/bench/cores/chip_sequences.h"
#include "core/debug/deadline.h"
#include "core/debug/sector_sums.h"
#include "core/packs/chip_card.h"
#include "core/packs/pack_library.h"

namespace imprimo::bench {

debug::CoreCard cardOf(const sheet::Sheet& sheet, const sheet::CoreEntry& core) {
  return readReferred(core.cardFrom, [&] {
    if (!core.chip) return debug::readCoreCard(sheet.folder() / core.card);
    debug::CoreCard card = packs::readChip(packs::findPack(core.chip->pack, sheet.folder()), core.chip->name)->card;
    if (!core.card.empty()) debug::readCoreCardOver(card, sheet.folder() / core.card);
    return card;
  });
}

ResetHold::ResetHold(probe::Probe& probe) : probe_(probe) {
  probe::pinsOf(probe_).drivePin("RESET", false);
}

ResetHold::~ResetHold() {
  try {
    probe::pinsOf(probe_).drivePin("RESET", std::nullopt);
  } catch (const Error&) {
    // The link is gone, and the probe lets go by itself.
  }
}

BenchCore::BenchCore(const sheet::Sheet& sheet, const sheet::CoreEntry& entry, probe::Probe& probe,
                     std::shared_ptr<CorePort> port)
    : entry_(entry),
      card_(cardOf(sheet, entry)),
      probe_(probe),
      way_(std::move(port)),
      wires_(way_->wires.get()),
      port_(way_->port),
      bus_(port_, {entry.accessPort ? *entry.accessPort : card_.accessPort.value_or(0)}),
      core_(bus_) {
  if (!entry.chip) return;
  const std::filesystem::path file = packs::findPack(entry.chip->pack, sheet.folder());
  std::shared_ptr<const packs::Chip> chip = packs::readChip(file, entry.chip->name);
  if (chip->device.sequences.empty()) return;
  sequences_ = std::make_unique<ChipSequences>(std::move(chip), file.string(), entry_, probe_, *wires_, port_, bus_);
  if (sequences_->has("ResetSystem")) core_.resetBy([this] { sequences_->carryOut("ResetSystem"); });
}

BenchCore::~BenchCore() {
  if (!isAttached()) return;
  try {
    endAlgorithm();
    if (changed_) {
      core_.resetHalted();
    } else {
      core_.leaveAsFound();
    }
  } catch (const Error&) {
    // The link is gone; nothing is left that could be put in order.
  }
}

void BenchCore::connect() {
  // One that is silent because it is locked is looked at anew where it is unlocked.
  if (isAttached() && (isSilent() || port_.stillPowered())) return;
  if (attachedIn_ != 0) {
    // The chip lost its power, or the port was begun with anew: nothing of what was found there holds.
    running_.reset();
    core_.forgetFound();
    bus_.forget();
  }
  const bool underReset = entry_.connect == sheet::CoreEntry::Connect::UnderReset;
  if (underReset && !onlyAttach_) return connectUnderReset();
  try {
    attach(false);
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::BrokenChain || !underReset) throw;
    connectUnderReset();
    resetToAttach_ = true;
  }
}

/// `anew`: also where the port answered before, for another core or for this one.
void BenchCore::attach(bool anew) {
  attachedIn_ = 0;
  silent_ = false;
  if (anew || !port_.isConnected() || !port_.stillPowered()) port_.connect();
  if (sequences_) sequences_->carryOut("DebugDeviceUnlock");
  notStarted_ = startIt_ && !isAwake();
  if (notStarted_ && !onlyAttach_ && entry_.connect != sheet::CoreEntry::Connect::Running) start();
  if (!notStarted_) bus_.identify();
  attachedIn_ = port_.connections();
  if (notStarted_) {
    locked_ = false;
    return;
  }
  if (sequences_) sequences_->carryOut("DebugCoreStart");
  locked_ = !bus_.enabled() || std::any_of(card_.lock.locked.begin(), card_.lock.locked.end(),
                                           [this](const debug::DebugWord& word) { return holds(word); });
}

/// A core that is off has an access port that leads nowhere, or none.
bool BenchCore::isAwake() {
  try {
    bus_.forget();
    bus_.identify();
    return bus_.enabled();
  } catch (const Error& e) {
    if (e.kind() != ErrorKind::Refused) throw;
    return false;
  }
}

void BenchCore::start() {
  startIt_();
  debug::Deadline deadline(*wires_, std::chrono::milliseconds(500));
  while (!isAwake()) {
    if (deadline.passed())
      throw Error(
          ErrorKind::Refused,
          fmt::format("{} did not start after the write to the bus of {}", entry_.name, entry_.startedBy->core),
          "Check \"started_by\" in the sheet: address and value. A core whose memory is locked looks the same.");
    deadline.rest();
  }
  notStarted_ = false;
}

void BenchCore::connectUnderReset() {
  {
    const ResetHold hold(probe_);
    attach(true);
    if (!locked_) core_.catchReset();
  }
  if (locked_) {
    silent_ = card_.lock.silent;
    return;
  }
  core_.requireCaught();
  // Whoever only looks lets it go on.
  if (onlyAttach_) core_.resetRunning();
}

debug::CoreWatch BenchCore::watch(const std::stop_token& stop, std::chrono::milliseconds time) {
  debug::WatchOptions options;
  options.time = time;
  options.stop = stop;
  options.mayHalt = entry_.connect != sheet::CoreEntry::Connect::Running && !onlyAttach_;
  std::optional<std::uint64_t> lowest;
  for (const debug::CoreRegion& region : card_.regions) {
    (region.flash ? options.code : options.ram).push_back(region.range);
    if (region.flash) lowest = std::min(lowest.value_or(UINT64_MAX), region.range.begin);
  }
  options.table = static_cast<std::uint32_t>(lowest.value_or(0));
  return debug::watchCore(core_, options);
}

void BenchCore::requireMayHalt() const {
  requireOpen();
  if (entry_.connect != sheet::CoreEntry::Connect::Running) return;
  throw Error(ErrorKind::Refused,
              fmt::format("{} is only attached to (\"connect\": \"running\"), and this needs it halted", entry_.name),
              "Give it \"connect\": \"normal\" in the sheet.");
}

bool BenchCore::identityMatches(std::string& difference) {
  requireOpen();
  for (const debug::IdentityWord& word : card_.identity) {
    std::uint32_t found = 0;
    try {
      found = bus_.readWord(word.at);
    } catch (const debug::BusFault& e) {
      difference = e.what();  // another chip, which has nothing there
      return false;
    }
    if ((found & word.mask) == word.value) continue;
    difference = fmt::format("the word at {} should be 0x{:08x} under the mask 0x{:08x}, and is 0x{:08x}",
                             hexAddress(word.at), word.value, word.mask, found);
    return false;
  }
  return true;
}

bool BenchCore::identityMatches() {
  std::string difference;
  return identityMatches(difference);
}

void BenchCore::requireIdentity() {
  std::string difference;
  if (identityMatches(difference)) return;
  throw Error(ErrorKind::ChainMismatch, fmt::format("{} is no {}: {}", entry_.name, card_.name, difference),
              "Nothing was written. Connect the board of this sheet, or mend the card.");
}

std::vector<std::string> BenchCore::messages() const {
  return sequences_ ? sequences_->messages() : std::vector<std::string>();
}

CoreReport BenchCore::lookAt(bool halt) {
  if (notStarted_) {
    CoreReport off;
    off.name = entry_.name;
    off.dpidr = port_.dpidr();
    off.notStarted = true;
    return off;
  }
  if (locked_) {
    CoreReport closed;
    closed.name = entry_.name;
    closed.dpidr = port_.dpidr();
    closed.locked = true;
    closed.silent = silent_;
    closed.messages = messages();
    return closed;
  }
  CoreReport report{entry_.name, port_.dpidr(), core_.cpuid(), core_.state(), {}, {}, identityMatches()};
  report.messages = messages();
  if (report.state == debug::CoreState::Running) report.fault = watch({}, std::chrono::milliseconds(0)).fault;
  if (halt || report.state == debug::CoreState::Halted) {
    core_.halt();
    const debug::CoreRegisters registers = core_.registers();
    report.pc = registers.pc();
    report.sp = registers.sp();
    if (!running_ && !changed_) core_.leaveAsFound();
  } else {
    report.pc = core_.sampledPc();
  }
  return report;
}

debug::AlgorithmRun& BenchCore::running(const std::shared_ptr<const debug::FlashAlgorithm>& algorithm,
                                        const AddressRange& ram) {
  requireMayHalt();
  if (running_ && algorithm_ == algorithm && core_.haltedAllTheWhile()) return *running_;
  endAlgorithm();
  running_.reset();
  algorithm_ = algorithm;
  if (sequences_) prepareFlash();
  auto run = std::make_unique<debug::AlgorithmRun>(core_, *algorithm_, ram);
  run->load();
  running_ = std::move(run);
  return *running_;
}

std::vector<std::uint64_t> BenchCore::sums(const AddressRange& first, std::size_t count) {
  requireMayHalt();
  return debug::sumsByCore(core_, card_.workRam(), static_cast<std::uint32_t>(first.begin),
                           static_cast<std::uint32_t>(first.size()), count);
}

/// The pack's own, around the work of an algorithm on its device.
void BenchCore::prepareFlash() {
  core_.halt();
  sequences_->setFlash({algorithm_->address, std::uint64_t{algorithm_->address} + algorithm_->size});
  sequences_->carryOut("FlashInit");
  flashPrepared_ = sequences_->has("FlashUninit");
}

void BenchCore::endAlgorithm() {
  if (running_) running_->end();
  if (std::exchange(flashPrepared_, false)) sequences_->carryOut("FlashUninit");
}

void BenchCore::letGo() {
  endAlgorithm();
  if (changed_) return;
  running_.reset();
  core_.leaveAsFound();
}

void BenchCore::leaveToItsStarter() {
  if (!isAttached() || notStarted_) return;
  endAlgorithm();
  running_.reset();
  core_.resetRunning();
  changed_ = false;
}

void BenchCore::restart(const std::optional<debug::CoreStart>& from) {
  requireOpen();
  endAlgorithm();
  running_.reset();
  if (from) {
    requireMayHalt();
    core_.resetAndStart(*from);
  } else {
    core_.resetRunning();
  }
  changed_ = false;
}

}  // namespace imprimo::bench
