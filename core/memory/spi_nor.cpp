// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/memory/spi_nor.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.h"
#include "core/base/number.h"

namespace imprimo::memory {
namespace {

using std::chrono::microseconds;

constexpr std::uint8_t kRead = 0x03, kProgram = 0x02, kWriteEnable = 0x06, kReadStatus = 0x05, kBusy = 0x01;
constexpr std::uint8_t kEnterFourByte = 0xB7, kLeaveFourByte = 0xE9;

/// What is queued at once: as much as a stop may have to wait for, less the time it takes to get there.
constexpr double kQueuedSeconds = 0.045;
constexpr std::size_t kMostBytesInExchange = 65000;
constexpr int kBatchesBetweenMeasures = 24;
/// Pages that take still longer are so rare that looking at them again costs less than waiting for all.
constexpr double kLeastMargin = 1.04, kMostMargin = 1.5;
/// Clocks from the end of a page program to the first status byte of the guard behind it: header, command, mask, value
/// and the status command itself.
constexpr double kGuardLeadClocks = 72;

microseconds inMicroseconds(double seconds) {
  return microseconds(static_cast<long>(std::ceil(seconds * 1e6)));
}

/// Anything that goes wrong in the middle is told with the address at which the work stood.
template <typename Work>
auto at(std::uint64_t address, Work&& work) {
  try {
    return work();
  } catch (Error& e) {
    if (!e.at()) e.setAt(address);
    throw;
  }
}

void throwIfStopped(const Progress& progress, std::uint64_t address) {
  if (progress.stopRequested()) {
    throw Error(ErrorKind::Stopped, fmt::format("stopped at {}", hexAddress(address))).setAt(address);
  }
}

}  // namespace

SpiNor::SpiNor(spi::SpiPort& port, Geometry geometry, std::string name)
    : port_(port),
      geometry_(std::move(geometry)),
      name_(std::move(name)),
      pageBusy_(geometry_.pageTypical),
      margin_(kLeastMargin) {
  if (geometry_.size > 1u << 24) enterFourByte();
}

void SpiNor::enterFourByte() {
  Bytes enter;
  switch (geometry_.fourByte) {
    case FourByteEntry::Always:
      break;
    case FourByteEntry::Command:
      enter = {kEnterFourByte};
      leaveFourByte_ = {kLeaveFourByte};
      break;
    case FourByteEntry::WriteEnableThenCommand:
      enter = {kWriteEnable, kEnterFourByte};
      leaveFourByte_ = {kWriteEnable, kLeaveFourByte};
      break;
    case FourByteEntry::NotNeeded:
    case FourByteEntry::Unknown:
      throw Error(ErrorKind::Refused,
                  fmt::format("{} has {}, but does not say how addresses over 16 MiB are reached", name_,
                              sizeText(geometry_.size)),
                  "Describe it with a part card that has \"four_byte\".");
  }
  fourByte_ = true;
  spi::SpiBatch batch;
  for (const std::uint8_t command : enter) batch.exchange({command});
  if (!enter.empty()) port_.run(batch);
}

SpiNor::~SpiNor() {
  if (leaveFourByte_.empty()) return;
  try {
    spi::SpiBatch batch;
    for (const std::uint8_t command : leaveFourByte_) batch.exchange({command});
    port_.run(batch);
  } catch (const Error&) {
    // The link is gone; the part leaves the mode when its supply does.
  }
}

Bytes SpiNor::addressed(std::uint8_t command, std::uint64_t address) const {
  Bytes bytes{command};
  for (int shift = fourByte_ ? 24 : 16; shift >= 0; shift -= 8)
    bytes.push_back(static_cast<std::uint8_t>(address >> shift));
  return bytes;
}

void SpiNor::read(std::uint64_t address, std::span<std::uint8_t> out, Progress& progress) {
  const auto atOnce =
      std::clamp<std::size_t>(static_cast<std::size_t>(kQueuedSeconds * port_.clockHz() / 8), 64, kMostBytesInExchange);
  while (!out.empty()) {
    throwIfStopped(progress, address);
    const std::size_t count = std::min(out.size(), atOnce);
    spi::SpiBatch batch;
    batch.exchange(addressed(kRead, address), count);
    const Bytes bytes = at(address, [&] { return std::move(port_.run(batch).answers[0]); });
    std::copy(bytes.begin(), bytes.end(), out.begin());
    progress.advanced({address, address + count});
    out = out.subspan(count);
    address += count;
  }
}

void SpiNor::waitReady(microseconds typical, double longest, std::uint64_t address, const char* what) {
  spi::SpiBatch batch;
  batch.expect({kReadStatus, kBusy, 0, typical, inMicroseconds(longest)});
  if (port_.run(batch).timedOutAt) {
    throw Error(ErrorKind::NotProgrammed, fmt::format("{}: the part is still busy {} after {}, {} at {}", name_, what,
                                                      durationText(longest), what, hexAddress(address)))
        .setAt(address);
  }
}

void SpiNor::erase(std::span<const EraseBlock> blocks, Progress& progress) {
  for (const EraseBlock& block : blocks) {
    throwIfStopped(progress, block.range.begin);
    const EraseType& type = geometry_.erase.at(block.type);
    spi::SpiBatch batch;
    batch.exchange({kWriteEnable});
    batch.exchange(addressed(type.opcode, block.range.begin));
    batch.expect({kReadStatus, kBusy, 0, inMicroseconds(type.typical), inMicroseconds(type.longest)});
    const auto answers = at(block.range.begin, [&] { return port_.run(batch); });
    if (answers.timedOutAt) {
      throw Error(ErrorKind::NotErased,
                  fmt::format("{}: the block {} is still being erased after {}, its longest time", name_,
                              rangeText(block.range), durationText(type.longest)),
                  "The part may be worn out or its supply too low.")
          .setAt(block.range.begin);
    }
    progress.advanced(block.range);
  }
}

double SpiNor::pageSeconds(const PageWrite& page) const {
  const double clocks = static_cast<double>(3 * port_.clocksPerExchange() + 8 * (page.bytes.size() + 12));
  return clocks / port_.clockHz() + pageBusy_ * margin_;
}

microseconds SpiNor::pageWait() const {
  return inMicroseconds(std::max(0.0, pageBusy_ * margin_ - kGuardLeadClocks / port_.clockHz()) + 1e-6);
}

void SpiNor::learn(const Bytes& statusBytes) {
  const auto ready =
      std::find_if(statusBytes.begin(), statusBytes.end(), [](std::uint8_t s) { return (s & kBusy) == 0; });
  if (ready == statusBytes.end()) return;
  const double seen = (kGuardLeadClocks + 8.0 * static_cast<double>(ready - statusBytes.begin())) / port_.clockHz();
  pageBusy_ = !measured_ || seen > pageBusy_ ? seen : 0.9 * pageBusy_ + 0.1 * seen;
  measured_ = true;
}

/// Programs the first few pages in one batch; returns how many.
std::size_t SpiNor::programBatch(std::span<const PageWrite> pages) {
  std::size_t count = 0;
  double seconds = 0;
  const bool measuring = batchesUntilMeasure_-- <= 0;
  if (measuring) batchesUntilMeasure_ = kBatchesBetweenMeasures;
  std::vector<std::size_t> guards;
  spi::SpiBatch batch;
  // Until a page was measured the data sheet's figure is all we have, so the first goes alone.
  while (count < pages.size() && (count == 0 || (measured_ && seconds + pageSeconds(pages[count]) < kQueuedSeconds))) {
    const PageWrite& page = pages[count];
    Bytes command = addressed(kProgram, page.address);
    command.insert(command.end(), page.bytes.begin(), page.bytes.end());
    batch.exchange({kWriteEnable});
    batch.exchange(std::move(command));
    std::size_t statusBytes = 1;
    if (count == 0 && measuring) {
      const double watched = 1.5 * pageBusy_ * margin_ * port_.clockHz() / 8;
      statusBytes = std::clamp<std::size_t>(static_cast<std::size_t>(watched), 1, kMostBytesInExchange);
    } else {
      batch.wait({pageWait(), clockedWaits_});
    }
    guards.push_back(batch.guard({kReadStatus, kBusy, 0, statusBytes}));
    seconds += pageSeconds(page);
    ++count;
  }

  const spi::SpiAnswers answers = port_.run(batch);
  if (measuring) learn(answers.answers[guards[0]]);
  if (!answers.heldAt) {
    margin_ = std::max(kLeastMargin, margin_ * 0.998);
    holdsInARow_ = 0;
    return count;
  }
  const auto held = static_cast<std::size_t>(std::find(guards.begin(), guards.end(), *answers.heldAt) - guards.begin());
  // The page did reach the part and is only slower than thought. All behind it were dropped and go again.
  margin_ = std::min(margin_ * 1.05, kMostMargin);
  holdsInARow_ = held == (measuring ? 1u : 0u) ? holdsInARow_ + 1 : 0;
  if (holdsInARow_ >= 6) clockedWaits_ = true;
  waitReady(inMicroseconds(pageBusy_ * 0.1), geometry_.pageLongest, pages[held].address, "programming");
  return held + 1;
}

void SpiNor::program(std::span<const PageWrite> pages, Progress& progress) {
  while (!pages.empty()) {
    const std::uint64_t address = pages.front().address;
    throwIfStopped(progress, address);
    const std::size_t count = at(address, [&] { return programBatch(pages); });
    for (const PageWrite& page : pages.first(count)) progress.advanced(page.range());
    pages = pages.subspan(count);
  }
}

}  // namespace imprimo::memory
