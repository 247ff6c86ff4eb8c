// SPDX-License-Identifier: GPL-3.0-or-later
//
// In RAM, from its first address on: a breakpoint to return to, the resident loop with its mailbox, code and data, a
// guard word, the stack, the ring of pages, a guard word.
#include "core/debug/algorithm_run.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <chrono>

#include "core/base/number.h"
#include "core/debug/deadline.h"
#include "core/debug/resident_code.h"

namespace imprimo::debug {
namespace {

constexpr std::uint32_t kBreakpoints = 0xBE00BE00, kGuard = 0x5AFEC0DE;
constexpr std::uint32_t kStack = 1024, kLeastStack = 512, kSlotHead = 8;
constexpr std::uint32_t kSlack = 1000;  // ms that a call may take beyond what its description says
constexpr std::uint32_t kInitLimit = 1000;
/// So much work waits in the ring at most: a stop takes no longer.
constexpr std::uint32_t kQueuedMs = 50, kMostSlots = 64;

constexpr std::uint32_t aligned(std::uint64_t value) {
  return static_cast<std::uint32_t>((value + 7) & ~7ull);
}

constexpr std::uint32_t kResidentBytes = aligned(sizeof kResidentCode);
constexpr std::uint32_t kHead = 8 + kResidentBytes + aligned(sizeof(ResidentMailbox));

std::uint64_t neededFor(const FlashAlgorithm& algorithm, std::uint32_t stack, std::uint32_t slots) {
  return std::uint64_t{kHead} + aligned(algorithm.code.size()) + 8 + stack +
         slots * (std::uint64_t{kSlotHead} + aligned(algorithm.page)) + 8;
}

Bytes bytesOf(std::span<const std::uint32_t> words) {
  Bytes bytes;
  for (const std::uint32_t word : words) {
    for (int shift = 0; shift < 32; shift += 8) bytes.push_back(static_cast<std::uint8_t>(word >> shift));
  }
  return bytes;
}

}  // namespace

void requireRoom(const FlashAlgorithm& algorithm, const AddressRange& ram) {
  const std::uint64_t needed = neededFor(algorithm, kLeastStack, 1);
  if (needed <= ram.size()) return;
  throw Error(ErrorKind::BadFile,
              fmt::format("{}: with its stack and a page it needs {} of RAM, and {} has {}", algorithm.file,
                          sizeText(needed), rangeText(ram), sizeText(ram.size())),
              "Name a larger RAM in the card (\"work\": true).");
}

AlgorithmRun::AlgorithmRun(Core& core, const FlashAlgorithm& algorithm, const AddressRange& ram, std::uint32_t clockHz)
    : core_(core), algorithm_(algorithm), clockHz_(clockHz) {
  const std::uint32_t stack = neededFor(algorithm, kStack, 2) <= ram.size() ? kStack : kLeastStack;
  stride_ = kSlotHead + aligned(algorithm.page);
  const std::uint64_t without = neededFor(algorithm, stack, 0);
  // Descriptions have the longest time of a page; most take a quarter of it.
  const std::uint32_t inTime = 2 + 4 * kQueuedMs / std::max(1u, algorithm.programMs);
  slots_ = static_cast<std::uint32_t>(std::clamp<std::uint64_t>((ram.size() - std::min(ram.size(), without)) / stride_,
                                                                1, std::min(kMostSlots, inTime)));
  back_ = aligned(ram.begin);
  resident_ = back_ + 8;
  mailbox_ = resident_ + kResidentBytes;
  code_ = back_ + kHead;
  guardBelow_ = code_ + aligned(algorithm.code.size());
  stack_ = guardBelow_ + 8 + stack;
  ring_ = stack_;
  guardAbove_ = ring_ + slots_ * stride_;
}

void AlgorithmRun::load() {
  core_.halt();
  // The ring is filled as jobs come.
  Bytes image(guardBelow_ + 4 - back_, 0);
  const auto put = [&](std::uint32_t at, std::uint32_t word) {
    for (unsigned i = 0; i < 4; ++i) image[at - back_ + i] = static_cast<std::uint8_t>(word >> (8 * i));
  };
  put(back_, kBreakpoints);
  for (std::size_t i = 0; i < std::size(kResidentCode); ++i) {
    image[resident_ - back_ + 2 * i] = static_cast<std::uint8_t>(kResidentCode[i]);
    image[resident_ - back_ + 2 * i + 1] = static_cast<std::uint8_t>(kResidentCode[i] >> 8);
  }
  std::copy(algorithm_.code.begin(), algorithm_.code.end(), image.begin() + static_cast<std::ptrdiff_t>(code_ - back_));
  put(guardBelow_, kGuard);
  BusBatch batch;
  batch.writeAll(back_, image);
  batch.write(guardAbove_, kGuard);
  batch.read(back_, image.size() / 4);
  const Bytes there = bytesOf(core_.bus().run(batch));
  const auto differs = std::mismatch(image.begin(), image.end(), there.begin());
  if (differs.first == image.end()) return;
  const auto at = static_cast<std::uint32_t>(differs.first - image.begin());
  throw Error(
      ErrorKind::Refused,
      fmt::format("the RAM at {} does not keep what is written into it: 0x{:02x} was written, 0x{:02x} is there",
                  hexAddress(back_ + at), image[at], there[at]),
      "Check the RAM regions of the core card.");
}

void AlgorithmRun::requireGuards(const Act& act, std::optional<std::uint32_t> at) {
  BusBatch batch;
  batch.read(guardBelow_);
  batch.read(guardAbove_);
  const std::vector<std::uint32_t> words = core_.bus().run(batch);
  requireGuards(act, at, words[0], words[1]);
}

void AlgorithmRun::requireGuards(const Act& act, std::optional<std::uint32_t> at, std::uint32_t below,
                                 std::uint32_t above) const {
  if (below == kGuard && above == kGuard) return;
  Error error(act.kind,
              fmt::format("{} of {} wrote where it should not: {} was overwritten", act.name, algorithm_.file,
                          below != kGuard ? "the end of its stack" : "what lies behind its pages"),
              "The algorithm is faulty, or is for another chip.");
  if (at) error.stoodAt(*at);
  throw error;
}

void AlgorithmRun::notBack(const Act& act, std::optional<std::uint32_t> at) {
  Error error(act.kind,
              fmt::format("{} of {} does not come back{}: {}", act.name, algorithm_.file,
                          at ? " (" + hexAddress(*at) + ")" : std::string(), core_.whereText()),
              "The algorithm may be for another chip, or the core's clock may have stopped.");
  if (at) error.setAt(*at);
  throw error;
}

void AlgorithmRun::wasReset(const Act& act, std::uint32_t at) {
  core_.stopHere();
  throw Error(act.kind, fmt::format("the core was reset while {} worked at {}", act.name, hexAddress(at)),
              "A watchdog, a brown-out or somebody else did it: give the core \"connect\": \"under-reset\".")
      .setAt(at);
}

void AlgorithmRun::refused(const Act& act, std::uint32_t at, std::uint32_t error) const {
  throw Error(act.kind,
              fmt::format("the {} at {} is not {}: {} reports error {}", act.use == Use::Erase ? "sector" : "page",
                          hexAddress(at), act.use == Use::Erase ? "erased" : "programmed", act.name, error),
              act.use == Use::Erase ? "It may be protected." : "It may be protected, or not erased.")
      .setAt(at);
}

CoreCall AlgorithmRun::callOf(std::uint32_t function, std::array<std::uint32_t, 4> arguments) const {
  return {function, arguments, code_ + algorithm_.staticBase, stack_, back_};
}

std::uint32_t AlgorithmRun::call(const Act& act, std::array<std::uint32_t, 4> arguments,
                                 std::optional<std::uint32_t> at) {
  const auto result =
      core_.call(callOf(code_ + act.function, arguments), std::chrono::milliseconds(act.longestMs + kSlack));
  if (!result) notBack(act, at);
  requireGuards(act, at);
  return *result;
}

void AlgorithmRun::begin(Use use) {
  if (use_ == use) return;
  end();
  const Act init{use, algorithm_.init, "Init", ErrorKind::Refused, kInitLimit};
  const std::uint32_t result =
      call(init, {algorithm_.address, clockHz_, static_cast<std::uint32_t>(use), 0}, std::nullopt);
  if (result != 0)
    throw Error(ErrorKind::Refused, fmt::format("Init of {} reports error {}", algorithm_.file, result),
                "The algorithm may be for another chip.");
  use_ = use;
}

void AlgorithmRun::end() {
  if (!use_) return;
  const Use use = *use_;
  use_.reset();
  const Act uninit{use, algorithm_.uninit, "UnInit", ErrorKind::Refused, kInitLimit};
  const std::uint32_t result = call(uninit, {static_cast<std::uint32_t>(use), 0, 0, 0}, std::nullopt);
  if (result != 0)
    throw Error(ErrorKind::Refused, fmt::format("UnInit of {} reports error {}", algorithm_.file, result));
}

void AlgorithmRun::erase(std::span<const Job> sectors, const Told& told) {
  carryOut({Use::Erase, algorithm_.eraseSector, "EraseSector", ErrorKind::NotErased, algorithm_.eraseMs}, sectors,
           told);
}

void AlgorithmRun::eraseAll() {
  std::uint64_t longest = 0;
  for (std::size_t i = 0; i < algorithm_.sectors.size(); ++i) {
    const std::uint32_t end = i + 1 < algorithm_.sectors.size() ? algorithm_.sectors[i + 1].offset : algorithm_.size;
    longest += std::uint64_t{algorithm_.eraseMs} * ((end - algorithm_.sectors[i].offset) / algorithm_.sectors[i].size);
  }
  constexpr std::uint64_t kMost = 10 * 60 * 1000;
  const Act act{Use::Erase, algorithm_.eraseChip.value(), "EraseChip", ErrorKind::NotErased,
                static_cast<std::uint32_t>(std::min(longest, kMost))};
  begin(act.use);
  try {
    const std::uint32_t error = call(act, {0, 0, 0, 0}, algorithm_.address);
    if (error != 0) refused(act, algorithm_.address, error);
  } catch (...) {
    use_.reset();  // whatever it was in the middle of, its next use begins with Init
    throw;
  }
}

void AlgorithmRun::program(std::span<const Job> pages, const Told& told) {
  carryOut({Use::Program, algorithm_.programPage, "ProgramPage", ErrorKind::NotProgrammed, algorithm_.programMs}, pages,
           told);
}

void AlgorithmRun::carryOut(const Act& act, std::span<const Job> jobs, const Told& told) {
  if (jobs.empty()) return;
  begin(act.use);
  try {
    if (slots_ < 2) {
      oneByOne(act, jobs, told);
    } else {
      stream(act, jobs, told);
    }
  } catch (...) {
    use_.reset();  // whatever it was in the middle of, its next use begins with Init
    try {
      core_.stopHere();
    } catch (const Error&) {
      // It cannot be reached; what waits in the ring is done, and no more.
    }
    throw;
  }
}

void AlgorithmRun::oneByOne(const Act& act, std::span<const Job> jobs, const Told& told) {
  for (std::size_t i = 0; i < jobs.size(); ++i) {
    const Job& job = jobs[i];
    if (!job.bytes.empty()) core_.bus().write(ring_ + kSlotHead, job.bytes);
    const auto size = static_cast<std::uint32_t>(job.bytes.size());
    const std::uint32_t error = call(act, {job.address, size, ring_ + kSlotHead, 0}, job.address);
    if (error != 0) refused(act, job.address, error);
    if (!told(i)) return;
  }
}

void AlgorithmRun::stream(const Act& act, std::span<const Job> jobs, const Told& told) {
  const std::uint32_t mailbox[] = {0, 0, 0, 0, (code_ + act.function) | 1, ring_, stride_, slots_};
  core_.bus().write(mailbox_, bytesOf(mailbox));
  core_.start(callOf(resident_, {mailbox_, 0, 0, 0}));
  const std::chrono::milliseconds limit(act.longestMs + kSlack);
  // One sector at a time: what was erased has to be known when the link goes, and a round trip is nothing beside it.
  const std::size_t most = act.use == Use::Erase ? 1 : slots_;
  std::size_t given = 0, done = 0, last = jobs.size();
  bool stood = false;                                 // before what was read last
  Deadline still(core_.bus().port().wires(), limit);  // since a job was done
  while (done < last) {
    BusBatch batch;
    const std::size_t before = given;
    for (; given < last && given < done + most; ++given) {
      const Job& job = jobs[given];
      const std::uint32_t head[] = {job.address, static_cast<std::uint32_t>(job.bytes.size())};
      Bytes slot = bytesOf(head);
      slot.insert(slot.end(), job.bytes.begin(), job.bytes.end());
      slot.resize((slot.size() + 3) / 4 * 4);  // the bus takes words
      batch.writeAll(ring_ + static_cast<std::uint32_t>(given % slots_) * stride_, slot);
      // The first ones are not kept waiting for those that are downloaded behind them.
      if (const std::size_t some = given + 1 - before; std::has_single_bit(some))
        batch.write(mailbox_, static_cast<std::uint32_t>(given + 1));
    }
    if (given > before) batch.write(mailbox_, static_cast<std::uint32_t>(given));
    batch.read(mailbox_ + 4, 2);
    batch.read(Core::kControlRegister);
    const std::vector<std::uint32_t> news = core_.bus().run(batch);
    core_.noteControl(news[2]);
    if (core_.wasReset()) wasReset(act, jobs[done].address);
    const std::size_t now = std::min<std::size_t>(news[0], given);
    if (now > done) {
      still.restart();
    } else {
      still.rest();
    }
    for (; done < now; ++done) {
      if (!told(done)) last = std::min(last, given);
    }
    if (done >= last) break;
    if (news[1] != 0) refused(act, jobs[done].address, news[1]);
    if (still.passed() || (stood && now < given)) {
      core_.stopHere();
      requireGuards(act, jobs[done].address);
      notBack(act, jobs[done].address);
    }
    // It may have come to an end behind what was read: what it left is read once more before that is believed.
    stood = Core::standsBy(news[2]);
  }
  const std::uint32_t at = jobs[done > 0 ? done - 1 : 0].address;
  BusBatch leave;
  leave.write(mailbox_ + 12, 1);
  leave.read(guardBelow_);
  leave.read(guardAbove_);
  leave.read(Core::kControlRegister);
  const std::vector<std::uint32_t> end = core_.bus().run(leave);
  core_.noteControl(end[2]);
  bool stands = Core::standsBy(end[2]);
  for (still.restart(); !stands; stands = core_.stands()) {
    if (still.passed()) {
      core_.stopHere();
      notBack(act, at);
    }
    still.rest();
  }
  requireGuards(act, at, end[0], end[1]);
}

}  // namespace imprimo::debug
