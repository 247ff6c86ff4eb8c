// SPDX-License-Identifier: GPL-3.0-or-later
//
// A probe that answers anything: packets one behind another, each behind its length.
#include <cstdint>

#include "core/base/error.h"
#include "core/jtag/examine.h"
#include "core/probe/dap/dap_probe.h"

namespace {

using namespace imprimo;

class AnyAnswers : public probe::Transport {
 public:
  explicit AnyAnswers(ByteSpan data) : data_(data) {}
  void send(ByteSpan) override {}
  Bytes receive(std::chrono::milliseconds) override {
    if (data_.empty()) throw Error(ErrorKind::LinkLost, "no answer");
    const std::size_t length = std::min<std::size_t>(data_[0], data_.size() - 1);
    Bytes packet(data_.begin() + 1, data_.begin() + 1 + static_cast<std::ptrdiff_t>(length));
    data_ = data_.subspan(1 + length);
    return packet;
  }
  std::string name() const override { return "fuzz"; }

 private:
  ByteSpan data_;
};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  try {
    probe::ProbeOptions options;
    options.token = "token";
    probe::DapProbe probe(std::make_unique<AnyAnswers>(ByteSpan(data, size)), options);
    if (probe.swo() != nullptr) {
      for (const auto coding : {probe::SwoCoding::Uart, probe::SwoCoding::Manchester}) {
        if (!probe.swo()->can(coding)) continue;
        probe.swo()->begin(coding, 115200);
        probe.swo()->take();
      }
      probe.swo()->end();
    }
    const probe::RawClocks raw{true, BitVector(70, true), true};
    probe.clockRaw({&raw, 1});
    jtag::examine(probe, {});
  } catch (const Error&) {
    // Saying what is wrong is what a parser is for.
  }
  return 0;
}
