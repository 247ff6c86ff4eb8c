// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/pins/pin_recorder.h"

#include <algorithm>
#include <stdexcept>

#include "core/bench/pins/pin_route.h"

namespace imprimo::bench {

namespace {

pins::SpiWires checkedWires(const sheet::PinRoute& route, const pins::BoundaryPorts& ports) {
  pins::SpiWires wires = spiWires(route, ports);
  pins::checkWires(ports, wires);
  return wires;
}

}  // namespace

PinRecorder::PinRecorder(svf::Writer& writer, ChainPlace place, const bsdl::BoundaryDescription& description,
                         const std::string& device, const sheet::PinRoute& route)
    : writer_(writer),
      place_(std::move(place)),
      ports_(pins::boundaryPorts(description)),
      opcodes_(description),
      wires_(checkedWires(route, ports_)),
      idle_(pins::idleCells(ports_, wires_, BitVector(ports_.length, false))),
      wave_(ports_, wires_, idle_,
            [this](const BitVector& cells, std::span<const std::uint32_t> captured) { put(cells, captured); }) {
  opcodes_.requireExtest(device);
}

std::uint32_t PinRecorder::clockHz() const {
  constexpr double kAround = 5;  // from Run-Test/Idle through the register and back
  const double clocks = static_cast<double>(ports_.length + place_.before() + place_.after()) + kAround;
  return static_cast<std::uint32_t>(std::max(1.0, writer_.options().hz / (2 * clocks)));
}

void PinRecorder::greet() {
  writer_.pad(place_.padding());
  writer_.scan(svf::Field::Sir, opcodes_.preload);
  writer_.scan(svf::Field::Sdr, idle_);
  writer_.scan(svf::Field::Sir, *opcodes_.extest);
}

void PinRecorder::put(const BitVector& cells, std::span<const std::uint32_t> captured) {
  bool any = false;
  BitVector tdo(ports_.length, false), mask(ports_.length, false);
  for (const std::uint32_t cell : captured) {
    if (matters_[next_]) {
      mask.set(cell, true);
      tdo.set(cell, expected_[next_]);
      any = true;
    }
    ++next_;
  }
  if (any) {
    writer_.scan(svf::Field::Sdr, cells, &tdo, &mask);
  } else {
    writer_.scan(svf::Field::Sdr, cells);
  }
}

void PinRecorder::exchange(const spi::Exchange& exchange, ByteSpan answer, ByteSpan mask) {
  expected_ = wave_.capturesOf(answer, exchange.lines.in);
  matters_ = wave_.capturesOf(mask, exchange.lines.in);
  next_ = 0;
  wave_.exchange(exchange);
}

spi::SpiAnswers PinRecorder::run(const spi::SpiBatch& batch) {
  spi::SpiAnswers result;
  result.answers.resize(batch.items().size());
  for (std::size_t i = 0; i < batch.items().size(); ++i) {
    const spi::SpiItem& item = batch.items()[i];
    if (const auto* e = std::get_if<spi::Exchange>(&item)) {
      if (e->expected.size() != e->read) throw std::invalid_argument("vectors need to know what will be read");
      exchange(*e, e->expected, Bytes(e->read, 0xFF));
      result.answers[i] = e->expected;
    } else if (const auto* wait = std::get_if<spi::Wait>(&item)) {
      writer_.wait(0, static_cast<double>(wait->time.count()) * 1e-6);
    } else if (const auto* expect = std::get_if<spi::Expect>(&item)) {
      writer_.wait(0, static_cast<double>(expect->limit.count()) * 1e-6);
      exchange({{expect->command}, 1}, Bytes{expect->value}, Bytes{expect->mask});
      result.answers[i] = {expect->value};
      result.waited = expect->limit;
    } else {
      throw std::invalid_argument("a guard's answer would have to be decided on");
    }
  }
  return result;
}

}  // namespace imprimo::bench
