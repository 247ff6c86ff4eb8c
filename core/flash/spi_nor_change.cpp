// SPDX-License-Identifier: GPL-3.0-or-later
//
// Erasing and programming: commands that keep the part busy, one behind the other in one shift as long as they are
// short, each with the time that this part has been seen to take.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/flash/spi_nor.h"
#include "core/flash/spi_nor_commands.h"

namespace imprimo::flash {
namespace {

using std::chrono::microseconds;

constexpr int kBatchesBetweenMeasures = 24;
/// Longer operations go alone: nothing is gained by having several on their way.
constexpr double kLongestInStream = kQueuedSeconds / 4;

}  // namespace

double SpiNor::seconds(const Work& work) const {
  const double clocks = static_cast<double>(std::size_t{3} * port_.clocksPerExchange() + work.clocks + 64);
  return clocks / port_.clockHz() + work.busy.wait();
}

void SpiNor::throwStillBusy(const Work& work, const AddressRange& range) const {
  const bool erases = work.what[0] == 'e';
  throw Error(erases ? ErrorKind::NotErased : ErrorKind::NotProgrammed,
              erases ? fmt::format("{}: the block {} is still being erased after {}, its longest time", name_,
                                   rangeText(range), durationText(work.longest))
                     : fmt::format("{}: the part is still busy programming after {}, programming at {}", name_,
                                   durationText(work.longest), hexAddress(range.begin)),
              erases ? "The part may be worn out or its supply too low." : "")
      .setAt(range.begin);
}

void SpiNor::waitReady(const Work& work, std::uint64_t address) {
  spi::SpiBatch batch;
  const ReadyCheck& r = commands_.ready;
  batch.expect({r.command, r.mask, r.value, inMicroseconds(work.busy.expected() * 0.1), inMicroseconds(work.longest)});
  if (port_.run(batch).timedOutAt) throwStillBusy(work, {address, address + 1});
}

/// A long operation, or the first of its kind: looked at from early on until it is over.
void SpiNor::oneAlone(const Work& work, std::size_t index) {
  const AddressRange range = work.range(index);
  const ReadyCheck& r = commands_.ready;
  BusyEstimate& busy = work.busy;
  const double first = busy.measured() ? 0.985 * busy.expected() : busy.expected() / 32;
  const double step = std::max(busy.expected() / (busy.measured() ? 200 : 64), 20e-6);
  Batch batch = begin();
  selectSegment(batch, range.begin);
  batch.items.exchange({command::kWriteEnable});
  work.add(batch, index);
  batch.items.expect(
      {r.command, r.mask, r.value, inMicroseconds(first), inMicroseconds(work.longest), inMicroseconds(step)});
  const spi::SpiAnswers answers = at(range.begin, [&] { return run(batch); });
  if (answers.timedOutAt) throwStillBusy(work, range);
  const double waited = static_cast<double>(answers.waited.count()) * 1e-6;
  // Ready at the very first look: it took that long or less, so the next one is looked at sooner.
  busy.saw(waited > first * 1.001 ? waited : (busy.measured() ? 0.97 : 0.5) * waited);
}

/// Several in one shift from `from` on; returns how many of them are done.
std::size_t SpiNor::streamSome(const Work& work, std::size_t from) {
  const ReadyCheck& r = commands_.ready;
  const double leadSeconds = static_cast<double>(port_.clocksBeforeStatus()) / port_.clockHz();
  const bool measuring = !work.busy.measured() || batchesUntilMeasure_-- <= 0;
  if (measuring) batchesUntilMeasure_ = kBatchesBetweenMeasures;
  std::vector<std::size_t> guards;
  std::vector<std::uint64_t> addresses;
  Batch batch = begin();
  double sum = 0;
  for (std::size_t i = from; i < work.count; ++i) {
    const double more = seconds(work);
    // Until one was measured the data sheet's figure is all we have, so the first goes alone.
    if (i > from && (!work.busy.measured() || sum + more >= kQueuedSeconds)) break;
    selectSegment(batch, work.range(i).begin);
    batch.items.exchange({command::kWriteEnable});
    work.add(batch, i);
    std::size_t statusBytes = 1;
    if (i == from && measuring) {
      const double watched = 1.5 * work.busy.wait() * port_.clockHz() / 8;
      statusBytes = std::clamp<std::size_t>(static_cast<std::size_t>(watched), 1, kMostBytesInExchange);
    } else {
      const double wait = std::max(0.0, work.busy.wait() - leadSeconds) + 1e-6;
      batch.items.wait({inMicroseconds(wait), clockedWaits_});
    }
    guards.push_back(batch.items.guard({r.command, r.mask, r.value, statusBytes}));
    addresses.push_back(work.range(i).begin);
    sum += more;
  }

  const spi::SpiAnswers answers = run(batch);
  if (measuring) {
    const Bytes& seen = answers.answers.at(guards[0]);
    const auto ready = std::find_if(seen.begin(), seen.end(), [&](std::uint8_t s) { return (s & r.mask) == r.value; });
    if (ready == seen.end()) {
      work.busy.sawNoEnd();
    } else {
      work.busy.saw(leadSeconds + 8.0 * static_cast<double>(ready - seen.begin()) / port_.clockHz());
    }
  }
  if (!answers.heldAt) {
    work.busy.wasEnough();
    holdsInARow_ = 0;
    return guards.size();
  }
  const auto held = static_cast<std::size_t>(std::find(guards.begin(), guards.end(), *answers.heldAt) - guards.begin());
  // The command did reach the part and is only slower than thought. All behind it were dropped and go again.
  work.busy.wasTooShort();
  holdsInARow_ = held == (measuring ? 1u : 0u) ? holdsInARow_ + 1 : 0;
  if (holdsInARow_ >= 6) clockedWaits_ = true;
  waitReady(work, addresses[held]);
  return held + 1;
}

void SpiNor::carryOut(const Work& work, Progress& progress) {
  for (std::size_t i = 0; i < work.count;) {
    const std::uint64_t address = work.range(i).begin;
    throwIfStopped(progress, address);
    std::size_t done = 1;
    if (waitsLongest_ || work.busy.wait() > kLongestInStream) {
      oneAlone(work, i);
    } else {
      done = at(address, [&] { return streamSome(work, i); });
    }
    for (std::size_t k = i; k < i + done; ++k) progress.advanced(work.range(k));
    i += done;
  }
}

void SpiNor::erase(std::span<const memory::EraseBlock> blocks, Progress& progress) {
  for (const memory::EraseBlock& block : blocks) requireReach(block.range);
  if (!blocks.empty()) requireFourBytes(blocks.front().range.begin);
  enabled_ = true;
  while (!blocks.empty()) {
    const std::size_t type = blocks.front().type;
    std::size_t count = 1;
    while (count < blocks.size() && blocks[count].type == type) ++count;
    const EraseCommand& command = commands_.erase.at(type);
    const bool own = commands_.fourByte == FourByteEntry::OwnCommands && command.opcode4 != 0;
    const auto add = [&](Batch& batch, std::size_t i) {
      batch.items.exchange(addressed(Kind::Erase, own ? command.opcode4 : command.opcode, blocks[i].range.begin));
    };
    constexpr std::size_t kClocks = 40;
    carryOut({"erasing", eraseBusy_[type], geometry().erase[type].longest, count,
              [&](std::size_t i) { return blocks[i].range; }, kClocks, add},
             progress);
    blocks = blocks.subspan(count);
  }
}

void SpiNor::program(std::span<const memory::PageWrite> pages, Progress& progress) {
  for (const memory::PageWrite& page : pages) requireReach(page.range());
  if (pages.empty()) return;
  requireFourBytes(pages.front().address);
  enabled_ = true;
  std::size_t longest = 0;
  for (const memory::PageWrite& page : pages) longest = std::max(longest, page.bytes.size());
  const WideCommand* wide = wide_.program();
  carryOut({"programming", pageBusy_, geometry_.pageLongest, pages.size(),
            [&](std::size_t i) { return pages[i].range(); }, 40 + 8 * longest / (wide == nullptr ? 1 : wide->dataLines),
            [&](Batch& batch, std::size_t i) { addProgram(batch, pages[i]); }},
           progress);
  // Where nothing told before, what was just written may tell now.
  requireFourBytes(pages.back().address);
}

}  // namespace imprimo::flash
