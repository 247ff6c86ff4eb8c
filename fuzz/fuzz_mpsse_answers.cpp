// SPDX-License-Identifier: GPL-3.0-or-later
//
// An adapter that answers anything, behind the two answers that let the driver in.
#include <algorithm>
#include <cstdint>

#include "core/base/error.h"
#include "core/jtag/examine.h"
#include "core/probe/mpsse/mpsse_probe.h"

namespace {

using namespace imprimo;

class AnyBytes : public probe::ByteStream {
 public:
  explicit AnyBytes(ByteSpan data) : data_(data) {}
  void write(ByteSpan) override {}
  Bytes read(std::size_t count, std::chrono::milliseconds) override {
    if (greetings_ > 0 && count == 2) {
      --greetings_;
      return {0xFA, 0xAA};
    }
    if (!looped_ && count == 4) {
      looped_ = true;
      return {0x5A, 0xC3, 0x00, 0xFF};
    }
    if (data_.size() < count) throw Error(ErrorKind::LinkLost, "no answer");
    Bytes bytes(data_.begin(), data_.begin() + static_cast<std::ptrdiff_t>(count));
    data_ = data_.subspan(count);
    return bytes;
  }
  void wait(std::chrono::microseconds) override {}
  std::string name() const override { return "fuzz"; }

 private:
  ByteSpan data_;
  int greetings_ = 2;
  bool looped_ = false;
};

/// Captures and waits where the first bytes say.
jtag::Scan anyScan(ByteSpan data) {
  jtag::Scan scan;
  const std::size_t bits = 1 + (data.size() > 1 ? data[0] * 16u + data[1] : 40u);
  scan.out = BitVector(bits, true);
  std::size_t at = 0;
  for (std::size_t i = 2; i + 1 < data.size() && i < 10; i += 2) {
    const std::size_t begin = at + data[i], end = begin + 1 + data[i + 1] % 64;
    if (end > bits) break;
    scan.captures.push_back({begin, end});
    at = end + 1;
    if (data[i] % 5 == 0) scan.waits.push_back({begin, std::chrono::microseconds(1)});
  }
  return scan;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  try {
    const ByteSpan all(data, size);
    probe::AdapterCard card = probe::genericAdapter();
    card.sense = probe::AdapterCard::Pin{6, true};
    probe::MpsseProbe probe(std::make_unique<AnyBytes>(all), card, {});
    probe.targetPowered();
    probe.run(jtag::ScanBatch().add(anyScan(all)));
    jtag::examine(probe, {});
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
