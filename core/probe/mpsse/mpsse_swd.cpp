// SPDX-License-Identifier: GPL-3.0-or-later
//
// An access (ADIv5.2, B4.2), least significant bits first: start 1, APnDP, RnW, A[3:2], parity, stop 0, park 1;
// turnaround; answer of 3 bits (1 OK, 2 WAIT, 4 FAULT); a read: data of 32 bits, parity, turnaround; a write:
// turnaround, data, parity.
#include "core/probe/mpsse/mpsse_swd.h"

#include <algorithm>
#include <bit>

namespace imprimo::probe {
namespace {

constexpr std::uint8_t kBuffer = 0x0C;
constexpr std::size_t kAnswerAt = 1, kReadBits = 1 + 3 + 33 + 1, kWriteAnswer = 1 + 3 + 1;
constexpr std::size_t kMostIdle = 255;
constexpr unsigned kOk = 1, kWait = 2, kFault = 4;

bool odd(std::uint32_t value) {
  return std::popcount(value) % 2 != 0;
}

/// Accesses as they go over the wire: those that were asked for, and reads of RDBUFF that fetch what was posted.
struct OnWire {
  bool ap = false, read = false;
  std::uint8_t address = 0;
  std::uint32_t data = 0;
  std::size_t asked = 0;             ///< how many of those asked for are in front of it
  std::optional<std::size_t> gives;  ///< its data is what this one asked for
};

std::vector<OnWire> onWire(const RegisterBatch& batch) {
  std::vector<OnWire> all;
  std::optional<std::size_t> posted;
  std::size_t asked = 0;
  const auto fetch = [&] {
    if (!posted) return;
    all.push_back({false, true, kBuffer, 0, asked, posted});
    posted.reset();
  };
  bool wrote = false;
  for (const RegisterRun& run : batch.runs()) {
    for (std::size_t i = 0; i < run.count; ++i, ++asked) {
      const bool posts = run.ap && run.read;
      if (!posts) fetch();
      OnWire access{run.ap, run.read, run.address, run.read ? 0 : run.words[i], asked, {}};
      if (posts) {
        access.gives = posted;
        posted = asked;
      } else if (run.read) {
        access.gives = asked;
      }
      wrote = !run.read;
      all.push_back(access);
    }
  }
  fetch();
  // What was written last is known to have been taken when something else is answered.
  if (wrote) all.push_back({false, true, kBuffer, 0, asked, {}});
  return all;
}

void add(SwdShift& shift, const OnWire& access) {
  const unsigned asked = (access.ap ? 1u : 0u) | (access.read ? 2u : 0u) | access.address;
  shift.stretches.push_back({BitVector::fromLsbFirst(1u | asked << 1 | (odd(asked) ? 1u : 0u) << 5 | 1u << 7, 8)});
  if (access.read) {
    shift.stretches.push_back({BitVector(kReadBits, true), false, true});
    return;
  }
  shift.stretches.push_back({BitVector(kWriteAnswer, true), false, true});
  BitVector data = BitVector::fromLsbFirst(access.data, 32);
  data.append(odd(access.data));
  shift.stretches.push_back({std::move(data)});
}

}  // namespace

RegisterAnswers MpsseSwd::access(const RegisterBatch& batch) {
  const std::vector<OnWire> accesses = onWire(batch);
  SwdShift shift;
  for (const OnWire& access : accesses) {
    add(shift, access);
    if (access.ap && idle_ > 0) shift.stretches.push_back({BitVector(idle_)});
  }
  constexpr std::size_t kIdle = 8;  // clocks in which the port finishes what it was given last
  shift.stretches.push_back({BitVector(kIdle)});
  const BitVector captured = exchange_(shift);
  RegisterAnswers answers;
  std::size_t at = 0;
  for (const OnWire& access : accesses) {
    const auto answer = static_cast<unsigned>(captured.bits(at + kAnswerAt, 3));
    const auto data = static_cast<std::uint32_t>(captured.bits(at + kAnswerAt + 3, 32));
    const bool parity = captured.bits(at + kAnswerAt + 35, 1) != 0;
    at += access.read ? kReadBits : kWriteAnswer;
    PortAnswer last = PortAnswer::Ok;
    if (answer != kOk) {
      last = answer == kWait    ? PortAnswer::Overrun
             : answer == kFault ? PortAnswer::Fault
             : answer == 0      ? PortAnswer::Low
                                : PortAnswer::Silent;
    } else if (access.read && parity != odd(data)) {
      last = PortAnswer::WrongParity;
    }
    if (last == PortAnswer::Ok) {
      if (access.gives) answers.words.push_back(data);
      answers.done = access.gives.value_or(access.asked) + 1;
      continue;
    }
    if (last == PortAnswer::Overrun) idle_ = std::min<std::size_t>(kMostIdle, 2 * idle_ + 1);
    // What was posted before is not known to stay; a write may be what this answer is about.
    answers.done = access.gives ? *access.gives : access.asked;
    answers.last = last;
    return answers;
  }
  answers.done = batch.accesses();
  return answers;
}

void MpsseSwd::sequence(const BitVector& bits) {
  exchange_({{{bits}}});
}

void MpsseSwd::selectTarget(std::uint32_t value) {
  BitVector data = BitVector::fromLsbFirst(value, 32);
  data.append(odd(value));
  constexpr std::uint8_t kRequest = 0x99;  // a write of the port's register 0xC
  exchange_({{{BitVector::fromLsbFirst(kRequest, 8)}, {BitVector(kWriteAnswer, true), false}, {std::move(data)}}});
}

}  // namespace imprimo::probe
