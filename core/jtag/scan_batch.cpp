// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/jtag/scan_batch.h"

#include <fmt/format.h>

namespace imprimo::jtag {
namespace {

std::string describeItem(const Scan& scan) {
  std::string text = (scan.into == Register::Instruction ? "IR " : "DR ") + scan.out.wireText();
  for (const BitRange& range : scan.captures) text += fmt::format(" [{}..{})", range.begin, range.end);
  for (const Scan::Wait& wait : scan.waits) text += fmt::format(" wait {} us at {}", wait.time.count(), wait.at);
  if (scan.until == Rest::Update) text += " >";
  if (scan.until == Rest::Shift) text += " ...";
  if (scan.until == Rest::Pause) text += " pause";
  if (scan.until == Rest::Reset) text += " reset";
  return text;
}
std::string describeItem(const ResetTap&) {
  return "reset";
}
std::string describeItem(const Idle& idle) {
  return fmt::format("idle {}", idle.clocks);
}
std::string describeItem(const Delay& delay) {
  return fmt::format("delay {} us", delay.time.count());
}
std::string describeItem(const Clocks& clocks) {
  return fmt::format("tms {} x {}", clocks.tms ? 1 : 0, clocks.count);
}

}  // namespace

ScanBatch::ScanBatch() = default;
ScanBatch::ScanBatch(const ScanBatch&) = default;
ScanBatch::ScanBatch(ScanBatch&&) noexcept = default;
ScanBatch& ScanBatch::operator=(const ScanBatch&) = default;
ScanBatch& ScanBatch::operator=(ScanBatch&&) noexcept = default;
ScanBatch::~ScanBatch() = default;

ScanBatch& ScanBatch::reset() {
  return add(ResetTap{});
}

ScanBatch& ScanBatch::idle(std::uint32_t clocks, Lasting lasting) {
  return add(Idle{clocks, lasting});
}

ScanBatch& ScanBatch::delay(std::chrono::microseconds time) {
  return add(Delay{time});
}

ScanBatch& ScanBatch::clocks(bool tms, std::uint32_t count, Lasting lasting) {
  return add(Clocks{tms, count, lasting});
}

ScanBatch& ScanBatch::add(Item item) {
  items_.push_back(std::move(item));
  return *this;
}

ScanBatch& ScanBatch::send(Register into, BitVector out) {
  return add(Scan{into, std::move(out), {}, {}, Rest::Idle, Rest::Idle, {}});
}

ScanBatch& ScanBatch::exchange(Register into, BitVector out) {
  const std::size_t size = out.size();
  return add(Scan{into, std::move(out), {{0, size}}, {}, Rest::Idle, Rest::Idle, {}});
}

std::uint64_t clocksAround(Register into, Rest from, Rest until) {
  std::uint64_t clocks = 0;
  if (from != Rest::Shift) clocks += into == Register::Instruction ? 4 : 3;
  if (from == Rest::Pause) clocks += 2;
  if (from == Rest::Reset) clocks += 1;
  switch (until) {
    case Rest::Idle:
      return clocks + 2;
    case Rest::Update:
    case Rest::Pause:
      return clocks + 1;
    case Rest::Reset:
      return clocks + 4;
    case Rest::Shift:
      break;
  }
  return clocks;
}

std::uint64_t clocksOf(const ScanBatch::Item& item) {
  if (const auto* scan = std::get_if<Scan>(&item))
    return scan->out.size() + clocksAround(scan->into, scan->from, scan->until);
  if (const auto* idle = std::get_if<Idle>(&item)) return idle->clocks;
  if (const auto* clocks = std::get_if<Clocks>(&item)) return clocks->count;
  return std::holds_alternative<ResetTap>(item) ? 6 : 0;
}

std::string describe(const ScanBatch& batch) {
  std::string text;
  for (const ScanBatch::Item& item : batch.items()) {
    if (!text.empty()) text += " | ";
    text += std::visit([](const auto& i) { return describeItem(i); }, item);
  }
  return text;
}

}  // namespace imprimo::jtag
