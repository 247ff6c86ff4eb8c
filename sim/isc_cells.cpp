// SPDX-License-Identifier: GPL-3.0-or-later
//
// After IEEE 1532: work begins when Run-Test/Idle is entered, and the device has to stay there as long as the work
// takes; everything but ISC_ENABLE and what only looks needs ISC mode, which ISC_ENABLE begins and ISC_DISABLE ends.
#include "sim/isc_cells.h"

#include <fmt/format.h>

namespace imprimo::sim {
namespace {

const char* nameOf(Role role) {
  switch (role) {
    case Role::IscEnable:
      return "ISC_ENABLE";
    case Role::IscDisable:
      return "ISC_DISABLE";
    case Role::IscErase:
      return "ISC_ERASE";
    case Role::IscProgram:
      return "ISC_PROGRAM";
    case Role::IscRead:
      return "ISC_READ";
    case Role::IscUsercode:
      return "ISC_PROGRAM_USERCODE";
    case Role::IscDone:
      return "ISC_PROGRAM_DONE";
    case Role::IscSecurity:
      return "ISC_PROGRAM_SECURITY";
    default:
      return "this instruction";
  }
}

bool works(Role role) {
  return role == Role::IscEnable || role == Role::IscDisable || role == Role::IscErase || role == Role::IscProgram ||
         role == Role::IscRead || role == Role::IscUsercode || role == Role::IscDone || role == Role::IscSecurity;
}

std::uint32_t word(const std::vector<bool>& bits, std::size_t at) {
  std::uint32_t value = 0;
  for (std::size_t i = 0; i < 32 && at + i < bits.size(); ++i) value |= static_cast<std::uint32_t>(bits[at + i]) << i;
  return value;
}

std::vector<bool> bitsOf(std::uint64_t value, std::size_t length) {
  std::vector<bool> bits(length);
  for (std::size_t i = 0; i < length && i < 64; ++i) bits[i] = (value >> i & 1) != 0;
  return bits;
}

/// CRC-32 over bits, the first of each eight the lowest.
std::uint32_t crcOf(const std::vector<bool>& bits, std::size_t count) {
  std::uint32_t crc = 0xFFFFFFFF;
  for (std::size_t i = 0; i < count; ++i) {
    const bool low = ((crc & 1) != 0) != bits[i];
    crc >>= 1;
    if (low) crc ^= 0xEDB88320u;
  }
  return ~crc;
}

}  // namespace

IscCells::IscCells(IscModel model, Violations& violations)
    : model_(std::move(model)),
      violations_(violations),
      rows_(model_.rows, std::vector<bool>(model_.width, model_.blank)),
      latch_(model_.width, false),
      readout_(model_.width, false) {}

double IscCells::secondsOf(Role role) const {
  switch (role) {
    case Role::IscEnable:
      return model_.enableSeconds;
    case Role::IscDisable:
      return model_.disableSeconds;
    case Role::IscErase:
      return model_.eraseSeconds;
    case Role::IscRead:
      return model_.readSeconds;
    default:
      return model_.programSeconds;
  }
}

/// Work that is over by now, whether or not anybody waited for it elsewhere than in Run-Test/Idle.
void IscCells::settle(Time now) {
  if (work_ && now >= work_->end) finish(true);
}

void IscCells::instruction(Role role, Time now) {
  settle(now);
  selected_ = role;
  updated_ = false;
  const bool looks = role == Role::None || role == Role::Usercode || role == Role::IscStatus || role == Role::IscNoop;
  if (work_ && !looks) {
    violate(fmt::format("{} while {} is still at work", nameOf(role), nameOf(work_->role)));
    error_ = true;
  }
  if (looks || role == Role::IscEnable || mode_ == Mode::Accessed) return;
  if (role == Role::IscDisable && mode_ == Mode::Complete) return;
  violate(fmt::format("{} outside of ISC mode", nameOf(role)));
}

std::vector<bool> IscCells::capture(Role role, Time now) {
  settle(now);
  switch (role) {
    case Role::Usercode:
      return bitsOf(usercode_, 32);
    case Role::IscUsercode:
      return bitsOf(0, 32);
    case Role::IscStatus:
      return bitsOf((work_ ? 0u : 1u << Ready) | (error_ ? 1u << Error : 0u) | (done_ ? 1u << Done : 0u) |
                        (secured_ ? 1u << Secured : 0u) | (mode_ == Mode::Accessed ? 1u << Accessed : 0u),
                    8);
    case Role::IscAddress:
      return bitsOf(address_, model_.addressBits);
    case Role::IscData:
      return latch_;
    case Role::IscProgram:
      return std::vector<bool>(model_.program == IscModel::Program::Array ? model_.rows * model_.width
                               : model_.program == IscModel::Program::Row ? model_.width
                                                                          : 1);
    case Role::IscRead:
      return readout_;
    default:
      return {false};
  }
}

void IscCells::update(Role role, const std::vector<bool>& bits, Time now) {
  settle(now);
  if (mode_ != Mode::Accessed || work_) return;
  if (role == Role::IscAddress) address_ = word(bits, 0);
  if (role == Role::IscData) latch_ = bits;
  if (role == Role::IscProgram && model_.program != IscModel::Program::Latch) {
    latch_ = bits;
    updated_ = true;
  }
  if (role == Role::IscUsercode) {
    newUsercode_ = word(bits, 0);
    updated_ = true;
  }
}

void IscCells::enterIdle(Role role, Time now) {
  settle(now);
  if (!works(role) || work_) return;
  if (role != Role::IscEnable && mode_ == Mode::Normal) return;
  const bool wants =
      role == Role::IscUsercode || (role == Role::IscProgram && model_.program != IscModel::Program::Latch);
  if (wants && !updated_) {
    violate(fmt::format("Run-Test/Idle was passed with {} before its data was there", nameOf(role)));
    return;
  }
  updated_ = false;
  work_ = Work{role, now, now + fromSeconds(secondsOf(role))};
}

void IscCells::leaveIdle(Role, Time now, std::uint64_t) {
  if (!work_) return;
  if (now >= work_->end) return finish(true);
  if (model_.selfTimed) return;
  violate(fmt::format("left Run-Test/Idle {:.0f} us after {}, which takes {:.0f} us",
                      toSeconds(now - work_->begin) * 1e6, nameOf(work_->role),
                      toSeconds(work_->end - work_->begin) * 1e6));
  error_ = true;
  finish(false);
}

void IscCells::testLogicReset(Time now) {
  settle(now);
  if (mode_ == Mode::Accessed && work_ && !model_.selfTimed) finish(false);
  mode_ = Mode::Normal;
}

void IscCells::powerLost(Time now) {
  settle(now);
  if (work_) finish(false);
  mode_ = Mode::Normal;
  selected_ = Role::None;
  error_ = false;
  if (!model_.isVolatile) return;
  for (auto& row : rows_) row.assign(model_.width, model_.blank);
  done_ = false;
  usercode_ = 0xFFFFFFFF;
}

void IscCells::programRow(std::size_t row, const std::vector<bool>& bits, bool whole) {
  if (row >= model_.rows) return violate(fmt::format("row {} is programmed, there are {}", row, model_.rows));
  if (secured_) {
    error_ = true;
    return;
  }
  std::vector<bool>& cells = rows_[row];
  const bool blank = cells == std::vector<bool>(model_.width, model_.blank);
  if (model_.needsErase && !blank && cells != bits) {
    violate(fmt::format("row {} is programmed and was not erased", row));
    error_ = true;
  }
  for (std::size_t i = 0; i < model_.width; ++i) {
    if (!whole && i % 2 == 1) continue;  // as far as it got
    // Programming moves a cell away from blank only, where it has to be erased before.
    if (!model_.needsErase || cells[i] == model_.blank) cells[i] = bits[i];
  }
}

bool IscCells::arrayIsGood() const {
  if (!model_.checked) return true;
  const std::size_t all = latch_.size();
  if (all < 64) return false;
  return (word(latch_, 0) & 0x0FFFFFFF) == (model_.idcode & 0x0FFFFFFF) &&
         word(latch_, all - 32) == crcOf(latch_, all - 32);
}

void IscCells::finish(bool whole) {
  const Role role = work_->role;
  work_.reset();
  const auto stuckLevel = stuck_ ? std::optional<bool>(rows_[stuck_->first][stuck_->second]) : std::nullopt;
  switch (role) {
    case Role::IscEnable:
      if (whole) mode_ = Mode::Accessed;
      error_ = false;
      break;
    case Role::IscDisable:
      mode_ = Mode::Complete;
      break;
    case Role::IscErase:
      for (std::size_t r = 0; r < rows_.size(); ++r) {
        if (whole || r % 2 == 0) rows_[r].assign(model_.width, model_.blank);
      }
      done_ = false;
      if (whole) secured_ = false;
      usercode_ = 0xFFFFFFFF;
      break;
    case Role::IscProgram:
      if (model_.program == IscModel::Program::Array) {
        for (std::size_t r = 0; r < rows_.size(); ++r) {
          const auto from = latch_.begin() + static_cast<std::ptrdiff_t>(r * model_.width);
          programRow(r, {from, from + static_cast<std::ptrdiff_t>(model_.width)}, whole);
        }
        if (!arrayIsGood()) error_ = true;
        done_ = model_.isVolatile && whole && !error_;
      } else {
        programRow(address_, latch_, whole);
      }
      if (model_.increments) ++address_;
      break;
    case Role::IscRead:
      readout_ = secured_ || address_ >= model_.rows ? std::vector<bool>(model_.width, false) : rows_[address_];
      if (model_.increments) ++address_;
      break;
    case Role::IscUsercode:
      if (whole && !secured_) usercode_ = newUsercode_;
      break;
    case Role::IscDone:
      done_ = whole && !error_;
      break;
    case Role::IscSecurity:
      secured_ = secured_ || whole;
      break;
    default:
      break;
  }
  if (stuckLevel) rows_[stuck_->first][stuck_->second] = *stuckLevel;
}

std::string IscCells::state(Time now) {
  settle(now);
  return fmt::format("{}, user code 0x{:08x}{}{}", done_ ? "programmed" : "not programmed", usercode_,
                     secured_ ? ", secured" : "", mode_ == Mode::Accessed ? ", in ISC mode" : "");
}

}  // namespace imprimo::sim
