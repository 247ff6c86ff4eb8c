// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <memory>

#include "core/bench/finders.h"
#include "core/console/baud_search.h"
#include "core/console/serial_settings.h"
#include "core/console/source.h"
#include "core/probe/probe_list.h"

class QSerialPort;

namespace imprimo::serial {

/// A serial port of this computer, on one thread. A port that goes away is waited for; a rate that is not given is
/// found by what comes.
class SerialSource : public console::Source {
 public:
  /// `channel`: what it is called. Throws Refused where the port cannot be opened.
  SerialSource(std::string node, console::SerialSettings settings, std::string channel);
  ~SerialSource() override;

  std::vector<console::Heard> hear() override;
  /// A line feed goes out as the settings have it.
  std::size_t tell(ByteSpan bytes) override;
  bool byWallClock() const override { return true; }

 private:
  bool open();
  std::string why() const;
  void search(Bytes& bytes, std::string& note);

  std::string node_, channel_;
  console::SerialSettings settings_;
  std::unique_ptr<QSerialPort> port_;
  std::optional<console::BaudSearch> search_;
  std::chrono::steady_clock::time_point triedAt_{}, listenedSince_{};
};

/// Opens the port that a source names; where it names none, that of the probe at `address`, or the only one.
/// `libraries`: folders with adapter cards, by which some probes are known. Throws Refused.
bench::OpenSerial opener(const probe::SystemRoot& system, const std::string& address,
                         const std::vector<std::string>& libraries);

}  // namespace imprimo::serial
