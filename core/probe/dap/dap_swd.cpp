// SPDX-License-Identifier: GPL-3.0-or-later
//
// CMSIS-DAP commands used here (Arm, CMSIS-DAP 2.1):
//   TransferConfigure  04, idle cycles, WAIT retries (2), match retries (2)   response 04, status
//   Transfer           05, index, count, count x (request [data])             response 05, count, answer, data
//   TransferBlock      06, index, count (2), request, data                    response 06, count (2), answer, data
//   SWJ_Sequence       12, clocks (0 is 256), bits                            response 12, status
//   SWD_Configure      13, turnaround and data phase                          response 13, status
//   SWD_Sequence       1D, count, count x (clocks, bit 7: they are read; bits) response 1D, status, bits that were read
//   request: bit 0 APnDP, bit 1 RnW, bits 3-2 A[3:2]; answer: 1 OK, 2 WAIT, 4 FAULT, 7 none, 8 parity
#include "core/probe/dap/dap_swd.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <deque>

#include "core/base/error.h"
#include "core/probe/dap/dap_codes.h"

namespace imprimo::probe {
namespace {

constexpr std::uint8_t kConfigure = 0x04, kTransfer = 0x05, kBlock = 0x06, kSwdConfigure = 0x13, kSwdSequence = 0x1D;
constexpr std::size_t kSwdWrapper = 2;  // ExecuteCommands and its count
constexpr std::size_t kTransferHead = 3, kTransferAnswer = 3, kBlockHead = 5, kBlockAnswer = 4;
constexpr std::size_t kMostInTransfer = 255, kMostCommands = 255, kMostInBlock = 0xFFFF;
/// A TransferBlock of fewer words is not worth its head while the next packet could have more.
constexpr std::size_t kFewWords = 8;
constexpr std::uint16_t kWaitRetries = 2000;

std::uint8_t requestOf(const RegisterRun& run) {
  return static_cast<std::uint8_t>((run.ap ? 1 : 0) | (run.read ? 2 : 0) | run.address);
}

void append(Bytes& out, std::uint32_t word) {
  for (int shift = 0; shift < 32; shift += 8) out.push_back(static_cast<std::uint8_t>(word >> shift));
}

PortAnswer answerOf(std::uint8_t code) {
  if ((code & 8) != 0) return PortAnswer::WrongParity;
  switch (code & 7) {
    case 1:
      return PortAnswer::Ok;
    case 2:
      return PortAnswer::Wait;
    case 4:
      return PortAnswer::Fault;
    case 0:
      return PortAnswer::Low;
    default:
      return PortAnswer::Silent;
  }
}

[[noreturn]] void noResponse(const char* why) {
  throw Error(ErrorKind::LinkLost, fmt::format("the probe's answer to a transfer {}", why),
              "Its firmware may not follow CMSIS-DAP; connect again, or try another probe.");
}

}  // namespace

void SwdPacket::unpack(ByteSpan response, RegisterAnswers& answers) const {
  std::size_t at = 0;
  const auto take = [&] {
    if (at >= response.size()) noResponse("is too short");
    return response[at++];
  };
  if (request[0] == kDapExecuteCommands) {
    if (take() != kDapExecuteCommands || take() != commands.size()) noResponse("is to another command");
  }
  for (const Command& command : commands) {
    if (take() != (command.block ? kBlock : kTransfer)) noResponse("is to another command");
    std::size_t done = take();
    if (command.block) done |= static_cast<std::size_t>(take()) << 8;
    const std::uint8_t code = take();
    if (done > command.accesses) noResponse("counts more than was asked");
    for (std::size_t i = 0; i < done; ++i) {
      if (!(command.block ? command.allRead : command.reads[i])) continue;
      if (at + 4 > response.size()) noResponse("is too short");
      answers.words.push_back(loadLe32(&response[at]));
      at += 4;
    }
    answers.done += done;
    const PortAnswer answer = answerOf(code);
    if (answer == PortAnswer::Ok && done == command.accesses) continue;
    if (answer == PortAnswer::Ok) noResponse("counts less than was asked");
    // Written words are counted as soon as they are sent, and refused by what is asked next.
    if (done == command.accesses) --answers.done;
    answers.last = answer;
    return;
  }
}

SwdPacker::SwdPacker(std::size_t packetSize, bool executesSeveral, Emit emit)
    : limit_(packetSize + (executesSeveral ? 0 : kSwdWrapper)), several_(executesSeveral), emit_(std::move(emit)) {
  begin();
}

void SwdPacker::begin() {
  packet_ = {};
  packet_.request = {kDapExecuteCommands, 0};
  answerBytes_ = kSwdWrapper;
  countAt_ = 0;
}

void SwdPacker::flush() {
  if (packet_.commands.empty()) return;
  if (packet_.commands.size() == 1) {
    packet_.request.erase(packet_.request.begin(), packet_.request.begin() + kSwdWrapper);
  } else {
    packet_.request[1] = static_cast<std::uint8_t>(packet_.commands.size());
  }
  emit_(std::move(packet_));
  begin();
}

/// Room for another command of so many bytes, in this packet or in a new one.
bool SwdPacker::startCommand(std::size_t bytes, std::size_t answer) {
  countAt_ = 0;
  if (packet_.commands.size() >= (several_ ? kMostCommands : 1) || room() < bytes || answerRoom() < answer) flush();
  return room() >= bytes && answerRoom() >= answer;
}

void SwdPacker::add(const RegisterBatch& batch) {
  for (const RegisterRun& run : batch.runs()) {
    if (run.count == 1) {
      single(run);
    } else if (run.count > 1) {
      block(run);
    }
  }
}

void SwdPacker::single(const RegisterRun& run) {
  const std::size_t bytes = run.read ? 1 : 5, answer = run.read ? 4 : 0;
  if (countAt_ == 0 || packet_.request[countAt_] == kMostInTransfer || room() < bytes || answerRoom() < answer) {
    startCommand(kTransferHead + bytes, kTransferAnswer + answer);
    packet_.commands.push_back({});
    packet_.request.insert(packet_.request.end(), {kTransfer, 0, 0});
    countAt_ = packet_.request.size() - 1;
    answerBytes_ += kTransferAnswer;
  }
  packet_.request.push_back(requestOf(run));
  if (!run.read) append(packet_.request, run.words.front());
  answerBytes_ += answer;
  ++packet_.request[countAt_];
  ++packet_.commands.back().accesses;
  packet_.commands.back().reads.push_back(run.read);
}

/// Words of a block that would be left for a packet of their own are carried by the Transfer that is open; 0 where they
/// do not fit, or a packet takes several commands anyway.
std::size_t SwdPacker::wordsInFront(const RegisterRun& run) const {
  if (several_ || countAt_ == 0) return 0;
  const std::size_t full = (limit_ - kSwdWrapper - (run.read ? kBlockAnswer : kBlockHead)) / 4;
  const std::size_t rest = run.count % full, bytes = run.read ? 1 : 5;
  const bool fits = bytes * rest <= room() && (run.read ? 4 * rest : 0) <= answerRoom() &&
                    packet_.request[countAt_] + rest <= kMostInTransfer;
  return run.count > full && fits ? rest : 0;
}

void SwdPacker::block(const RegisterRun& run) {
  const std::size_t front = wordsInFront(run);
  for (std::size_t i = 0; i < front; ++i)
    single({run.ap, run.read, run.address, 1, run.read ? std::vector<std::uint32_t>{} : std::vector{run.words[i]}});
  for (std::size_t at = front; at < run.count;) {
    const std::size_t wanted = std::min(run.count - at, kMostInBlock), few = std::min(wanted, kFewWords);
    startCommand(kBlockHead + (run.read ? 0 : 4 * few), kBlockAnswer + (run.read ? 4 * few : 0));
    const std::size_t some = std::min(wanted, run.read ? (answerRoom() - kBlockAnswer) / 4 : (room() - kBlockHead) / 4);
    packet_.commands.push_back({true, some, {}, run.read});
    packet_.request.insert(packet_.request.end(), {kBlock, 0, static_cast<std::uint8_t>(some),
                                                   static_cast<std::uint8_t>(some >> 8), requestOf(run)});
    for (std::size_t i = 0; i < some && !run.read; ++i) append(packet_.request, run.words[at + i]);
    answerBytes_ += kBlockAnswer + (run.read ? 4 * some : 0);
    at += some;
  }
}

void DapSwd::configure() {
  command(
      Bytes{kConfigure, 0, static_cast<std::uint8_t>(kWaitRetries), static_cast<std::uint8_t>(kWaitRetries >> 8), 0, 0},
      "set how it repeats accesses");
  command(Bytes{kSwdConfigure, 0}, "set the turnaround");
}

void DapSwd::command(ByteSpan request, const char* what) {
  way_.send(request);
  const Bytes response = way_.receive();
  if (response.size() >= 2 && response[0] == request[0] && response[1] == 0) return;
  throw Error(ErrorKind::NoProbe, fmt::format("the probe would not {}", what),
              "Its firmware may be too old for SWD; try another probe.");
}

RegisterAnswers DapSwd::access(const RegisterBatch& batch) {
  RegisterAnswers answers;
  std::deque<SwdPacket> underWay;
  const auto takeOldest = [&] {
    const Bytes response = way_.receive();
    // What was sent behind a failure is answered too, and is of no use.
    if (answers.last == PortAnswer::Ok) underWay.front().unpack(response, answers);
    underWay.pop_front();
  };
  SwdPacker packer(way_.packetSize, way_.executesSeveral, [&](SwdPacket&& packet) {
    if (underWay.size() >= way_.packetCount) takeOldest();
    if (answers.last != PortAnswer::Ok) return;
    way_.send(packet.request);
    underWay.push_back(std::move(packet));
  });
  packer.add(batch);
  packer.flush();
  while (!underWay.empty()) takeOldest();
  constexpr std::uint64_t kClocks = 46;  // of an access: request, answer, data, turnarounds
  if (!way_.hostTime) asked_ += std::chrono::nanoseconds(kClocks * batch.accesses() * 1'000'000'000 / way_.clockHz());
  return answers;
}

void DapSwd::pass(std::chrono::microseconds time) {
  if (way_.hostTime) return;
  for (std::chrono::microseconds left = time; left.count() > 0;) {
    const auto some = std::min(left, std::chrono::microseconds(0xFFFF));
    way_.send(Bytes{kDapDelay, static_cast<std::uint8_t>(some.count()), static_cast<std::uint8_t>(some.count() >> 8)});
    way_.receive();
    left -= some;
    asked_ += some;
  }
}

void DapSwd::sequence(const BitVector& bits) {
  for (std::size_t at = 0; at < bits.size(); at += 256) {
    const std::size_t count = std::min<std::size_t>(256, bits.size() - at);
    Bytes request{kDapSwjSequence, static_cast<std::uint8_t>(count)};
    for (std::size_t i = 0; i < count; i += 8)
      request.push_back(static_cast<std::uint8_t>(bits.bits(at + i, std::min<std::size_t>(8, count - i))));
    command(request, "drive the wires of SWD");
  }
}

void DapSwd::selectTarget(std::uint32_t value) {
  constexpr std::uint8_t kRequest = 0x99;  // start, a write of the port's register 0xC, parity, stop, park
  constexpr std::uint8_t kRead = 0x80, kTurns = 5, kData = 33;
  const bool odd = std::popcount(value) % 2 != 0;
  if (mixesDirections_) {
    Bytes request{kSwdSequence, 3, 8, kRequest, kRead | kTurns, kData};
    append(request, value);
    request.push_back(odd ? 1 : 0);
    way_.send(request);
    const Bytes response = way_.receive();
    if (response.size() >= 2 && response[0] == kSwdSequence && response[1] == 0) return;
    mixesDirections_ = false;
  }
  // The clocks between are nobody's, so that it does no harm to drive them.
  BitVector bits = BitVector::fromLsbFirst(kRequest, 8);
  bits.appendFill(true, kTurns);
  bits.append(BitVector::fromLsbFirst(value, 32));
  bits.append(odd);
  sequence(bits);
}

}  // namespace imprimo::probe
