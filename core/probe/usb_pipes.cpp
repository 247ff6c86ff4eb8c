// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>
#include <hidapi/hidapi.h>

#include <array>

#include "core/base/error.h"
#include "core/probe/packet_pipe.h"
#include "core/probe/usb_device.h"

namespace imprimo::probe {
namespace {

using std::chrono::milliseconds;

[[noreturn]] void lost(const std::string& name, const std::string& how) {
  throw Error(ErrorKind::LinkLost, fmt::format("lost the probe at {}: {}", name, how),
              "Check its cable; then connect again.");
}

Error cannotOpen(const std::string& name, int code) {
  const char* remedy = code == LIBUSB_ERROR_ACCESS
                           ? "The device file does not let you in; there is a udev rule that does."
                       : code == LIBUSB_ERROR_BUSY ? "Another program or a kernel driver has it."
                                                   : "Unplug it and plug it in again.";
  return Error(ErrorKind::NoProbe, fmt::format("cannot open the probe at {}: {}", name, libusb_strerror(code)), remedy)
      .setHelp(code == LIBUSB_ERROR_ACCESS || code == LIBUSB_ERROR_BUSY ? Help::ListProbes : Help::None);
}

/// The bulk endpoints of an interface, as CMSIS-DAP 2 has them: the first is out, the second in.
struct Endpoints {
  unsigned char out = 0, in = 0;
  std::size_t outPacket = 512;
};

Endpoints bulkEndpoints(libusb_device* device, int interface) {
  Endpoints found;
  libusb_config_descriptor* raw = nullptr;
  if (libusb_get_active_config_descriptor(device, &raw) != 0) return found;
  const std::unique_ptr<libusb_config_descriptor, void (*)(libusb_config_descriptor*)> config(
      raw, libusb_free_config_descriptor);
  for (int i = 0; i < config->bNumInterfaces; ++i) {
    if (config->interface[i].num_altsetting < 1) continue;
    const libusb_interface_descriptor& d = config->interface[i].altsetting[0];
    if (d.bInterfaceNumber != interface) continue;
    for (int e = 0; e < d.bNumEndpoints; ++e) {
      const libusb_endpoint_descriptor& endpoint = d.endpoint[e];
      if ((endpoint.bmAttributes & LIBUSB_TRANSFER_TYPE_MASK) != LIBUSB_TRANSFER_TYPE_BULK) continue;
      const bool in = (endpoint.bEndpointAddress & LIBUSB_ENDPOINT_IN) != 0;
      if (in && found.in == 0) found.in = endpoint.bEndpointAddress;
      if (!in && found.out == 0) {
        found.out = endpoint.bEndpointAddress;
        found.outPacket = std::max<std::size_t>(endpoint.wMaxPacketSize, 1);
      }
    }
  }
  return found;
}

class BulkPipe : public PacketPipe {
 public:
  BulkPipe(int bus, int device, int interface, std::string name)
      : name_(std::move(name)), device_(bus, device, name_), interface_(interface) {
    libusb_set_auto_detach_kernel_driver(device_.handle(), 1);
    if (const int code = libusb_claim_interface(device_.handle(), interface_); code != 0) throw cannotOpen(name_, code);
    ends_ = bulkEndpoints(device_.device(), interface_);
    if (ends_.in == 0 || ends_.out == 0) {
      throw Error(ErrorKind::NoProbe,
                  fmt::format("the probe at {} has no bulk endpoints on interface {}", name_, interface_),
                  "Its firmware is unknown; see whether its maker has a newer one.");
    }
  }
  ~BulkPipe() override { libusb_release_interface(device_.handle(), interface_); }

  void write(ByteSpan packet, milliseconds limit) override {
    int sent = 0;
    const int code = libusb_bulk_transfer(device_.handle(), ends_.out, const_cast<unsigned char*>(packet.data()),
                                          static_cast<int>(packet.size()), &sent, static_cast<unsigned>(limit.count()));
    if (code != 0) lost(name_, code == LIBUSB_ERROR_TIMEOUT ? "it takes no more data" : libusb_strerror(code));
    if (static_cast<std::size_t>(sent) != packet.size()) lost(name_, "it took only part of a packet");
    // A packet that fills its last USB packet is ended by an empty one, unless it is as large as can be anyway.
    if (packet.size() % ends_.outPacket == 0 && packet.size() < packetSize_) {
      libusb_bulk_transfer(device_.handle(), ends_.out, nullptr, 0, &sent, static_cast<unsigned>(limit.count()));
    }
  }

  std::optional<Bytes> read(milliseconds limit) override {
    int got = 0;
    const int code = libusb_bulk_transfer(device_.handle(), ends_.in, buffer_.data(), static_cast<int>(buffer_.size()),
                                          &got, static_cast<unsigned>(limit.count()));
    if (code == LIBUSB_ERROR_TIMEOUT && got == 0) return std::nullopt;
    if (code != 0 && code != LIBUSB_ERROR_TIMEOUT) lost(name_, libusb_strerror(code));
    if (got == 0) return read(limit);  // the empty packet that ends a full one
    return Bytes(buffer_.begin(), buffer_.begin() + got);
  }
  void setPacketSize(std::size_t size) override { packetSize_ = size; }
  std::string name() const override { return name_; }

 private:
  std::string name_;
  UsbDevice device_;
  int interface_;
  Endpoints ends_;
  std::size_t packetSize_ = 64;
  std::array<unsigned char, 4096> buffer_{};
};

class HidPipe : public PacketPipe {
 public:
  HidPipe(const std::string& file, std::size_t reportSize, std::string name)
      : name_(std::move(name)), reportSize_(reportSize), device_(hid_open_path(file.c_str())) {
    if (device_ == nullptr) {
      throw Error(ErrorKind::NoProbe, fmt::format("cannot open the probe at {} ({})", name_, file),
                  "The device file may not let you in; there is a udev rule that does.")
          .setHelp(Help::ListProbes);
    }
  }
  ~HidPipe() override { hid_close(device_); }

  void write(ByteSpan packet, milliseconds) override {
    if (packet.size() > reportSize_) lost(name_, "a packet does not fit into its reports");
    Bytes report(1 + reportSize_, 0);  // the report's number, 0: there is only one
    std::copy(packet.begin(), packet.end(), report.begin() + 1);
    if (hid_write(device_, report.data(), report.size()) < 0) lost(name_, "it has gone");
  }
  std::optional<Bytes> read(milliseconds limit) override {
    Bytes report(4096);
    const int got = hid_read_timeout(device_, report.data(), report.size(), static_cast<int>(limit.count()));
    if (got < 0) lost(name_, "it has gone");
    if (got == 0) return std::nullopt;
    report.resize(static_cast<std::size_t>(got));
    return report;
  }
  std::size_t largestPacket() const override { return reportSize_; }
  std::string name() const override { return name_; }

 private:
  std::string name_;
  std::size_t reportSize_;
  hid_device* device_;
};

}  // namespace

UsbDevice::UsbDevice(int bus, int device, const std::string& name) {
  libusb_context* context = nullptr;
  if (const int code = libusb_init(&context); code != 0) throw cannotOpen(name, code);
  context_.reset(context);
  libusb_device** list = nullptr;
  const ssize_t count = libusb_get_device_list(context, &list);
  int code = LIBUSB_ERROR_NO_DEVICE;
  for (ssize_t i = 0; i < count; ++i) {
    if (libusb_get_bus_number(list[i]) != bus || libusb_get_device_address(list[i]) != device) continue;
    libusb_device_handle* handle = nullptr;
    code = libusb_open(list[i], &handle);
    if (code == 0) handle_.reset(handle);
    break;
  }
  if (count >= 0) libusb_free_device_list(list, 1);
  if (!handle_) throw cannotOpen(name, code);
}

std::unique_ptr<PacketPipe> openBulkPipe(int bus, int device, int interface, const std::string& name) {
  return std::make_unique<BulkPipe>(bus, device, interface, name);
}

std::unique_ptr<PacketPipe> openHidPipe(const std::string& file, std::size_t reportSize, const std::string& name) {
  return std::make_unique<HidPipe>(file, reportSize, name);
}

void releaseKernelDriver(int bus, int device, int interface, const std::string& name) {
  const UsbDevice usb(bus, device, name);
  const int code = libusb_detach_kernel_driver(usb.handle(), interface);
  if (code != 0 && code != LIBUSB_ERROR_NOT_FOUND) throw cannotOpen(name, code);
}

}  // namespace imprimo::probe
