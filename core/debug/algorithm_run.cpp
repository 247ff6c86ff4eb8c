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
#include "core/debug/bus_words.h"
#include "core/debug/deadline.h"
#include "core/debug/resident_code.h"

namespace imprimo::debug {
namespace {

constexpr std::uint32_t kBreakpoints = 0xBE00BE00, kGuard = 0x5AFEC0DE;
constexpr std::uint32_t kStack = 1024, kLeastStack = 512, kSlotHead = 16;
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

/// The bus takes words.
Bytes whole(ByteSpan some) {
  Bytes bytes(some.begin(), some.end());
  bytes.resize((bytes.size() + 3) / 4 * 4);
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
    : core_(core),
      algorithm_(algorithm),
      clockHz_(clockHz),
      init_{Use::Erase, algorithm.init, "Init", ErrorKind::Refused, kInitLimit},
      uninit_{Use::Erase, algorithm.uninit, "UnInit", ErrorKind::Refused, kInitLimit} {
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

void AlgorithmRun::requireGuards(const Call& call, std::uint32_t below, std::uint32_t above) const {
  if (below == kGuard && above == kGuard) return;
  Error error(call.act->kind,
              fmt::format("{} of {} wrote where it should not: {} was overwritten", call.act->name, algorithm_.file,
                          below != kGuard ? "the end of its stack" : "what lies behind its pages"),
              "The algorithm is faulty, or is for another chip.");
  if (call.at) error.stoodAt(*call.at);
  throw error;
}

void AlgorithmRun::notBack(const Call& call) {
  Error error(call.act->kind,
              fmt::format("{} of {} does not come back{}: {}", call.act->name, algorithm_.file,
                          call.at ? " (" + hexAddress(*call.at) + ")" : std::string(), core_.whereText()),
              "The algorithm may be for another chip, or the core's clock may have stopped.");
  if (call.at) error.setAt(*call.at);
  throw error;
}

void AlgorithmRun::wasReset(const Call& call) {
  core_.stopHere();
  Error error(call.act->kind,
              fmt::format("the core was reset while {} worked{}", call.act->name,
                          call.at ? " at " + hexAddress(*call.at) : std::string()),
              "A watchdog, a brown-out or somebody else did it: give the core \"connect\": \"under-reset\".");
  if (call.at) error.setAt(*call.at);
  throw error;
}

void AlgorithmRun::refused(const Call& call, std::uint32_t error) const {
  if (!call.at)
    throw Error(call.act->kind, fmt::format("{} of {} reports error {}", call.act->name, algorithm_.file, error),
                "The algorithm may be for another chip.");
  const bool erase = call.act->use == Use::Erase;
  throw Error(call.act->kind,
              fmt::format("the {} at {} is not {}: {} reports error {}", erase ? "sector" : "page",
                          hexAddress(*call.at), erase ? "erased" : "programmed", call.act->name, error),
              erase ? "It may be protected." : "It may be protected, or not erased.")
      .setAt(*call.at);
}

CoreCall AlgorithmRun::callOf(std::uint32_t function, std::array<std::uint32_t, 4> arguments) const {
  return {function, arguments, code_ + algorithm_.staticBase, stack_, back_};
}

/// What comes before the first call of a use.
std::vector<AlgorithmRun::Call> AlgorithmRun::beginning(Use use) const {
  std::vector<Call> calls;
  if (use_ == use) return calls;
  if (use_) calls.push_back({&uninit_, {static_cast<std::uint32_t>(*use_), 0, 0}});
  calls.push_back({&init_, {algorithm_.address, clockHz_, static_cast<std::uint32_t>(use)}});
  return calls;
}

void AlgorithmRun::end() {
  if (!use_) return;
  carryOut({{&uninit_, {static_cast<std::uint32_t>(*use_), 0, 0}}}, {});
}

void AlgorithmRun::once() {
  std::vector<Call> calls = beginning(Use::Verify);
  calls.push_back({&uninit_, {static_cast<std::uint32_t>(Use::Verify), 0, 0}});
  carryOut(calls, {});
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
  constexpr std::uint64_t kMost = 600'000;
  const Act act{Use::Erase, algorithm_.eraseChip.value(), "EraseChip", ErrorKind::NotErased,
                static_cast<std::uint32_t>(std::min(longest, kMost))};
  std::vector<Call> calls = beginning(act.use);
  calls.push_back({&act, {0, 0, 0}, algorithm_.address});
  carryOut(calls, {});
}

void AlgorithmRun::program(std::span<const Job> pages, const Told& told) {
  carryOut({Use::Program, algorithm_.programPage, "ProgramPage", ErrorKind::NotProgrammed, algorithm_.programMs}, pages,
           told);
}

void AlgorithmRun::carryOut(const Act& act, std::span<const Job> jobs, const Told& told) {
  if (jobs.empty()) return;
  std::vector<Call> calls = beginning(act.use);
  for (std::size_t i = 0; i < jobs.size(); ++i)
    calls.push_back({&act,
                     {jobs[i].address, static_cast<std::uint32_t>(jobs[i].bytes.size()), 0},
                     jobs[i].address,
                     i,
                     jobs[i].bytes});
  carryOut(calls, told);
}

void AlgorithmRun::carryOut(const std::vector<Call>& calls, const Told& told) {
  // Whatever it is in the middle of where this fails, its next use begins with Init.
  use_.reset();
  const Act& last = *calls.back().act;
  try {
    if (slots_ < 2) {
      oneByOne(calls, told);
    } else {
      stream(calls, told);
    }
  } catch (...) {
    try {
      core_.stopHere();
    } catch (const Error&) {
      // It cannot be reached; what waits in the ring is done, and no more.
    }
    throw;
  }
  if (&last != &uninit_) use_ = last.use;
}

void AlgorithmRun::oneByOne(std::span<const Call> calls, const Told& told) {
  for (const Call& call : calls) {
    BusBatch load, guards;
    std::array<std::uint32_t, 4> arguments{call.arguments[0], call.arguments[1], call.arguments[2], 0};
    if (!call.bytes.empty()) {
      arguments[2] = ring_ + kSlotHead;
      load.writeAll(ring_ + kSlotHead, whole(call.bytes));
    }
    guards.read(guardBelow_);
    guards.read(guardAbove_);
    std::vector<std::uint32_t> words;
    const CoreCall callOfIt = callOf(code_ + call.act->function, arguments);
    core_.begin(callOfIt, load);
    const auto result = core_.finish(callOfIt, std::chrono::milliseconds(call.act->longestMs + kSlack), guards, words);
    if (!result) notBack(call);
    requireGuards(call, words[0], words[1]);
    if (*result != 0) refused(call, *result);
    if (call.job && !told(*call.job)) return;
  }
}

/// Puts calls into the ring as far as there is room for them. How many were given then.
std::size_t AlgorithmRun::give(BusBatch& batch, std::span<const Call> calls, std::size_t given,
                               std::size_t done) const {
  const std::size_t before = given;
  const auto mayWait = [&](std::size_t i) {
    // One sector at a time: what was erased has to be known when the link goes, and a round trip is nothing beside it.
    return i < done + slots_ && (i == done || calls[i].act->use != Use::Erase || !calls[i - 1].at);
  };
  for (; given < calls.size() && mayWait(given); ++given) {
    const Call& call = calls[given];
    const std::uint32_t at = slot(given);
    const std::uint32_t head[] = {call.arguments[0], call.arguments[1],
                                  call.bytes.empty() ? call.arguments[2] : at + kSlotHead,
                                  (code_ + call.act->function) | 1};
    Bytes bytes = bytesOf(head);
    bytes.insert(bytes.end(), call.bytes.begin(), call.bytes.end());
    batch.writeAll(at, whole(bytes));
    // The first ones are not kept waiting for those that are downloaded behind them.
    if (const std::size_t some = given + 1 - before; std::has_single_bit(some))
      batch.write(mailbox_, static_cast<std::uint32_t>(given + 1));
  }
  if (given > before) batch.write(mailbox_, static_cast<std::uint32_t>(given));
  return given;
}

void AlgorithmRun::stream(std::span<const Call> calls, const Told& told) {
  const auto limitOf = [](const Call& call) { return std::chrono::milliseconds(call.act->longestMs + kSlack); };
  BusBatch batch;
  const std::uint32_t mailbox[] = {0, 0, 0, 0, ring_, stride_, slots_};
  batch.writeAll(mailbox_, bytesOf(mailbox));
  std::size_t given = 0, done = 0, last = calls.size();
  bool leaving = false, stood = false;  // before what was read last
  std::optional<Deadline> still;        // since a call came back
  while (true) {
    const bool first = !still;
    if (first) Core::addStart(batch, callOf(resident_, {mailbox_, 0, 0, 0}));
    given = give(batch, calls.first(last), given, done);
    if (given == last && !leaving) {
      batch.write(mailbox_ + 12, 1);
      leaving = true;
    }
    batch.read(mailbox_ + 4, 2);
    batch.read(guardBelow_);
    batch.read(guardAbove_);
    batch.read(Core::kControlRegister);
    const std::vector<std::uint32_t> news = core_.bus().run(batch);
    batch = BusBatch();
    core_.noteControl(news[4]);
    const auto current = [&]() -> const Call& { return calls[std::min(done, last - 1)]; };
    if (core_.wasReset()) wasReset(current());
    const std::size_t now = std::min<std::size_t>(news[0], given);
    if (first || now > done) {
      still.emplace(core_.bus().port().wires(), limitOf(calls[std::min(now, last - 1)]));
    } else {
      still->rest();
    }
    for (; done < now; ++done) {
      if (calls[done].job && !told(*calls[done].job)) last = std::min(last, given);
    }
    const bool stands = Core::standsBy(news[4]);
    if (news[1] != 0 && done < last) refused(current(), news[1]);
    if (stands || done == last) requireGuards(current(), news[2], news[3]);
    if (stands && leaving && done == last) return;
    if (still->passed() || (stood && stands && now < given)) {
      core_.stopHere();
      requireGuards(current(), news[2], news[3]);
      notBack(current());
    }
    // It may have come to an end behind what was read: what it left is read once more before that is believed.
    stood = stands;
  }
}

}  // namespace imprimo::debug
