// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/pin_watch.h"

#include <algorithm>
#include <chrono>

namespace imprimo::pins {

PinWatch::PinWatch(PinScan& scan)
    : scan_(scan), edges_(scan.ports().ports.size(), 0), high_(scan.ports().ports.size(), 0) {}

void PinWatch::look(std::size_t captures) {
  const std::vector<BoundaryPort>& ports = scan_.ports().ports;
  for (BitVector& now : scan_.sample(captures)) {
    for (std::size_t i = 0; i < ports.size(); ++i) {
      if (!ports[i].input) continue;
      const bool level = now[*ports[i].input];
      high_[i] += level ? 1 : 0;
      if (count_ > 0 && level != last_[*ports[i].input]) ++edges_[i];
    }
    last_ = std::move(now);
    ++count_;
  }
}

double PinWatch::run(double seconds, const std::stop_token& stop) {
  using Clock = std::chrono::steady_clock;
  const auto began = Clock::now();
  const auto passed = [&] { return std::chrono::duration<double>(Clock::now() - began).count(); };
  // As many at once as take a twentieth of a second, so that it ends when it should.
  constexpr double kPiece = 0.05;
  std::size_t piece = 16;
  do {
    const double before = passed();
    look(piece);
    const double took = std::max(passed() - before, 1e-6);
    piece = std::clamp<std::size_t>(static_cast<std::size_t>(static_cast<double>(piece) * kPiece / took), 1, 4096);
  } while (!stop.stop_requested() && passed() < seconds);
  return passed();
}

PinWatch::Moves PinWatch::moves(std::size_t port) const {
  return {edges_[port], count_ == 0 ? 0 : static_cast<double>(high_[port]) / static_cast<double>(count_)};
}

}  // namespace imprimo::pins
