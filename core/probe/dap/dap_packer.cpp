// SPDX-License-Identifier: GPL-3.0-or-later
//
// CMSIS-DAP commands used here (Arm, CMSIS-DAP 2.1):
//   Delay            09, microseconds (2 bytes, low first)                   response 09, status
//   JTAG_Sequence    14, count, count x (info, TDI bytes)                    response 14, status, TDO bytes
//                    info: bits 5-0 clocks (0 is 64), bit 6 TMS, bit 7 capture TDO
//   ExecuteCommands  7F, count, commands                                     response 7F, count, responses
#include "core/probe/dap/dap_packer.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/probe/dap/dap_codes.h"

namespace imprimo::probe {
namespace {

constexpr std::size_t kWrapper = 2;  // ExecuteCommands and its count: room is kept for it, and given back if not needed
constexpr std::uint8_t kMostInOne = 255;
constexpr std::size_t kManyClocks = 1000;

[[noreturn]] void shortAnswer(std::uint8_t id, std::size_t got) {
  throw Error(ErrorKind::LinkLost, fmt::format("the probe's answer to command 0x{:02X} ends after {} bytes", id, got),
              "Its firmware may not follow CMSIS-DAP; connect again, or try another probe.");
}

[[noreturn]] void refused(std::uint8_t id, unsigned code) {
  throw Error(ErrorKind::LinkLost, fmt::format("the probe refused command 0x{:02X} (answer 0x{:02X})", id, code),
              "Its firmware may be too old for JTAG; connect again, or try another probe.");
}

}  // namespace

void DapPacket::unpack(ByteSpan response, BitVector& bits) const {
  std::size_t at = 0;
  const auto take = [&](std::uint8_t id) {
    if (at >= response.size()) shortAnswer(id, response.size());
    return response[at++];
  };
  if (request[0] == kDapExecuteCommands) {
    if (const auto id = take(kDapExecuteCommands); id != kDapExecuteCommands) refused(kDapExecuteCommands, id);
    if (const auto count = take(kDapExecuteCommands); count != commands.size()) refused(kDapExecuteCommands, count);
  }
  for (std::size_t c = 0; c < commands.size(); ++c) {
    const Command& command = commands[c];
    if (const auto id = take(command.id); id != command.id) refused(command.id, id);
    if (const auto status = take(command.id); status != 0) refused(command.id, status);
    const std::size_t lastCapture = c + 1 < commands.size() ? commands[c + 1].firstCapture : captures.size();
    for (std::size_t i = command.firstCapture; i < lastCapture; ++i) {
      const std::size_t count = captures[i];
      const std::size_t bytes = (count + 7) / 8;
      if (at + bytes > response.size()) shortAnswer(command.id, response.size());
      std::uint64_t value = 0;
      std::memcpy(&value, response.data() + at, bytes);
      bits.appendBits(value, count);
      at += bytes;
    }
  }
}

DapPacker::DapPacker(std::size_t packetSize, Emit emit, DapHabits habits)
    : limit_(packetSize + (habits.executesSeveral ? 0 : kWrapper)), emit_(std::move(emit)), habits_(std::move(habits)) {
  begin();
}

void DapPacker::begin() {
  if (spare_.empty()) {
    packet_ = {};
  } else {
    packet_ = std::move(spare_.back());
    spare_.pop_back();
    packet_.request.clear();
    packet_.commands.clear();
    packet_.captures.clear();
    packet_.clocks = 0;
    packet_.waits = {};
  }
  packet_.request.reserve(limit_);
  packet_.request.push_back(kDapExecuteCommands);
  packet_.request.push_back(0);
  countAt_ = 0;
}

void DapPacker::reuse(DapPacket&& packet) {
  spare_.push_back(std::move(packet));
}

void DapPacker::flush() {
  closeSequences();
  if (packet_.commands.empty()) return;
  if (packet_.commands.size() == 1) {
    packet_.request.erase(packet_.request.begin(), packet_.request.begin() + kWrapper);
  } else {
    packet_.request[1] = static_cast<std::uint8_t>(packet_.commands.size());
  }
  emit_(std::move(packet_));
  begin();
}

std::size_t DapPacker::mostCommands() const {
  return habits_.executesSeveral ? kMostInOne : 1;
}

void DapPacker::openSequences() {
  if (countAt_ != 0 && packet_.request[countAt_] == kMostInOne) closeSequences();
  if (countAt_ != 0) return;
  if (packet_.commands.size() == mostCommands()) flush();
  packet_.commands.push_back({kDapJtagSequence, packet_.captures.size()});
  packet_.request.push_back(kDapJtagSequence);
  countAt_ = packet_.request.size();
  packet_.request.push_back(0);
}

void DapPacker::closeSequences() {
  countAt_ = 0;
}

void DapPacker::shift(const BitVector& bits, jtag::BitRange range, bool tmsLevel, bool capture) {
  while (range.begin < range.end) {
    const bool needsCommand = countAt_ == 0 || packet_.request[countAt_] == kMostInOne;
    const std::size_t overhead = 1 + (needsCommand ? 2 : 0);
    if (room() < overhead + 1) {
      flush();
      continue;
    }
    openSequences();
    const std::size_t count = std::min({range.size(), std::size_t{64}, (room() - 1) * 8});
    packet_.request.push_back(static_cast<std::uint8_t>((count & 63) | (tmsLevel ? 0x40 : 0) | (capture ? 0x80 : 0)));
    const std::uint64_t value = bits.bits(range.begin, count);
    const std::size_t at = packet_.request.size();
    packet_.request.resize(at + (count + 7) / 8);
    std::memcpy(packet_.request.data() + at, &value, (count + 7) / 8);
    ++packet_.request[countAt_];
    if (capture) packet_.captures.push_back(static_cast<std::uint8_t>(count));
    packet_.clocks += count;
    range.begin += count;
  }
}

void DapPacker::tms(bool level, std::size_t clocks) {
  static const BitVector kNothing;  // bits past its end read as 0
  if (!level && clocks > kManyClocks) clocks -= idleInBulk(clocks);
  shift(kNothing, {0, clocks}, level, false);
}

/// A sequence of 64 clocks with TMS and TDI at 0 is nine bytes of zeros: long waits need no more than room for them.
std::size_t DapPacker::idleInBulk(std::size_t clocks) {
  constexpr std::size_t kClocks = 64, kBytes = 9;
  std::size_t done = 0;
  while (clocks - done >= kClocks) {
    if (room() < kBytes + 2) flush();
    openSequences();
    const std::size_t some =
        std::min({(clocks - done) / kClocks, room() / kBytes, std::size_t{kMostInOne} - packet_.request[countAt_]});
    packet_.request.resize(packet_.request.size() + some * kBytes);
    packet_.request[countAt_] = static_cast<std::uint8_t>(packet_.request[countAt_] + some);
    packet_.clocks += some * kClocks;
    done += some * kClocks;
  }
  return done;
}

void DapPacker::stay(bool level, std::uint32_t clocks, jtag::Lasting lasting) {
  if (lasting.time.count() > 0 && habits_.stay && habits_.stay(level, clocks, lasting)) return;
  tms(level, clocks);
}

void DapPacker::wait(std::chrono::microseconds time, bool looked) {
  if (habits_.wait && habits_.wait(time, looked)) return;
  while (time.count() > 0) {
    const auto device = std::min<std::chrono::microseconds::rep>(time.count(), 0xFFFF);
    closeSequences();
    if (room() < 3 || packet_.commands.size() == mostCommands()) flush();
    packet_.commands.push_back({kDapDelay, packet_.captures.size()});
    packet_.request.insert(packet_.request.end(),
                           {kDapDelay, static_cast<std::uint8_t>(device), static_cast<std::uint8_t>(device >> 8)});
    packet_.waits += std::chrono::microseconds(device);
    time -= std::chrono::microseconds(device);
  }
}

void DapPacker::add(const jtag::ScanBatch& batch) {
  for (const auto& item : batch.items()) std::visit([this](const auto& i) { add(i); }, item);
}

void DapPacker::add(const jtag::ResetTap&) {
  tms(true, 5);
  tms(false, 1);
}

void DapPacker::add(const jtag::Idle& idle) {
  stay(false, idle.clocks, idle.lasting);
}

void DapPacker::add(const jtag::Scan& scan) {
  // Run-Test/Idle (or Update) to Shift: 1 0 0 or 1 1 0 0; from Pause through Exit2 and Update, from Test-Logic-Reset
  // through Run-Test/Idle. The last bit goes with TMS 1, then Update and Run-Test/Idle: 1 0; Pause: 0;
  // Test-Logic-Reset: 1 1 1 1.
  if (scan.from != jtag::Rest::Shift) {
    if (scan.from == jtag::Rest::Reset) tms(false, 1);
    tms(true, (scan.from == jtag::Rest::Pause ? 2 : 0) + (scan.into == jtag::Register::Instruction ? 2 : 1));
    tms(false, 2);
  }
  const bool stays = scan.until == jtag::Rest::Shift;
  const std::size_t last = scan.out.size() - 1;
  auto capture = scan.captures.begin();
  auto pause = scan.waits.begin();
  for (std::size_t at = 0; at <= last;) {
    for (; pause != scan.waits.end() && pause->at <= at; ++pause) wait(pause->time, pause->looked);
    while (capture != scan.captures.end() && capture->end <= at) ++capture;
    const bool wanted = capture != scan.captures.end() && capture->begin <= at;
    std::size_t end = at == last ? last + 1 : last;
    if (capture != scan.captures.end()) end = std::min(end, wanted ? capture->end : capture->begin);
    if (pause != scan.waits.end()) end = std::min(end, pause->at);
    shift(scan.out, {at, end}, at == last && !stays, wanted);
    at = end;
  }
  if (stays) return;
  if (scan.until == jtag::Rest::Reset) return tms(true, 4);
  if (scan.until != jtag::Rest::Pause) tms(true, 1);
  if (scan.until != jtag::Rest::Update) tms(false, 1);
}

}  // namespace imprimo::probe
