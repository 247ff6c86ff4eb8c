// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/console/console_log.h"
#include "app/model/workbench.h"
#include "core/probe/serial_ports.h"

namespace imprimo::app {

/// Who is listened to, and through what; and which lines of the log are shown.
class ConsoleModel : public QObject {
  Q_OBJECT
 public:
  explicit ConsoleModel(Workbench& bench);

  ConsoleLog& log() { return log_; }
  const ConsoleLog& log() const { return log_; }
  Workbench& bench() { return bench_; }

  QStringList cores() const;
  const QString& core() const { return core_; }
  void setCore(const QString& core);
  /// Whether it is listened to as soon as it can be.
  bool isOn() const { return on_; }
  void setOn(bool on);
  /// "ring", "itm", "semihosting".
  bool listensTo(const char* source) const;
  void setSource(const char* source, bool on);
  /// The source of the serial port, "serial:/dev/ttyACM0"; empty: none.
  QString serial() const;
  void setSerial(const QString& source);
  const console::SerialSettings& serialSettings() const { return speech_.serial; }
  void setSerialSettings(const console::SerialSettings& settings);
  /// Of this computer, those of the probe first.
  std::vector<probe::SerialPort> ports() const;
  /// Why nothing is heard, or what is listened to; a sentence.
  QString state() const;
  /// To what say() speaks, in a few words.
  QString hearer() const;
  bool canSay() const;
  void say(const QString& text);

  /// Lines that are shown: all, or those with these letters in them, case ignored.
  const PagedFile<std::size_t>& shown() const { return shown_; }
  const QString& filter() const { return filter_; }
  void setFilter(const QString& letters);
  /// A held view shows nothing new until it is let go; nothing is lost meanwhile.
  bool isHeld() const { return held_; }
  void setHeld(bool held);
  std::size_t waiting() const { return log_.count() - seen_; }
  /// The next shown line with these letters behind `row`, or before it; nothing where there is none.
  std::optional<std::size_t> find(const QString& letters, std::size_t row, bool forward) const;

 signals:
  void changed();       ///< state, core, sources
  void shownChanged();  ///< other lines are shown
  void shownGrew();     ///< more lines are shown, behind those that were

 private:
  void listen();
  void takeSheet();
  void takeSources();
  void changeSources();
  void showNew();
  bool fits(const QByteArray& text) const;

  Workbench& bench_;
  ConsoleLog log_;
  QString core_, filter_, problem_;
  bool on_ = false, held_ = false;
  sheet::CoreSpeech speech_;
  PagedFile<std::size_t> shown_;
  std::size_t seen_ = 0;  // lines of the log that were looked at for the list
};

}  // namespace imprimo::app
