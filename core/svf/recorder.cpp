// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/svf/recorder.h"

#include <stdexcept>

#include "core/base/error.h"

namespace imprimo::svf {
namespace {

double secondsOf(std::chrono::microseconds time) {
  return static_cast<double>(time.count()) * 1e-6;
}

}  // namespace

jtag::ScanAnswers Recorder::run(const jtag::ScanBatch& batch) {
  answers_.clear();
  for (const jtag::ScanBatch::Item& item : batch.items()) {
    if (const auto* scan = std::get_if<jtag::Scan>(&item)) add(*scan);
    if (std::holds_alternative<jtag::ResetTap>(item)) writer_.reset();
    if (const auto* idle = std::get_if<jtag::Idle>(&item)) writer_.wait(idle->clocks, 0);
    if (const auto* delay = std::get_if<jtag::Delay>(&item)) writer_.wait(0, secondsOf(delay->time));
    if (std::holds_alternative<jtag::Clocks>(item)) {
      throw Error(ErrorKind::Refused, "a file of vectors is played here, which cannot be written into another one",
                  "Carry it out on a probe, or name the file itself as the route's \"load\".");
    }
  }
  return std::move(answers_);
}

void Recorder::add(const jtag::Scan& scan) {
  using jtag::Rest;
  if (!scan.waits.empty()) throw std::invalid_argument("a wait within a scan cannot be written down");
  if (!scan.captures.empty() && !scan.expected) {
    throw Error(ErrorKind::Refused,
                "what comes out of the chain here decides what is done next; a file of vectors cannot do that",
                "Carry it out on a probe.");
  }
  if (scan.expected && scan.expected->within.count() > 0) writer_.wait(0, secondsOf(scan.expected->within));
  if (scan.from != Rest::Shift) {
    whole_.out.clear();
    tdo_.clear();
    mask_.clear();
  }
  std::size_t at = 0, bit = 0;
  for (const jtag::BitRange& range : scan.captures) {
    tdo_.appendFill(false, whole_.out.size() + range.begin - tdo_.size());
    mask_.appendFill(false, whole_.out.size() + range.begin - mask_.size());
    tdo_.append(scan.expected->value.slice(bit, range.size()));
    mask_.append(scan.expected->mask.slice(bit, range.size()));
    bit += range.size();
    at = range.end;
  }
  if (at > 0) answers_.push_back(scan.expected->value);
  whole_.out.append(scan.out);
  if (scan.until == Rest::Shift) return;
  const bool instruction = scan.into == jtag::Register::Instruction;
  // The next scan follows without Run-Test/Idle: through Pause, Exit2 and Update.
  const jtag::TapState end = scan.until == Rest::Idle    ? jtag::TapState::RunTestIdle
                             : scan.until == Rest::Reset ? jtag::TapState::TestLogicReset
                             : instruction               ? jtag::TapState::PauseIr
                                                         : jtag::TapState::PauseDr;
  const bool compares = !tdo_.empty();
  if (compares) {
    tdo_.appendFill(false, whole_.out.size() - tdo_.size());
    mask_.appendFill(false, whole_.out.size() - mask_.size());
  }
  writer_.scan(instruction ? Field::Sir : Field::Sdr, whole_.out, compares ? &tdo_ : nullptr,
               compares ? &mask_ : nullptr, end);
  tdo_.clear();
}

}  // namespace imprimo::svf
