// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/bench/bridge_recorder.h"

#include <stdexcept>

#include "core/spi/bridge_frames.h"

namespace imprimo::bench {

namespace bridge = spi::bridge;

std::uint32_t BridgeRecorder::clocksPerExchange() const {
  return bridge::kHeaderBits;
}

std::uint32_t BridgeRecorder::clocksBeforeStatus() const {
  return bridge::kStatusLeadBits;
}

void BridgeRecorder::greet() {
  writer_.pad(place_.padding());
  writer_.scan(svf::Field::Sir, opcode_);
  hello(false);
  hello(true);
}

void BridgeRecorder::requireClean() {
  hello(true);
}

void BridgeRecorder::hello(bool clean) {
  constexpr std::size_t kStatusAt = 6;
  const Bytes answer{'I', 'M', 'P', 'R', 0x01, 0x00, 0x00, 0x00};
  Bytes mask(bridge::kHelloBytes, 0xFF);
  if (!clean) mask[kStatusAt] = mask[kStatusAt + 1] = 0;
  bridge::appendHello(stream_);
  expectLast(answer, mask);
  flush();
}

void BridgeRecorder::expectLast(ByteSpan answer, ByteSpan mask) {
  // The answer to bit j of the scan comes as bit j + after + before + 1.
  const std::size_t begin = stream_.size() - 8 * mask.size() + place_.after() + place_.before() + 1;
  tdo_.appendFill(false, begin - tdo_.size());
  mask_.appendFill(false, begin - mask_.size());
  tdo_.appendMsbFirst(answer);
  mask_.appendMsbFirst(mask);
}

void BridgeRecorder::flush() {
  if (stream_.empty()) return;
  if (tdo_.empty()) {
    stream_.append(false);  // through the last part's bit
    writer_.scan(svf::Field::Sdr, stream_);
  } else {
    stream_.appendFill(false, place_.after() + place_.before() + 1);
    tdo_.appendFill(false, stream_.size() - tdo_.size());
    mask_.appendFill(false, stream_.size() - mask_.size());
    writer_.scan(svf::Field::Sdr, stream_, &tdo_, &mask_);
  }
  stream_.clear();
  tdo_.clear();
  mask_.clear();
}

spi::SpiAnswers BridgeRecorder::run(const spi::SpiBatch& batch) {
  spi::SpiAnswers result;
  result.answers.resize(batch.items().size());
  for (std::size_t i = 0; i < batch.items().size(); ++i) {
    const spi::SpiItem& item = batch.items()[i];
    if (const auto* e = std::get_if<spi::Exchange>(&item)) {
      bridge::appendExchange(stream_, e->out, e->read);
      if (e->read > 0 && e->expected.size() != e->read)
        throw std::invalid_argument("vectors need to know what will be read");
      if (e->read > 0) expectLast(e->expected, Bytes(e->read, 0xFF));
      result.answers[i] = e->expected;
    } else if (const auto* wait = std::get_if<spi::Wait>(&item)) {
      flush();
      writer_.wait(0, static_cast<double>(wait->time.count()) * 1e-6);
    } else if (const auto* expect = std::get_if<spi::Expect>(&item)) {
      flush();
      writer_.wait(0, static_cast<double>(expect->limit.count()) * 1e-6);
      const Bytes command{expect->command};
      bridge::appendExchange(stream_, command, 1);
      expectLast(Bytes{expect->value}, Bytes{expect->mask});
      flush();
      result.answers[i] = {expect->value};
      result.waited = expect->limit;
    } else {
      throw std::invalid_argument("a guard's answer would have to be decided on");
    }
  }
  flush();
  return result;
}

}  // namespace imprimo::bench
