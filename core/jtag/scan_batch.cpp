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

}  // namespace

ScanBatch& ScanBatch::add(Item item) {
  items_.push_back(std::move(item));
  return *this;
}

ScanBatch& ScanBatch::send(Register into, BitVector out) {
  return add(Scan{into, std::move(out), {}, {}, Rest::Idle, Rest::Idle});
}

ScanBatch& ScanBatch::exchange(Register into, BitVector out) {
  const std::size_t size = out.size();
  return add(Scan{into, std::move(out), {{0, size}}, {}, Rest::Idle, Rest::Idle});
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
