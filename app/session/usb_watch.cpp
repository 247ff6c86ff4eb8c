// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/usb_watch.h"

#include <linux/netlink.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <string_view>

namespace imprimo::app {
namespace {

constexpr unsigned kUdevGroup = 2;  // what udev sends on when its rules were applied; 1 is the kernel's own
constexpr int kSettle = 250;        // ms: one device is several events
constexpr int kPoll = 1000;

}  // namespace

UsbWatch::UsbWatch(QObject* parent) : QObject(parent) {
  settle_.setSingleShot(true);
  settle_.setInterval(kSettle);
  connect(&settle_, &QTimer::timeout, this, &UsbWatch::changed);
  poll_.setInterval(kPoll);
  connect(&poll_, &QTimer::timeout, this, &UsbWatch::look);
  listen();
  known_ = devices();
  if (!hasEvents()) poll_.start();
}

UsbWatch::~UsbWatch() {
  notifier_.reset();
  if (socket_ >= 0) ::close(socket_);
}

void UsbWatch::setRoot(const std::filesystem::path& root) {
  root_ = root;
  known_ = devices();
  poll_.start();
}

void UsbWatch::listen() {
  // Without udev's own socket nobody would send to that group.
  std::error_code none;
  if (!std::filesystem::exists("/run/udev/control", none)) return;
  socket_ = ::socket(AF_NETLINK, SOCK_DGRAM | SOCK_CLOEXEC | SOCK_NONBLOCK, NETLINK_KOBJECT_UEVENT);
  if (socket_ < 0) return;
  sockaddr_nl address{};
  address.nl_family = AF_NETLINK;
  address.nl_groups = kUdevGroup;
  if (::bind(socket_, reinterpret_cast<const sockaddr*>(&address), sizeof address) != 0) {
    ::close(socket_);
    socket_ = -1;
    return;
  }
  notifier_ = std::make_unique<QSocketNotifier>(socket_, QSocketNotifier::Read);
  connect(notifier_.get(), &QSocketNotifier::activated, this, &UsbWatch::drain);
}

/// What it was does not matter: the list is made anew. Only those of other subsystems are passed over.
void UsbWatch::drain() {
  std::array<char, 8192> message{};
  for (;;) {
    const ssize_t size = ::recv(socket_, message.data(), message.size(), 0);
    if (size <= 0) break;
    const std::string_view text(message.data(), static_cast<std::size_t>(size));
    for (const std::string_view subsystem : {"SUBSYSTEM=usb", "SUBSYSTEM=hidraw", "SUBSYSTEM=tty"}) {
      if (text.find(subsystem) != std::string_view::npos) settle_.start();
    }
  }
}

std::vector<std::string> UsbWatch::devices() const {
  std::vector<std::string> names;
  std::error_code none;
  for (const auto& entry : std::filesystem::directory_iterator(root_ / "sys/bus/usb/devices", none))
    names.push_back(entry.path().filename().string());
  std::sort(names.begin(), names.end());
  return names;
}

void UsbWatch::look() {
  std::vector<std::string> now = devices();
  if (now == known_) return;
  known_ = std::move(now);
  settle_.start();
}

}  // namespace imprimo::app
