// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/pins/parallel_nor.h"

#include <fmt/format.h>

#include <bit>
#include <cmath>
#include <utility>

namespace imprimo::sim {

ParallelNor::ParallelNor(ParallelNorModel model, Violations& violations)
    : model_(std::move(model)), violations_(violations), cells_(model_.size) {
  constexpr std::uint64_t kBlock = 65536;
  if (model_.regions.empty()) model_.regions = {{model_.size / kBlock, kBlock}};
  powerLost();
}

void ParallelNor::powerLost() {
  mode_ = Mode::Array;
  next_ = Next::Command;
  opened_ = 0;
  eraseArmed_ = known_ = latchedOnly_ = false;
  status_ = 0x80;
  busyUntil_ = 0;
  std::uint64_t blocks = 0;
  for (const ParallelNorModel::Region& region : model_.regions) blocks += region.count;
  locked_.assign(blocks, model_.locks);
}

std::size_t ParallelNor::blockOf(std::uint32_t address, std::uint64_t* begin, std::uint64_t* end) const {
  const std::uint64_t at = std::uint64_t{address} * bytesPerWord() % model_.size;
  std::uint64_t from = 0;
  std::size_t index = 0;
  for (const ParallelNorModel::Region& region : model_.regions) {
    const std::uint64_t size = region.count * region.size;
    if (at < from + size) {
      const std::uint64_t in = (at - from) / region.size;
      if (begin != nullptr) *begin = from + in * region.size;
      if (end != nullptr) *end = from + (in + 1) * region.size;
      return index + in;
    }
    from += size;
    index += region.count;
  }
  return 0;
}

std::uint16_t ParallelNor::cell(std::uint32_t address) const {
  const std::uint64_t at = std::uint64_t{address} * bytesPerWord() % model_.size;
  std::uint16_t word = cells_.get(at);
  if (bytesPerWord() == 2) word = static_cast<std::uint16_t>(word | cells_.get(at + 1) << 8);
  return word;
}

/// JESD68.01: 0x10 to 0x1A identification, 0x1B to 0x26 voltages and times, from 0x27 on the geometry.
std::uint8_t ParallelNor::query(std::uint32_t at) const {
  constexpr std::uint32_t kExtended = 0x40;
  const auto exponent = [](double seconds, double unit) {
    return static_cast<std::uint8_t>(std::lround(std::log2(seconds / unit)));
  };
  switch (at) {
    case 0x10:
      return 'Q';
    case 0x11:
      return 'R';
    case 0x12:
      return 'Y';
    case 0x13:
      return static_cast<std::uint8_t>(model_.commandSet);
    case 0x15:
      return kExtended;
    case 0x1B:
      return 0x27;
    case 0x1C:
      return 0x36;
    case 0x1F:
      return exponent(model_.word, 1e-6);
    case 0x20:
      return model_.buffer == 0 ? 0 : exponent(model_.bufferTime, 1e-6);
    case 0x21:
      return exponent(model_.erase, 1e-3);
    case 0x23:
    case 0x24:
    case 0x25:
      return 3;  // eight times as long at most
    case 0x27:
      return static_cast<std::uint8_t>(std::countr_zero(model_.size));
    case 0x28:
      return model_.dataBits == 16 ? 1 : 0;
    case 0x2A:
      return model_.buffer == 0 ? 0 : static_cast<std::uint8_t>(std::countr_zero(model_.buffer));
    case 0x2C:
      return static_cast<std::uint8_t>(model_.regions.size());
    case kExtended:
      return 'P';
    case kExtended + 1:
      return 'R';
    case kExtended + 2:
      return 'I';
    case kExtended + 0x0F:
      return model_.topBoot ? 3 : 2;
    default:
      break;
  }
  const std::size_t region = (at - 0x2D) / 4;
  if (at < 0x2D || region >= model_.regions.size()) return 0;
  const ParallelNorModel::Region& of = model_.regions[model_.topBoot ? model_.regions.size() - 1 - region : region];
  const std::uint64_t words = (of.count - 1) | (of.size / 256) << 16;
  return static_cast<std::uint8_t>(words >> (8 * ((at - 0x2D) % 4)));
}

std::uint16_t ParallelNor::answer(std::uint32_t address, Time now) const {
  if (model_.commandSet == 1) {
    if (isBusy(now)) return 0;
    if (mode_ == Mode::Status) return status_;
  } else if (isBusy(now)) {
    return polled_;
  }
  switch (mode_) {
    case Mode::Id: {
      std::uint64_t begin = 0;
      const std::size_t block = blockOf(address, &begin);
      const std::uint64_t in = address - begin / bytesPerWord();
      return in == 0 ? model_.maker : in == 1 ? model_.device : in == 2 && locked_[block] ? 1 : 0;
    }
    case Mode::Query:
      return query(address & 0xFF);
    default:
      return cell(address);
  }
}

void ParallelNor::see(const Levels& levels, Time now) {
  const Levels before = std::exchange(last_, levels);
  if (!known_) {
    known_ = true;
    return;
  }
  if (!before.ce && !levels.ce) {
    if (!before.we && before.address != levels.address) violate("an address moves while it is written");
    if (before.oe != levels.oe && before.we != levels.we) violate("oe and we move together");
    if (before.we && !levels.we) {
      writeAt_ = levels.address;
      if (before.address != levels.address) violate("an address moves with the falling we");
    }
    if (!before.we && levels.we) {
      if (before.data != levels.data) violate("data moves with the rising we");
      if (!levels.oe) violate("it is written while it drives");
      write(writeAt_, before.data, now);
    }
  } else if (before.ce != levels.ce && (before.we != levels.we || (!levels.we && !before.we))) {
    violate("ce moves while we is low");
  }
  // Status is brought by the fall of oe or ce, and stays until the next one.
  if (!levels.ce && !levels.oe && (before.ce || before.oe)) {
    if (model_.commandSet == 2 && isBusy(now)) {
      toggle_ = !toggle_;
      polled_ = static_cast<std::uint16_t>(((programming_ ^ 0x80) & 0x80) | (toggle_ ? 0x40 : 0));
    }
    latchedOnly_ = isBusy(now) || mode_ == Mode::Status;
    latched_ = answer(levels.address, now);
  }
}

std::optional<bool> ParallelNor::drives(unsigned line, Time now) const {
  if (!known_ || last_.ce || last_.oe || !last_.we || line >= model_.dataBits) return std::nullopt;
  return ((latchedOnly_ ? latched_ : answer(last_.address, now)) >> line & 1) != 0;
}

void ParallelNor::program(std::uint32_t address, std::uint16_t data) {
  const std::uint64_t at = std::uint64_t{address} * bytesPerWord() % model_.size;
  for (unsigned i = 0; i < bytesPerWord(); ++i) {
    const auto byte = static_cast<std::uint8_t>(data >> (8 * i));
    const std::uint8_t old = cells_.get(at + i);
    if (byte != 0xFF && (byte & ~old) != 0)
      violate(fmt::format("program 0x{:02X} over 0x{:02X} at 0x{:X}", byte, old, at + i));
    cells_.set(at + i, byte & old);
  }
  ++programs_;
}

void ParallelNor::eraseBlock(std::uint32_t address, Time now) {
  std::uint64_t begin = 0, end = 0;
  const std::size_t block = blockOf(address, &begin, &end);
  if (locked_[block]) {
    status_ = 0xA2;
    return;
  }
  cells_.fill(begin, end, 0xFF);
  ++erases_;
  programming_ = 0xFFFF;
  busyUntil_ = now + fromSeconds(model_.erase);
}

/// What a buffer command is followed by; false: it is not that.
bool ParallelNor::buffer(std::uint32_t address, std::uint16_t data, std::uint16_t go, Time now) {
  if (next_ == Next::Count) {
    left_ = data + 1u;
    buffered_.clear();
    if (left_ * bytesPerWord() > model_.buffer) violate(fmt::format("{} words for its buffer", left_));
    next_ = Next::Data;
    return true;
  }
  if (next_ == Next::Data) {
    const std::uint32_t line = model_.buffer / bytesPerWord();
    if (!buffered_.empty() && address / line != buffered_.front().first / line)
      violate("words of a buffer that lie in two lines of it");
    buffered_.emplace_back(address, data);
    if (--left_ == 0) next_ = Next::Go;
    return true;
  }
  if (next_ != Next::Go) return false;
  next_ = Next::Command;
  if (data != go) {
    violate("a buffer that is not confirmed");
    return true;
  }
  if (locked_[blockOf(address)]) {
    status_ = 0x92;
    return true;
  }
  for (const auto& [at, word] : buffered_) program(at, word);
  programming_ = buffered_.back().second;
  busyUntil_ = now + fromSeconds(model_.bufferTime);
  return true;
}

void ParallelNor::firstSet(std::uint32_t address, std::uint16_t data, Time now) {
  if (buffer(address, data, 0xD0, now)) return;
  const Next next = std::exchange(next_, Next::Command);
  switch (next) {
    case Next::Erase:
      if (data == 0xD0) {
        eraseBlock(address, now);
      } else {
        status_ = 0xB0;
      }
      return;
    case Next::Program:
      if (locked_[blockOf(address)]) {
        status_ = 0x92;
        return;
      }
      program(address, data);
      busyUntil_ = now + fromSeconds(model_.word);
      return;
    case Next::Lock:
      locked_[blockOf(address)] = data == 0x01;
      return;
    default:
      break;
  }
  switch (data & 0xFF) {
    case 0xFF:
      mode_ = Mode::Array;
      return;
    case 0xF0:
      return;  // command set 2's; nothing to this part
    case 0x90:
      mode_ = Mode::Id;
      return;
    case 0x98:
      mode_ = Mode::Query;
      return;
    case 0x50:
      status_ = 0x80;
      return;
    case 0x20:
      next_ = Next::Erase;
      mode_ = Mode::Status;
      return;
    case 0x40:
      next_ = Next::Program;
      mode_ = Mode::Status;
      return;
    case 0x60:
      next_ = Next::Lock;
      mode_ = Mode::Status;
      return;
    case 0xE8:
      if (model_.buffer == 0) break;
      next_ = Next::Count;
      mode_ = Mode::Status;
      return;
    default:
      break;
  }
  violate(fmt::format("unknown command 0x{:02X}", data));
}

void ParallelNor::secondSet(std::uint32_t address, std::uint16_t data, Time now) {
  if (buffer(address, data, 0x29, now)) return;
  if (std::exchange(next_, Next::Command) == Next::Program) {
    program(address, data);
    programming_ = data;
    busyUntil_ = now + fromSeconds(model_.word);
    return;
  }
  const std::uint32_t low = address & 0xFFF;
  const std::uint16_t code = data & 0xFF;
  if (opened_ == 0 && low == 0x555 && code == 0xAA) {
    opened_ = 1;
    return;
  }
  if (opened_ == 1 && low == 0x2AA && code == 0x55) {
    opened_ = 2;
    return;
  }
  const bool open = std::exchange(opened_, 0) == 2;
  if (code == 0xF0) {
    mode_ = Mode::Array;
    eraseArmed_ = false;
    return;
  }
  if (code == 0xFF) return;  // command set 1's; nothing to this part
  if (code == 0x98 && (address & 0xFF) == 0x55) {
    mode_ = Mode::Query;
    return;
  }
  const bool armed = std::exchange(eraseArmed_, false);
  if (!open) return violate(fmt::format("command 0x{:02X} that nothing came before", code));
  if (armed && code == 0x30) return eraseBlock(address, now);
  if (code == 0x25 && model_.buffer != 0) {
    next_ = Next::Count;
  } else if (low != 0x555) {
    violate(fmt::format("command 0x{:02X} at another address", code));
  } else if (code == 0x90) {
    mode_ = Mode::Id;
  } else if (code == 0xA0) {
    next_ = Next::Program;
  } else if (code == 0x80) {
    eraseArmed_ = true;
  } else {
    violate(fmt::format("unknown command 0x{:02X}", code));
  }
}

void ParallelNor::write(std::uint32_t address, std::uint16_t data, Time now) {
  if (isBusy(now)) return violate("it is written while it is busy");
  if (model_.dataBits == 8) data &= 0xFF;
  if (model_.commandSet == 1) {
    firstSet(address, data, now);
  } else {
    secondSet(address, data, now);
  }
}

}  // namespace imprimo::sim
