// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <libusb.h>

#include <memory>
#include <string>

namespace imprimo::probe {

/// An opened USB device and the library's context it lives in.
class UsbDevice {
 public:
  /// Throws NoProbe saying what keeps it from being opened.
  UsbDevice(int bus, int device, const std::string& name);
  libusb_device_handle* handle() const { return handle_.get(); }
  libusb_device* device() const { return libusb_get_device(handle_.get()); }

 private:
  struct Exit {
    void operator()(libusb_context* context) const { libusb_exit(context); }
  };
  struct Close {
    void operator()(libusb_device_handle* handle) const { libusb_close(handle); }
  };
  std::unique_ptr<libusb_context, Exit> context_;
  std::unique_ptr<libusb_device_handle, Close> handle_;
};

}  // namespace imprimo::probe
