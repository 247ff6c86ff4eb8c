// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/protection_steps.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/plan/plan_steps.h"

namespace imprimo::plan {

namespace {

/// What is protected now; empty when nothing is known.
RangeSet protectedNow(const Knowledge& known) {
  if (!known.protection) return {};
  const memory::Protection::Level* level = known.protection->levelOf(known.protectionRegister);
  return level == nullptr ? RangeSet() : RangeSet(level->ranges);
}

std::string fieldText(const memory::Protection& protection) {
  return (protection.high == protection.low ? "bit " : "bits ") + memory::bitsText(protection.high, protection.low);
}

}  // namespace

bool ProtectionSteps::open(const RangeSet& changes) const {
  const RangeSet closed = protectedNow(known_);
  std::optional<AddressRange> inTheWay;
  for (const AddressRange& r : changes.ranges()) {
    if (closed.overlaps(r) && !inTheWay) inTheWay = r;
  }
  if (!inTheWay) return false;
  const memory::Protection& protection = *known_.protection;
  const std::uint8_t now = protection.bits().of(known_.protectionRegister);
  const std::string what =
      fmt::format("{} protects {} by its {}, {} = {}", wanted_.memory, rangeText(closed.ranges().front()),
                  protection.inRegister, fieldText(protection), now);
  const memory::Protection::Level* level = protection.openFor(changes);
  if (wanted_.leaveProtection || level == nullptr) {
    throw Error(ErrorKind::Refused, fmt::format("{}, and {} is to be changed", what, rangeText(*inTheWay)),
                wanted_.leaveProtection ? "" : "The part card has no setting that leaves this open.")
        .setHelp(wanted_.leaveProtection ? Help::ClearProtection : Help::None);
  }
  Step& step = addStep(plan_, StepKind::Unprotect, "Clear the block protection", what);
  step.field = level->value;
  step.ranges = closed.ranges();
  step.seconds = 0.01;
  return true;
}

void ProtectionSteps::close() const {
  const std::uint8_t now = known_.protection->bits().of(known_.protectionRegister);
  Step& step =
      addStep(plan_, StepKind::Protect, "Restore the block protection",
              fmt::format("{} of {} = {} before", fieldText(*known_.protection), known_.protection->inRegister, now));
  step.field = now;
  step.ranges = protectedNow(known_).ranges();
  step.seconds = 0.01;
}

}  // namespace imprimo::plan
