// SPDX-License-Identifier: GPL-3.0-or-later
//
// libftdi carries the bytes; what they mean is ours (mpsse_packer.cpp).
#include "core/probe/mpsse/ftdi_stream.h"

#include <fmt/format.h>
#include <ftdi.h>

#include <algorithm>
#include <thread>

#include "core/base/error.h"

namespace imprimo::probe {
namespace {

using std::chrono::milliseconds;
using Clock = std::chrono::steady_clock;

// The chip holds back a packet that is not full for so long; answers that matter are asked for at once (0x87).
constexpr unsigned char kLatencyMs = 1;
constexpr unsigned kUsbTransfer = 16384;

class FtdiStream : public ByteStream {
 public:
  FtdiStream(int bus, int device, char channel, std::size_t answerRoom, std::string name)
      : name_(std::move(name)), answerRoom_(answerRoom), ftdi_(ftdi_new(), ftdi_free) {
    if (!ftdi_) throw Error(ErrorKind::NoProbe, "no memory for the adapter " + name_);
    ftdi_set_interface(ftdi_.get(), static_cast<ftdi_interface>(INTERFACE_A + (channel - 'A')));
    ftdi_->module_detach_mode = AUTO_DETACH_SIO_MODULE;
    if (ftdi_usb_open_bus_addr(ftdi_.get(), static_cast<std::uint8_t>(bus), static_cast<std::uint8_t>(device)) < 0) {
      throw Error(ErrorKind::NoProbe,
                  fmt::format("cannot open the adapter at {}: {}", name_, ftdi_get_error_string(ftdi_.get())),
                  "The list of probes says what keeps it.")
          .setHelp(Help::ListProbes);
    }
    ftdi_->usb_write_timeout = 10000;
    ftdi_->usb_read_timeout = 1000;
    const bool good = ftdi_usb_reset(ftdi_.get()) >= 0 && ftdi_set_latency_timer(ftdi_.get(), kLatencyMs) >= 0 &&
                      ftdi_set_bitmode(ftdi_.get(), 0, BITMODE_RESET) >= 0 && ftdi_tcioflush(ftdi_.get()) >= 0 &&
                      ftdi_set_bitmode(ftdi_.get(), 0, BITMODE_MPSSE) >= 0 &&
                      ftdi_write_data_set_chunksize(ftdi_.get(), kUsbTransfer) >= 0 &&
                      ftdi_read_data_set_chunksize(ftdi_.get(), kUsbTransfer) >= 0;
    if (!good) {
      throw Error(ErrorKind::NoProbe,
                  fmt::format("the adapter at {} does not switch to its serial engine: {}", name_,
                              ftdi_get_error_string(ftdi_.get())),
                  "Channels C and D of a four-channel chip have none; an adapter card names the right channel.");
    }
  }
  ~FtdiStream() override {
    ftdi_set_bitmode(ftdi_.get(), 0, BITMODE_RESET);
    ftdi_usb_close(ftdi_.get());
  }

  void write(ByteSpan bytes) override {
    const int sent = ftdi_write_data(ftdi_.get(), bytes.data(), static_cast<int>(bytes.size()));
    if (sent != static_cast<int>(bytes.size())) lost("it takes no more data");
  }
  Bytes read(std::size_t count, milliseconds limit) override {
    Bytes bytes(count);
    const auto until = Clock::now() + limit;
    for (std::size_t have = 0; have < count;) {
      const int got = ftdi_read_data(ftdi_.get(), bytes.data() + have, static_cast<int>(count - have));
      if (got < 0) lost(ftdi_get_error_string(ftdi_.get()));
      have += static_cast<std::size_t>(got);
      if (have < count && Clock::now() > until) lost(fmt::format("no answer within {} ms", limit.count()));
    }
    return bytes;
  }
  void wait(std::chrono::microseconds time) override { std::this_thread::sleep_for(time); }
  std::string name() const override { return name_; }
  std::size_t answerRoom() const override { return answerRoom_; }

 private:
  [[noreturn]] void lost(const std::string& how) const {
    throw Error(ErrorKind::LinkLost, fmt::format("lost the adapter at {}: {}", name_, how),
                "Check its cable; then connect again.");
  }
  std::string name_;
  std::size_t answerRoom_;
  std::unique_ptr<ftdi_context, void (*)(ftdi_context*)> ftdi_;
};

}  // namespace

std::size_t answerRoomOf(std::uint16_t vendorId, std::uint16_t productId) {
  // The chip maker's data sheets.
  if (vendorId == 0x0403 && productId == 0x6010) return 4096;
  if (vendorId == 0x0403 && productId == 0x6011) return 2048;
  return 1024;
}

std::unique_ptr<ByteStream> openFtdiStream(int bus, int device, char channel, std::size_t answerRoom,
                                           const std::string& name) {
  return std::make_unique<FtdiStream>(bus, device, channel, answerRoom, name);
}

}  // namespace imprimo::probe
