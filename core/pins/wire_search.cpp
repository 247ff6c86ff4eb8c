// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/wire_search.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <bit>
#include <numeric>

#include "core/base/error.h"

namespace imprimo::pins {
namespace {

constexpr std::uint8_t kReadId = 0x9F, kReadSfdp = 0x5A;
constexpr int kIdBits = 24;

/// As an ID may look: its maker has odd parity (JEP106), and its bytes are not all the same.
bool isPlausible(std::uint32_t id) {
  const std::uint32_t maker = id >> 16;
  return std::popcount(maker) % 2 == 1 && maker != (id >> 8 & 0xFF) && maker != (id & 0xFF);
}

}  // namespace

WireSearch::WireSearch(PinScan& scan, std::vector<std::size_t> candidates)
    : scan_(scan), candidates_(std::move(candidates)) {
  if (candidates_.size() < kFewest || candidates_.size() > kMost)
    throw Error(ErrorKind::Usage, fmt::format("{} ports are given", candidates_.size()),
                fmt::format("Give {} to {}: a flash has four wires.", kFewest, kMost));
  const std::vector<BoundaryPort>& ports = scan_.ports().ports;
  for (std::size_t i = 0; i < candidates_.size(); ++i) {
    const BoundaryPort& port = ports.at(candidates_[i]);
    if (std::find(candidates_.begin(), candidates_.begin() + static_cast<std::ptrdiff_t>(i), candidates_[i]) !=
        candidates_.begin() + static_cast<std::ptrdiff_t>(i))
      throw Error(ErrorKind::Usage, fmt::format("{} is given twice", port.name), "Give each port once.");
    if (!port.input && (!port.output || port.isOpen()))
      throw Error(ErrorKind::Usage, fmt::format("{} can be none of the wires", port.name), "Leave it out.");
    if (port.input) inputs_.push_back(*port.input);
  }
  std::sort(inputs_.begin(), inputs_.end());
  for (const std::uint32_t cell : inputs_) {
    for (const std::size_t i : candidates_) {
      if (ports[i].input == cell) portOfInput_.push_back(i);
    }
  }
}

double WireSearch::longest() const {
  // Four steps before and behind it, and two or three scans a clock.
  constexpr double kScans = 8 + 8 * 3 + 2 * kIdBits;
  return static_cast<double>(most()) * kScans * scan_.clocksPerScan() / scan_.chain().port().clockHz();
}

/// Those that are pulled up at rest are likelier to be cs; those that move by themselves are not driven at all.
std::vector<std::size_t> WireSearch::inOrder() {
  constexpr std::size_t kLooks = 64;
  const std::vector<BitVector> looks = scan_.sample(kLooks);
  sampled_ = looks.back();
  const std::vector<BoundaryPort>& ports = scan_.ports().ports;
  std::vector<std::size_t> driven;
  for (const std::size_t i : candidates_) {
    const BoundaryPort& port = ports[i];
    if (!port.output || port.isOpen()) continue;
    const auto differs = [&](const BitVector& look) {
      return port.input && look[*port.input] != sampled_[*port.input];
    };
    if (std::none_of(looks.begin(), looks.end(), differs)) driven.push_back(i);
  }
  std::stable_partition(driven.begin(), driven.end(),
                        [&](std::size_t i) { return ports[i].input && sampled_[*ports[i].input]; });
  return driven;
}

/// Each is driven alone, low and high: those that go with it are on the same net, and must not be driven against it;
/// one that does not follow itself is somebody else's.
void WireSearch::lookWhatIsJoined(std::vector<std::size_t>& driven) {
  const std::vector<BoundaryPort>& ports = scan_.ports().ports;
  std::erase_if(driven, [&](std::size_t port) {
    const BitVector low = scan_.exchange(planDrives(scan_.ports(), {{port, false}}, sampled_).cells);
    const BitVector high = scan_.exchange(planDrives(scan_.ports(), {{port, true}}, sampled_).cells);
    scan_.drive(open_);
    const auto follows = [&](std::uint32_t cell) { return !low[cell] && high[cell]; };
    for (std::size_t k = 0; k < inputs_.size(); ++k) {
      const std::size_t other = portOfInput_[k];
      if (other != port && follows(inputs_[k])) joined_.insert({std::min(port, other), std::max(port, other)});
    }
    return ports[port].input && !ports[port].sharesInput && !follows(*ports[port].input);
  });
}

/// One order: the command, and what is on all candidates meanwhile. Only one wire moves at a time, since each may be
/// another than it is taken for; and mosi stays high behind the command, so that a cs that it may be is high then.
void WireSearch::add(jtag::ScanBatch& batch, const Trial& trial) {
  const std::vector<BoundaryPort>& ports = scan_.ports().ports;
  const std::uint32_t clk = *ports[trial.clk].output, mosi = *ports[trial.mosi].output;
  const auto put = [&](const BitVector& cells) { batch.add(scan_.scan(cells, {})); };
  const std::array<Drives, 3> taken{{{{trial.cs, true}},
                                     {{trial.cs, true}, {trial.clk, false}},
                                     {{trial.cs, true}, {trial.clk, false}, {trial.mosi, true}}}};
  std::array<BitVector, 3> steps;
  for (std::size_t i = 0; i < taken.size(); ++i) steps[i] = planDrives(scan_.ports(), taken[i], sampled_).cells;
  for (const BitVector& cells : steps) put(cells);
  BitVector cells = steps.back();
  cells.set(*ports[trial.cs].output, false);
  put(cells);
  const auto clock = [&](bool out, bool wanted) {
    if (cells[mosi] != out) {
      cells.set(mosi, out);
      put(cells);
    }
    cells.set(clk, true);
    batch.add(scan_.scan(cells, wanted ? std::span<const std::uint32_t>(inputs_) : std::span<const std::uint32_t>()));
    cells.set(clk, false);
    put(cells);
  };
  for (int bit = 7; bit >= 0; --bit) clock((kReadId >> bit & 1) != 0, false);
  for (int i = 0; i < kIdBits; ++i) clock(true, true);
  for (auto step = steps.rbegin(); step != steps.rend(); ++step) put(*step);
  put(open_);
}

/// The same four again, as a port that is made for them would, and the signature of its parameter table; an ID alone
/// has to repeat.
std::optional<WireSearch::Found> WireSearch::confirm(const Trial& trial, std::size_t miso, std::uint32_t id) {
  PinSpiPort port(scan_, {trial.cs, trial.clk, trial.mosi, miso});
  spi::SpiBatch batch;
  constexpr int kTimes = 3;
  for (int i = 0; i < kTimes; ++i) batch.exchange({kReadId}, 3);
  batch.exchange({kReadSfdp, 0, 0, 0, 0}, 4);
  const spi::SpiAnswers answers = port.run(batch);
  for (int i = 0; i < kTimes; ++i) {
    const Bytes& read = answers.answers[static_cast<std::size_t>(i)];
    if ((static_cast<std::uint32_t>(read[0]) << 16 | read[1] << 8 | read[2]) != id) return std::nullopt;
  }
  const Bytes signature{'S', 'F', 'D', 'P'};
  if (answers.answers[kTimes] != signature && !isPlausible(id)) return std::nullopt;
  return Found{{trial.cs, trial.clk, trial.mosi, miso}, id};
}

std::optional<WireSearch::Found> WireSearch::run(const std::function<void(std::size_t)>& told,
                                                 const std::stop_token& stop) {
  std::vector<std::size_t> driven = inOrder();
  open_ = planDrives(scan_.ports(), {}, sampled_).cells;
  lookWhatIsJoined(driven);
  for (const std::size_t cs : driven) {
    for (const std::size_t clk : driven) {
      if (clk == cs || joined(clk, cs)) continue;
      if (stop.stop_requested()) {
        scan_.letGo();
        throw Error(ErrorKind::Stopped, "stopped while wires were looked for");
      }
      // All that are left for mosi at once, so that nobody waits for each answer.
      std::vector<Trial> trials;
      jtag::ScanBatch batch;
      for (const std::size_t mosi : driven) {
        if (mosi == cs || mosi == clk || joined(mosi, cs) || joined(mosi, clk)) continue;
        try {
          add(batch, {cs, clk, mosi});
          trials.push_back({cs, clk, mosi});
        } catch (const Error& e) {
          if (e.kind() != ErrorKind::Usage) throw;  // an enable that two of them share
        }
      }
      scan_.drive(open_);
      const jtag::ScanAnswers answers = scan_.chain().port().run(batch);
      tried_ += trials.size();
      for (std::size_t t = 0; t < trials.size(); ++t) {
        for (std::size_t k = 0; k < inputs_.size(); ++k) {
          const std::size_t miso = portOfInput_[k];
          const std::size_t mosi = trials[t].mosi;
          if (miso == cs || miso == clk || miso == mosi || joined(miso, cs) || joined(miso, clk) || joined(miso, mosi))
            continue;
          std::uint32_t id = 0;
          for (int i = 0; i < kIdBits; ++i)
            id = id << 1 | (answers[t * kIdBits + static_cast<std::size_t>(i)][k] ? 1 : 0);
          if (id == 0 || id == 0xFFFFFF) continue;
          if (auto found = confirm(trials[t], miso, id)) return found;
          scan_.drive(open_);
        }
      }
      told(tried_);
    }
  }
  if (scan_.drives()) scan_.letGo();
  return std::nullopt;
}

}  // namespace imprimo::pins
