// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QSocketNotifier>
#include <QTimer>
#include <filesystem>
#include <memory>
#include <vector>

namespace imprimo::app {

/// Tells when something was plugged in or taken out: by the events of udev (its messages on the kernel's netlink
/// socket), or where there are none by looking into sysfs once a second.
class UsbWatch : public QObject {
  Q_OBJECT
 public:
  explicit UsbWatch(QObject* parent = nullptr);
  ~UsbWatch() override;
  /// Looks below this root instead of "/"; there are no events then.
  void setRoot(const std::filesystem::path& root);
  bool hasEvents() const { return notifier_ != nullptr; }

 signals:
  void changed();

 private:
  void listen();
  void drain();
  void look();
  std::vector<std::string> devices() const;

  std::filesystem::path root_ = "/";
  std::vector<std::string> known_;
  int socket_ = -1;
  std::unique_ptr<QSocketNotifier> notifier_;
  QTimer poll_, settle_;
};

}  // namespace imprimo::app
