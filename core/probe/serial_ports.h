// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/probe/probe_list.h"

namespace imprimo::probe {

/// A serial port of this computer, and what it hangs on.
struct SerialPort {
  enum class On : std::uint8_t {
    ThisProbe,  ///< the probe that is meant, or connected
    Probe,      ///< another one
    Board,      ///< a USB device that speaks itself, as a board does
    Adapter,    ///< from USB to serial
    Computer    ///< nothing that can be unplugged
  };
  std::string node;  ///< "/dev/ttyACM0"
  On on = On::Computer;
  std::string vendor, product, serial;
  int interface = -1;   ///< of its USB device
  bool newest = false;  ///< it appeared last
  std::string holder;   ///< who has it open; empty: nobody that can be seen
  int holderId = 0;
  /// What it hangs on: "the probe Beck Link (serial 0042)".
  std::string words() const;
};

/// Those of `probe` first, then by what they hang on, then by name. `probe`: the address of the probe that is meant, or
/// empty. Looks at sysfs, /dev and /proc only; opens no device.
std::vector<SerialPort> listSerialPorts(const SystemRoot& root, const std::vector<AdapterCard>& cards,
                                        const std::string& probe);

/// The port that is meant where none is named: the probe's own, or the only one that hangs on something. Throws Refused
/// naming those that there are.
const SerialPort& likelyPort(const std::vector<SerialPort>& ports);

}  // namespace imprimo::probe
