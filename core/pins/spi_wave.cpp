// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/spi_wave.h"

#include <fmt/format.h>

#include <algorithm>
#include <numeric>

#include "core/base/error.h"

namespace imprimo::pins {
namespace {

std::vector<std::size_t> dataPorts(const SpiWires& wires) {
  std::vector<std::size_t> all{wires.mosi, wires.miso};
  if (wires.wp && wires.hold) all.insert(all.end(), {*wires.wp, *wires.hold});
  return all;
}

bool canTurn(const BoundaryPorts& ports, const std::vector<std::size_t>& lines) {
  const auto isLine = [&](std::size_t i) { return std::find(lines.begin(), lines.end(), i) != lines.end(); };
  return std::all_of(lines.begin(), lines.end(), [&](std::size_t line) {
    const BoundaryPort& port = ports.ports[line];
    if (!port.input || !port.output || !port.enable || port.isOpen()) return false;
    for (std::size_t i = 0; i < ports.ports.size(); ++i) {
      const auto& other = ports.ports[i].enable;
      if (other && other->cell == port.enable->cell && !isLine(i)) return false;
    }
    return true;
  });
}

}  // namespace

unsigned dataLines(const BoundaryPorts& ports, const SpiWires& wires) {
  std::vector<std::size_t> lines = dataPorts(wires);
  constexpr std::size_t kFour = 4, kTwo = 2;
  if (lines.size() == kFour && canTurn(ports, lines)) return kFour;
  lines.resize(kTwo);
  return canTurn(ports, lines) ? kTwo : 1;
}

void checkWires(const BoundaryPorts& ports, const SpiWires& wires) {
  const auto port = [&](std::size_t index) -> const BoundaryPort& { return ports.ports.at(index); };
  std::map<std::size_t, const char*> roles;
  std::vector<std::pair<std::size_t, const char*>> all{
      {wires.cs, "cs"}, {wires.clk, "clk"}, {wires.mosi, "mosi"}, {wires.miso, "miso"}};
  if (wires.wp) all.emplace_back(*wires.wp, "wp");
  if (wires.hold) all.emplace_back(*wires.hold, "hold");
  for (const auto& [index, role] : all) {
    const auto [other, fresh] = roles.emplace(index, role);
    if (!fresh)
      throw Error(ErrorKind::Usage, fmt::format("{} cannot be both {} and {}", port(index).name, other->second, role),
                  "Each wire is on a port of its own.");
    if (index != wires.miso && (!port(index).output || port(index).isOpen()))
      throw Error(ErrorKind::Usage,
                  fmt::format("{} cannot be {}: it {}", port(index).name, role,
                              port(index).output ? "is an open driver" : "is an input only"),
                  "Choose a port that drives both levels.");
  }
  if (!port(wires.miso).input)
    throw Error(ErrorKind::Usage, fmt::format("{} cannot be miso: it is an output only", port(wires.miso).name),
                "Choose a port that has an input cell.");
  for (const auto& [index, level] : wires.held) {
    const auto role = roles.find(index);
    if (role != roles.end() && index != wires.wp && index != wires.hold)
      throw Error(ErrorKind::Usage, fmt::format("{} is {} and cannot be held", port(index).name, role->second));
  }
  // What can never be driven so is told now, and not when it is too late.
  idleCells(ports, wires, BitVector(ports.length, false));
}

BitVector idleCells(const BoundaryPorts& ports, const SpiWires& wires, const BitVector& sampled) {
  Drives drives = wires.held;
  drives[wires.cs] = true;
  drives[wires.clk] = false;
  drives[wires.mosi] = false;
  const DrivePlan plan = planDrives(ports, drives, sampled);
  if (plan.alongside.contains(wires.miso))
    throw Error(ErrorKind::Usage,
                fmt::format("{} cannot be miso: it is driven along with the others", ports.ports[wires.miso].name),
                "Choose a port whose driver can be switched off by itself.");
  return plan.cells;
}

SpiWave::Line SpiWave::lineOf(const BoundaryPort& port) {
  Line line;
  line.out = port.output.value_or(0);
  line.in = port.input;
  if (port.enable) {
    line.enable = port.enable->cell;
    line.off = port.enable->off;
  }
  return line;
}

SpiWave::SpiWave(const BoundaryPorts& ports, const SpiWires& wires, BitVector idle, Put put)
    : idle_(std::move(idle)),
      cells_(idle_),
      put_(std::move(put)),
      cs_(*ports.ports[wires.cs].output),
      clk_(*ports.ports[wires.clk].output) {
  for (const std::size_t index : dataPorts(wires)) lines_.push_back(lineOf(ports.ports[index]));
  const auto capture = [this](std::initializer_list<unsigned> order) {
    Capture all;
    std::vector<std::pair<std::uint32_t, unsigned>> cells;
    unsigned bit = 0;
    for (const unsigned line : order) {
      if (line < lines_.size() && lines_[line].in) cells.emplace_back(*lines_[line].in, bit);
      ++bit;
    }
    std::sort(cells.begin(), cells.end());
    for (const auto& [cell, number] : cells) {
      all.cells.push_back(cell);
      all.bits.push_back(number);
    }
    return all;
  };
  captures_ = {capture({1}), capture({0, 1}), capture({0, 1, 2, 3})};
}

void SpiWave::drive(const Line& line, bool level) {
  cells_.set(line.out, level);
  if (line.enable) cells_.set(*line.enable, !line.off);
}

void SpiWave::letGo(const Line& line) {
  if (line.enable) cells_.set(*line.enable, line.off);
}

void SpiWave::put(std::span<const std::uint32_t> captured) {
  put_(cells_, captured);
}

/// One byte, its high bits first; the highest of several lines has the higher bit.
void SpiWave::out(std::uint8_t byte, unsigned lines) {
  constexpr unsigned kBits = 8;
  for (unsigned at = kBits; at > 0; at -= lines) {
    cells_.set(clk_, false);
    for (unsigned line = 0; line < lines; ++line) drive(lines_[line], (byte >> (at - lines + line) & 1) != 0);
    put();
    cells_.set(clk_, true);
    put();
  }
}

void SpiWave::exchange(const spi::Exchange& exchange) {
  const spi::Lines& lines = exchange.lines;
  cells_ = idle_;
  cells_.set(cs_, false);  // with the first bit of mosi; clk stands
  for (std::size_t i = 0; i < exchange.out.size(); ++i) out(exchange.out[i], i < lines.single ? 1 : lines.out);
  const bool turns = lines.areSeveral();
  if (turns && (lines.idle > 0 || exchange.read > 0)) {
    // While clk is still high, so that nobody drives when the flash begins with its fall.
    for (unsigned line = 0; line < std::max(lines.out, lines.in); ++line) letGo(lines_[line]);
    put();
  }
  const auto clock = [&](std::span<const std::uint32_t> captured) {
    cells_.set(clk_, false);
    if (!turns) cells_.set(lines_[0].out, false);
    put();
    cells_.set(clk_, true);
    put(captured);
  };
  for (unsigned i = 0; i < lines.idle; ++i) clock({});
  constexpr std::size_t kBits = 8;
  for (std::size_t i = 0; i < kBits / lines.in * exchange.read; ++i) clock(captureOf(lines.in).cells);
  cells_.set(clk_, false);
  put();
  cells_.set(cs_, true);
  put();
  if (!turns) return;
  cells_ = idle_;
  put();
}

Bytes SpiWave::bytesOf(const std::vector<bool>& captured, unsigned lines) const {
  constexpr std::size_t kBits = 8;
  Bytes bytes(captured.size() / kBits, 0);
  const std::vector<unsigned>& numbers = captureOf(lines).bits;
  for (std::size_t i = 0; i < bytes.size() * kBits; ++i) {
    const std::size_t clock = i / lines % (kBits / lines);  // within its byte
    const unsigned bit = static_cast<unsigned>(kBits - lines * (clock + 1)) + numbers[i % lines];
    if (captured[i]) bytes[i / kBits] |= static_cast<std::uint8_t>(1u << bit);
  }
  return bytes;
}

std::vector<bool> SpiWave::capturesOf(ByteSpan bytes, unsigned lines) const {
  constexpr std::size_t kBits = 8;
  std::vector<bool> captured(bytes.size() * kBits);
  const std::vector<unsigned>& numbers = captureOf(lines).bits;
  for (std::size_t i = 0; i < captured.size(); ++i) {
    const std::size_t clock = i / lines % (kBits / lines);
    const unsigned bit = static_cast<unsigned>(kBits - lines * (clock + 1)) + numbers[i % lines];
    captured[i] = (bytes[i / kBits] >> bit & 1) != 0;
  }
  return captured;
}

}  // namespace imprimo::pins
