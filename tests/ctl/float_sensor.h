// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <memory>

#include "core/base/atomic_file.h"
#include "tests/ctl/gauge.h"

namespace imprimo::test {

/// The float sensor, served over TCP; sheet and bench may be changed first.
class FloatSensor {
 public:
  explicit FloatSensor(const std::function<void(QString&)>& changeBench = {},
                       const std::function<void(QString&)>& changeSheet = {}, const Bytes& firmware = {}) {
    copyFolder(QString(IMPRIMO_DEMO) + "/float", folder_.path());
    if (!firmware.empty()) writeFileAtomically(path("on_the_sensor.bin").toStdString(), ByteSpan(firmware));
    change("bench.json", changeBench);
    change("float-sensor.imprimo", changeSheet);
    bench_ = sim::readBench(path("bench.json").toStdString());
    server_ = std::make_unique<sim::BenchServer>(*bench_, sim::ServerOptions{});
  }
  Answer ctl(QStringList words) {
    words.insert(1, sheet());
    words.prepend(QString::fromStdString(server_->address()));
    words.prepend("--probe");
    return Gauge::run(words);
  }
  /// Without the sheet.
  Answer bare(QStringList words) {
    words.prepend(QString::fromStdString(server_->address()));
    words.prepend("--probe");
    return Gauge::run(words);
  }
  QString sheet() const { return path("float-sensor.imprimo"); }
  QString path(const QString& name) const { return folder_.filePath(name); }
  sim::BenchServer& server() { return *server_; }
  std::string violations() {
    return server_->with([](sim::Bench& b) { return b.violations(); });
  }

 private:
  void change(const QString& name, const std::function<void(QString&)>& how) {
    if (!how) return;
    QString text = QString::fromStdString(readTextFile(path(name).toStdString()));
    how(text);
    QFile file(path(name));
    if (file.open(QIODevice::WriteOnly)) file.write(text.toUtf8());
  }
  QTemporaryDir folder_;
  std::unique_ptr<sim::Bench> bench_;
  std::unique_ptr<sim::BenchServer> server_;
};

}  // namespace imprimo::test
