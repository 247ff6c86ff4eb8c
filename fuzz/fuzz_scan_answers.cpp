// SPDX-License-Identifier: GPL-3.0-or-later
//
// A chain whose scans give anything, and a debug port in it that makes of them what it can.
#include <cstdint>

#include "core/debug/jtag_wires.h"
#include "fuzz/debug_port_use.h"

namespace {

using namespace imprimo;

/// Captured bits come from the input; behind its end the link is lost.
class AnyPort : public jtag::JtagPort {
 public:
  explicit AnyPort(ByteSpan left) : left_(left) {}
  std::uint32_t clockHz() const override { return 1'000'000; }
  jtag::ScanAnswers run(const jtag::ScanBatch& batch) override {
    jtag::ScanAnswers answers;
    for (const jtag::ScanBatch::Item& item : batch.items()) {
      const auto* scan = std::get_if<jtag::Scan>(&item);
      if (scan == nullptr || scan->captures.empty()) continue;
      BitVector bits;
      for (const jtag::BitRange& range : scan->captures) {
        for (std::size_t i = 0; i < range.size(); i += 8) {
          if (left_.empty()) throw Error(ErrorKind::LinkLost, "no answer");
          bits.appendBits(left_[0], std::min<std::size_t>(8, range.size() - i));
          left_ = left_.subspan(1);
        }
      }
      answers.push_back(std::move(bits));
    }
    return answers;
  }

 private:
  ByteSpan left_;
};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  AnyPort scans{ByteSpan(data, size)};
  jtag::Chain chain(scans, {8, 4, 6});
  debug::JtagWires wires(chain, 2, debug::PortInstructions::of("port", 4, nullptr));
  useDebugPort(wires);
  return 0;
}
