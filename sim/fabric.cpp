// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/fabric.h"

#include <fmt/format.h>

#include <array>

namespace imprimo::sim {
namespace {

constexpr std::size_t kHeaderBytes = 16;

/// CRC-32 as IEEE 802.3 has it, a byte at a time.
std::uint32_t crcStep(std::uint32_t crc, std::uint8_t byte) {
  crc ^= byte;
  for (int i = 0; i < 8; ++i) crc = (crc & 1) != 0 ? crc >> 1 ^ 0xEDB88320u : crc >> 1;
  return crc;
}

const std::uint32_t* crcTable() {
  static const auto table = [] {
    std::array<std::uint32_t, 256> t{};
    for (unsigned i = 0; i < 256; ++i) t[i] = crcStep(0, static_cast<std::uint8_t>(i));
    return t;
  }();
  return table.data();
}

}  // namespace

Fabric::Fabric(FabricModel model, SpiFlash* flash, Violations& violations)
    : model_(std::move(model)), flash_(flash), violations_(violations) {
  reload(0);
}

void Fabric::take(Loader& l, std::uint8_t byte) const {
  if (!l.synced) {
    l.window.push_back(byte);
    if (l.window.size() > model_.sync.size()) l.window.erase(l.window.begin());
    l.synced = l.window == model_.sync;
    return;
  }
  const std::uint64_t behind = l.at++;
  if (l.loaded || l.crcError || l.wrongDevice) {
    l.extra = l.extra || (l.loaded && byte != 0);
    return;
  }
  if (behind < kHeaderBytes) {
    std::uint32_t* field[] = {&l.idcode, &l.usercode, &l.length, &l.flags};
    std::uint32_t& f = *field[behind / 4];
    f = f << 8 | byte;
    if (behind == 3) l.wrongDevice = (l.idcode & 0x0FFFFFFF) != (model_.idcode & 0x0FFFFFFF);
  }
  // The length counts from the sync word, the check sum is its last four bytes.
  const std::uint64_t end = l.length > model_.sync.size() ? l.length - model_.sync.size() : 0;
  if (behind < kHeaderBytes || behind + 4 < end) {
    if (behind == 0) l.crc = 0xFFFFFFFF;
    l.crc = l.crc >> 8 ^ crcTable()[(l.crc ^ byte) & 0xFF];
    return;
  }
  l.given = l.given << 8 | byte;
  if (behind + 1 < end) return;
  l.loaded = l.given == ~l.crc;
  l.crcError = !l.loaded;
}

void Fabric::clear(Time now) {
  started_ = fromFlash_ = false;
  loader_ = {};
  cleared_ = true;
  clearUntil_ = now + fromSeconds(model_.clearSeconds);
}

void Fabric::reload(Time now) {
  clear(now);
  cleared_ = false;
  listening_ = false;
  if (flash_ == nullptr) return;
  Time busy = fromSeconds(model_.clearSeconds);
  for (const std::uint64_t from : model_.bootsFrom) {
    Loader loader;
    // Where no sync word comes soon, there is no bitstream.
    constexpr std::uint64_t kPad = 4096;
    std::uint64_t at = from;
    for (; at < flash_->model().size; ++at) {
      const std::uint8_t stored = flash_->cells().get(at);
      take(loader, model_.storedReversed ? reverseBits(stored) : stored);
      if (loader.loaded || loader.crcError || loader.wrongDevice || (!loader.synced && at - from > kPad)) break;
    }
    busy += fromSeconds(8.0 * static_cast<double>(at - from) / model_.loadHz);
    loader_ = loader;
    if (!loader.loaded) continue;
    started_ = fromFlash_ = true;
    break;
  }
  runsFrom_ = now + busy;
}

void Fabric::powerLost(Time now) {
  clear(now);
  cleared_ = listening_ = false;
}

void Fabric::instruction(Role role, Time now) {
  if (role == Role::FabricClear && model_.secured) return;
  if (role == Role::FabricClear) clear(now);
  if (role != Role::FabricLoad) return;
  listening_ = cleared_ && now >= clearUntil_ && !model_.secured;
  if (!listening_ && !model_.secured) {
    violations_.add(model_.name + (cleared_ ? ": data is loaded while the fabric is still being cleared"
                                            : ": data is loaded into a fabric that was not cleared"));
  }
}

void Fabric::shiftIn(Role, std::uint64_t bits, int count) {
  if (!listening_) return;
  for (int i = 0; i < count; ++i) {
    const bool bit = (bits >> i & 1) != 0;
    if (!loader_.synced) {
      // The sync word may begin at any bit.
      loader_.byte = static_cast<std::uint8_t>(loader_.byte << 1 | (bit ? 1 : 0));
      loader_.window.push_back(bit ? 1 : 0);
      if (loader_.window.size() > 8 * model_.sync.size()) loader_.window.erase(loader_.window.begin());
      if (loader_.window.size() < 8 * model_.sync.size() || loader_.byte != model_.sync.back()) continue;
      bool all = true;
      for (std::size_t k = 0; k < loader_.window.size(); ++k)
        all = all && loader_.window[k] == (model_.sync[k / 8] >> (7 - k % 8) & 1);
      loader_.synced = all;
      loader_.bits = 0;
      continue;
    }
    loader_.byte = static_cast<std::uint8_t>(loader_.byte << 1 | (bit ? 1 : 0));
    if (++loader_.bits < 8) continue;
    loader_.bits = 0;
    take(loader_, loader_.byte);
  }
}

void Fabric::enterIdle(Role role, Time now) {
  if (role == Role::FabricReload) reload(now);
}

void Fabric::leaveIdle(Role role, Time now, std::uint64_t clocks) {
  if (role != Role::FabricStart || !loader_.loaded || started_ || clocks < model_.startClocks) return;
  started_ = true;
  runsFrom_ = now;
  cleared_ = false;
}

std::uint16_t Fabric::status(Time now) const {
  const bool clearing = now < clearUntil_ || (started_ && fromFlash_ && now < runsFrom_);
  const auto bit = [](StatusBit b, bool set) { return static_cast<unsigned>(set ? 1 : 0) << b; };
  unsigned s = bit(Clearing, clearing) | bit(Clear, cleared_ && !clearing) | bit(Locked, model_.secured);
  if (!clearing) {
    s |= bit(Synced, loader_.synced) | bit(WrongDevice, loader_.wrongDevice) | bit(CrcError, loader_.crcError) |
         bit(Loaded, loader_.loaded) | bit(Extra, loader_.extra) | bit(Running, running(now)) |
         bit(FromFlash, running(now) && fromFlash_);
  }
  return static_cast<std::uint16_t>(s);
}

std::vector<bool> Fabric::capture(Role role, Time now) {
  std::uint64_t value = 0;
  std::size_t length = 1;
  if (role == Role::Usercode) {
    length = 32;
    value = running(now) ? loader_.usercode : 0xFFFFFFFF;
  } else if (role == Role::FabricStatus) {
    length = 16;
    value = status(now);
  }
  std::vector<bool> bits(length);
  for (std::size_t i = 0; i < length; ++i) bits[i] = (value >> i & 1) != 0;
  return bits;
}

std::uint64_t Fabric::captureInstruction(std::uint64_t fixed, Time now) {
  if (!model_.captureTells) return fixed;
  return (fixed & ~0xCull) | (running(now) ? 4 : 0) | ((status(now) & 1u << Clear) != 0 ? 8 : 0);
}

std::string Fabric::state(Time now) {
  if (running(now)) {
    return fmt::format("runs 0x{:08x} {}{}", loader_.usercode, fromFlash_ ? "from flash" : "from the TAP",
                       (loader_.flags & 1) != 0 ? ", a bridge" : "");
  }
  return loader_.crcError      ? "CRC error"
         : loader_.wrongDevice ? "wrong part"
         : loader_.loaded      ? "loaded, not started"
         : cleared_            ? "clear"
                               : "no design";
}

}  // namespace imprimo::sim
