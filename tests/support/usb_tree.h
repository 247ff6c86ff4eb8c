// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTemporaryDir>
#include <set>
#include <string>

#include "core/probe/probe_list.h"

namespace imprimo::test {

/// A made sysfs, /proc and /dev with USB devices on bus 1, for who looks for probes below a root of its own.
class UsbTree {
 public:
  UsbTree();

  /// A CMSIS-DAP probe plugged in at `port` ("1-4"); `hid` for one of version 1, whose reports are that long.
  void addDap(const std::string& port, const std::string& serial, const std::string& product, bool hid = false,
              unsigned reportSize = 64);
  /// A serial engine, of two channels if not said otherwise; `driver` has channel A, as ttyUSB0.
  void addEngine(const std::string& port, const std::string& serial, const std::string& product,
                 const std::string& driver = {}, const std::string& productId = "6010");
  void addOther(const std::string& port);
  /// A device that is no probe.
  void addPlain(const std::string& port, const std::string& serial, const std::string& product);
  /// A serial port by one interface of a device that there is: "ttyACM0", or "ttyUSB0" with a folder of its own.
  void addSerial(const std::string& port, int interface, const std::string& name, const std::string& driver);
  /// A serial port that is not on USB.
  void addLine(const std::string& name, const std::string& driver);
  /// A process that has the device, or with `node` another device file, open.
  void hold(const std::string& port, int process, const std::string& name, const std::string& node = {});
  /// The device file does not let us in.
  void lock(const std::string& port);
  void makeVirtual(const std::string& machine);
  void removeUsb();
  void write(const std::string& file, const std::string& text);
  void link(const std::string& file, const std::string& target);

  probe::SystemRoot root() const;

 private:
  std::string nodeOf(const std::string& port) const;
  void addDevice(const std::string& port, const std::string& vendor, const std::string& product,
                 const std::string& name, const std::string& serial);

  QTemporaryDir folder_;
  std::set<std::string> locked_;
};

}  // namespace imprimo::test
