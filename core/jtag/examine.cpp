// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/jtag/examine.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/number.h"

namespace imprimo::jtag {
namespace {

using How = BrokenChain::How;

constexpr std::size_t kMostDevices = 255;
constexpr std::size_t kMostIrBits = 8192;
/// IEEE 1149.1-2013 12.1.1: the maker code 0x7F is nobody's.
constexpr std::uint32_t kMakerMask = 0xFFF, kIllegalMaker = 0x0FF;

bool allAre(const BitVector& bits, bool value, std::size_t from, std::size_t to) {
  for (std::size_t i = from; i < to; i += 64) {
    const std::size_t count = std::min<std::size_t>(64, to - i);
    const std::uint64_t want = value ? (count == 64 ? ~0ull : (1ull << count) - 1) : 0;
    if (bits.bits(i, count) != want) return false;
  }
  return true;
}
bool allAre(const BitVector& bits, bool value, std::size_t from = 0) {
  return allAre(bits, value, from, bits.size());
}

/// `room` ones, a single 0 as marker, then ones again to flush it through registers of up to `room` bits.
BitVector marked(std::size_t room) {
  BitVector bits(room, true);
  bits.append(false);
  bits.appendFill(true, room);
  return bits;
}

/// Where the marker came out again, counted in bits of delay; nothing when it did not.
std::optional<std::size_t> markerDelay(const BitVector& out, std::size_t room, std::size_t captured) {
  for (std::size_t at = room + captured; at < out.size(); ++at) {
    if (!out[at]) return at - room;
  }
  return std::nullopt;
}

/// What the data registers held after the reset, nearest TDO first.
struct AfterReset {
  std::vector<std::optional<std::uint32_t>> codes;
  std::size_t bits = 0;  ///< of all the registers
  bool ended = false;    ///< 32 ones followed: what we sent, or a wire that floats
};

AfterReset readCodes(const BitVector& out, std::size_t room) {
  AfterReset found;
  while (found.bits + 32 <= room) {
    if (!out[found.bits]) {
      found.codes.emplace_back();
      found.bits += 1;
      continue;
    }
    const auto code = static_cast<std::uint32_t>(out.bits(found.bits, 32));
    if (code == UINT32_MAX) {
      found.ended = true;
      break;
    }
    found.codes.emplace_back(code);
    found.bits += 32;
  }
  return found;
}

std::vector<std::string> remarksOn(std::optional<std::uint32_t> idcode) {
  if (!idcode || (*idcode & kMakerMask) != kIllegalMaker) return {};
  return {
      fmt::format("the IDCODE {} has the maker code 0x7F, which the standard gives to nobody: bits may have been lost",
                  hexIdcode(*idcode))};
}

std::vector<FoundDevice> inChainOrder(const std::vector<std::optional<std::uint32_t>>& codes) {
  std::vector<FoundDevice> devices;
  for (auto code = codes.rbegin(); code != codes.rend(); ++code) devices.push_back({*code, {}, {}, remarksOn(*code)});
  return devices;
}

[[noreturn]] void dead(bool level) {
  throw BrokenChain(
      level ? How::TdoHigh : How::TdoLow, fmt::format("TDO stays at {}: no part answers", level ? 1 : 0),
      level ? "TDO does not move: no power, no cable, or held in reset. An open TDO is pulled up; TMS or TCK may not "
              "arrive."
            : "TDO does not move: no power, no cable, or held in reset. TDO may be shorted to ground.");
}

[[noreturn]] void unsteady(const char* where) {
  throw BrokenChain(How::Unsteady, fmt::format("bits change on their way through the {} registers", where),
                    "Lower the clock or shorten the cable.");
}

[[noreturn]] void cut(std::vector<std::optional<std::uint32_t>> codes, bool level) {
  // Behind a cut that reads as 0, a device in BYPASS cannot be told from the cut itself.
  if (!level) {
    while (!codes.empty() && !codes.back()) codes.pop_back();
  }
  BrokenChain broken(
      How::Cut,
      fmt::format("the chain is cut: the {} nearest TDO {}, but what goes in at TDI does not reach {}",
                  codes.size() == 1 ? "part" : fmt::format("{} parts", codes.size()),
                  codes.size() == 1 ? "answers" : "answer", codes.size() == 1 ? "it" : "them"),
      "Look at the wire in front of the first part that answers; the part before it may have no power or be held in "
      "reset, or TCK or TMS does not reach it.");
  broken.nearTdo = inChainOrder(codes);
  broken.maybeMore = !level;
  throw broken;
}

/// Shifts through what a reset leaves in the data registers, which touches no pin, with more room until it is enough.
AfterReset askAfterReset(JtagPort& port) {
  for (const std::size_t devices : {std::size_t{8}, std::size_t{32}, std::size_t{96}, kMostDevices}) {
    const std::size_t room = (devices + 1) * 32;
    ScanBatch batch;
    batch.reset();
    batch.exchange(Register::Data, marked(room));
    const BitVector out = std::move(port.run(batch).at(0));
    if (allAre(out, false)) dead(false);
    if (allAre(out, true)) dead(true);
    AfterReset found = readCodes(out, room);
    // More zeros than there can be devices in BYPASS; they have to begin where codes were still looked for.
    const bool zeros = !found.codes.empty() && !found.codes.back() && out.size() - found.bits >= kMostDevices &&
                       allAre(out, false, found.bits);
    if (!found.ended && zeros) cut(found.codes, false);
    if (!found.ended && devices != kMostDevices) continue;
    if (!found.ended || found.codes.size() > kMostDevices) unsteady("data");
    const auto delay = markerDelay(out, room, found.bits);
    if (!delay) {
      if (!allAre(out, true, found.bits)) unsteady("data");
      cut(found.codes, true);
    }
    if (*delay != found.bits || !allAre(out, true, found.bits, room + found.bits) ||
        !allAre(out, true, room + found.bits + 1)) {
      unsteady("data");
    }
    if (found.codes.empty()) {
      throw BrokenChain(How::NoDevices, "TDI comes straight back on TDO: there is no part between them",
                        "Check for a jumper that bypasses the chain.");
    }
    return found;
  }
  unsteady("data");
}

/// What Capture-IR leaves in all the instruction registers; afterwards all devices are in BYPASS. The marker is
/// followed by as many ones as the longest chain has instruction bits: it must not be in a register when Update-IR
/// comes.
BitVector askInstructions(JtagPort& port, std::size_t devices) {
  constexpr std::size_t kAhead = 64;
  BitVector ir(kAhead, true);
  ir.append(false);
  ir.appendFill(true, kMostIrBits);
  ScanBatch batch;
  batch.exchange(Register::Instruction, std::move(ir));
  batch.exchange(Register::Data, BitVector(devices + 33, true));
  const ScanAnswers answers = port.run(batch);
  const BitVector& out = answers.at(0);
  const BitVector& bypass = answers.at(1);
  // The captured bits come out first, then ones, then the marker, then nothing but ones: it is the last 0.
  std::size_t marker = out.size();
  while (marker > 0 && out[marker - 1]) --marker;
  if (marker <= kAhead + 1) {
    throw BrokenChain(
        How::Disagrees,
        fmt::format("{} after a reset, but what goes into the instruction registers does not come out within {} bits",
                    countText(devices, "part"), kMostIrBits),
        "TMS may not reach all parts, or the clock is too fast.");
  }
  const std::size_t bits = marker - 1 - kAhead;
  if (!allAre(out, true, bits, kAhead + bits)) unsteady("instruction");
  std::size_t inBypass = 0;
  while (inBypass < bypass.size() && !bypass[inBypass]) ++inBypass;
  if (!allAre(bypass, true, inBypass)) unsteady("BYPASS");
  if (inBypass != devices) {
    throw BrokenChain(
        How::Disagrees, fmt::format("{} in BYPASS, but {} after a reset", countText(inBypass, "part"), devices),
        "A part may be held in reset or lose its power; check its reset and its supply, and lower the clock.");
  }
  BitVector capture;
  for (std::size_t i = 0; i < bits; ++i) capture.append(out[i]);
  return capture;
}

/// What a described device captured, against what its description says.
void compareCapture(FoundDevice& device, const bsdl::BoundaryDescription& description, const BitVector& capture,
                    std::size_t at) {
  const std::string& expected = description.instructionCapture;
  std::string found;
  for (std::size_t i = expected.size(); i-- > 0;) found += capture[at + i] ? '1' : '0';
  for (std::size_t i = 0; i < expected.size(); ++i) {
    if (expected[i] == 'X' || expected[i] == found[i]) continue;
    device.remarks.push_back(
        fmt::format("its instruction register captures {}, its description says {}", found, expected));
    return;
  }
}

}  // namespace

FoundChain examine(JtagPort& port, const Describe& describe) {
  const AfterReset after = askAfterReset(port);
  const std::size_t devices = after.codes.size();
  FoundChain chain;
  chain.irCapture = askInstructions(port, devices);
  chain.irTotal = static_cast<std::uint32_t>(chain.irCapture.size());

  std::vector<std::optional<std::uint32_t>> known(devices);
  std::vector<const bsdl::BoundaryDescription*> descriptions(devices, nullptr);
  for (std::size_t i = 0; i < devices; ++i) {
    if (after.codes[i] && describe) descriptions[i] = describe(*after.codes[i]);
    if (descriptions[i] != nullptr) known[i] = descriptions[i]->instructionLength;
  }
  auto lengths = splitCapture(chain.irCapture, known);
  if (!lengths) {
    // Somebody does not capture 01 as the standard asks: only what was looked up and the sum remain.
    const auto least = static_cast<std::uint32_t>(2 * (devices - 1));
    const auto rest = chain.irTotal > least ? chain.irTotal - least : 2;
    lengths.emplace();
    for (const auto& length : known) lengths->push_back({length.value_or(2), length.value_or(rest)});
  }
  std::size_t at = 0;
  bool placeKnown = true;
  for (std::size_t i = 0; i < devices; ++i) {
    FoundDevice device{after.codes[i], (*lengths)[i], {}, remarksOn(after.codes[i])};
    placeKnown = placeKnown && device.irLength.certain() && at + device.irLength.min <= chain.irTotal;
    if (descriptions[i] != nullptr) {
      device.name = descriptions[i]->entity;
      if (placeKnown) compareCapture(device, *descriptions[i], chain.irCapture, at);
    }
    at += device.irLength.min;
    chain.devices.insert(chain.devices.begin(), std::move(device));
  }
  return chain;
}

}  // namespace imprimo::jtag
