// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/fake_usb.h"

#include <ftdi.h>
#include <hidapi/hidapi.h>
#include <libusb.h>

#include <algorithm>
#include <cstdlib>

using imprimo::Bytes;
using imprimo::ByteSpan;
using imprimo::test::FakeUsb;
namespace sim = imprimo::sim;

namespace imprimo::test {

FakeUsb& FakeUsb::the() {
  static FakeUsb fake;
  return fake;
}

bool FakeUsb::gone() {
  return unplugAt >= 0 && calls++ >= unplugAt;
}

void FakeUsb::take(ByteSpan packet) {
  const auto responses = bench->process(packet);
  if (!responses) return;
  for (const Bytes& r : *responses) answers.push_back(r);
}

}  // namespace imprimo::test

namespace {

FakeUsb& usb() {
  return FakeUsb::the();
}

libusb_endpoint_descriptor endpoints[2];
libusb_interface_descriptor interfaceDescriptor;
libusb_interface interfaces;
libusb_config_descriptor config;
char anything;

}  // namespace

extern "C" {

int libusb_init(libusb_context** context) {
  *context = reinterpret_cast<libusb_context*>(&anything);
  return 0;
}
void libusb_exit(libusb_context*) {}
const char* libusb_strerror(int code) {
  return code == LIBUSB_ERROR_BUSY     ? "Resource busy"
         : code == LIBUSB_ERROR_ACCESS ? "Access denied"
                                       : "No such device (it may have been disconnected)";
}
ssize_t libusb_get_device_list(libusb_context*, libusb_device*** list) {
  *list = static_cast<libusb_device**>(std::calloc(2, sizeof(libusb_device*)));
  (*list)[0] = reinterpret_cast<libusb_device*>(&anything);
  return usb().device != 0 ? 1 : 0;
}
void libusb_free_device_list(libusb_device** list, int) {
  std::free(list);
}
uint8_t libusb_get_bus_number(libusb_device*) {
  return 1;
}
uint8_t libusb_get_device_address(libusb_device*) {
  return static_cast<uint8_t>(usb().device);
}
int libusb_open(libusb_device*, libusb_device_handle** handle) {
  *handle = reinterpret_cast<libusb_device_handle*>(&anything);
  return usb().openResult;
}
void libusb_close(libusb_device_handle*) {}
libusb_device* libusb_get_device(libusb_device_handle*) {
  return reinterpret_cast<libusb_device*>(&anything);
}
int libusb_set_auto_detach_kernel_driver(libusb_device_handle*, int) {
  return 0;
}
int libusb_claim_interface(libusb_device_handle*, int) {
  return usb().claimResult;
}
int libusb_release_interface(libusb_device_handle*, int) {
  return 0;
}
int libusb_detach_kernel_driver(libusb_device_handle*, int) {
  usb().detached = true;
  return 0;
}
int libusb_get_active_config_descriptor(libusb_device*, libusb_config_descriptor** result) {
  endpoints[0] = {};
  endpoints[0].bEndpointAddress = 0x01;
  endpoints[1] = {};
  endpoints[1].bEndpointAddress = 0x82;
  for (auto& e : endpoints) {
    e.bmAttributes = LIBUSB_TRANSFER_TYPE_BULK;
    e.wMaxPacketSize = 64;
  }
  interfaceDescriptor = {};
  interfaceDescriptor.bNumEndpoints = static_cast<uint8_t>(1 + usb().inEndpoints);
  interfaceDescriptor.endpoint = endpoints;
  interfaces = {&interfaceDescriptor, 1};
  config = {};
  config.bNumInterfaces = 1;
  config.interface = &interfaces;
  *result = &config;
  return 0;
}
void libusb_free_config_descriptor(libusb_config_descriptor*) {}
int libusb_bulk_transfer(libusb_device_handle*, unsigned char endpoint, unsigned char* data, int length, int* done,
                         unsigned) {
  *done = 0;
  if (usb().gone()) return LIBUSB_ERROR_NO_DEVICE;
  if ((endpoint & LIBUSB_ENDPOINT_IN) == 0) {
    if (length > 0) usb().take({data, static_cast<std::size_t>(length)});
    if (length == 0) ++usb().emptyPackets;
    *done = length;
    return 0;
  }
  if (usb().answers.empty()) return LIBUSB_ERROR_TIMEOUT;
  if (usb().lateBy > 0 && usb().lateLeft++ < usb().lateBy) return LIBUSB_ERROR_TIMEOUT;
  usb().lateLeft = 0;
  const Bytes answer = std::move(usb().answers.front());
  usb().answers.pop_front();
  *done = static_cast<int>(std::min<std::size_t>(answer.size(), static_cast<std::size_t>(length)));
  std::copy_n(answer.begin(), *done, data);
  return 0;
}

hid_device* hid_open_path(const char*) {
  return usb().device != 0 ? reinterpret_cast<hid_device*>(&anything) : nullptr;
}
void hid_close(hid_device*) {}
int hid_write(hid_device*, const unsigned char* data, size_t length) {
  if (usb().gone()) return -1;
  usb().hidReport = length;
  if (length != 1 + usb().reportSize) return -1;
  usb().take({data + 1, length - 1});
  return static_cast<int>(length);
}
int hid_read_timeout(hid_device*, unsigned char* data, size_t length, int) {
  if (usb().gone()) return -1;
  if (usb().answers.empty()) return 0;
  Bytes report = std::move(usb().answers.front());
  usb().answers.pop_front();
  report.resize(std::min(length, usb().reportSize));  // reports are always whole
  std::copy(report.begin(), report.end(), data);
  return static_cast<int>(report.size());
}

ftdi_context* ftdi_new() {
  return static_cast<ftdi_context*>(std::calloc(1, sizeof(ftdi_context)));
}
void ftdi_free(ftdi_context* ftdi) {
  std::free(ftdi);
}
int ftdi_set_interface(ftdi_context*, ftdi_interface) {
  return 0;
}
int ftdi_usb_open_bus_addr(ftdi_context*, uint8_t, uint8_t) {
  return usb().device != 0 ? usb().openResult : -1;
}
const char* ftdi_get_error_string(ftdi_context*) {
  return "device not found";
}
int ftdi_usb_reset(ftdi_context*) {
  return 0;
}
int ftdi_usb_close(ftdi_context*) {
  return 0;
}
int ftdi_set_latency_timer(ftdi_context*, unsigned char) {
  return 0;
}
int ftdi_set_bitmode(ftdi_context*, unsigned char, unsigned char mode) {
  return mode == BITMODE_MPSSE && usb().claimResult != 0 ? -1 : 0;
}
int ftdi_tcioflush(ftdi_context*) {
  usb().bench->mpsse().reset();
  return 0;
}
int ftdi_write_data_set_chunksize(ftdi_context*, unsigned) {
  return 0;
}
int ftdi_read_data_set_chunksize(ftdi_context*, unsigned) {
  return 0;
}
int ftdi_write_data(ftdi_context*, const unsigned char* data, int size) {
  if (usb().gone()) return -666;
  sim::MpsseEngine& engine = usb().bench->mpsse();
  if (!usb().bench->streamIn({data, static_cast<std::size_t>(size)})) return -666;
  // While nobody reads, an engine that has no more room for answers takes no more commands: the transfer times out.
  usb().mostUnread = std::max(usb().mostUnread, engine.answers());
  return engine.stalled() > engine.wiring().buffer ? -7 : size;
}
int ftdi_read_data(ftdi_context*, unsigned char* data, int size) {
  if (usb().gone()) return -666;
  // As on the wire: some now, some later.
  const Bytes some = usb().bench->mpsse().output(std::min<std::size_t>(static_cast<std::size_t>(size), 62));
  std::copy(some.begin(), some.end(), data);
  return static_cast<int>(some.size());
}
}
