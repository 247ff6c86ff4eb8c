// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFile>
#include <QPainter>
#include <QTemporaryDir>
#include <QTest>
#include <QTextStream>
#include <functional>
#include <memory>

#include "app/shell/demo_bench.h"
#include "app/shell/main_window.h"
#include "app/views.h"
#include "core/base/input_file.h"
#include "tests/support/copy_folder.h"

namespace imprimo::test {

using namespace imprimo::app;

inline bool waitUntil(const std::function<bool()>& done) {
  return QTest::qWaitFor(done, 30'000);
}

class Camera {
 public:
  Camera(QString folder, QString demo) : folder_(std::move(folder)), demo_(std::move(demo)) {}

  void take(const QString& name, QWidget& window) {
    QTest::qWait(80);
    const QString path = folder_ + "/" + name + ".png";
    if (!window.grab().save(path)) throw std::runtime_error("cannot write " + path.toStdString());
    QTextStream(stdout) << path << "\n";
  }

  /// A window and what has popped up over it.
  void takeWith(const QString& name, QWidget& window, QWidget& popup) {
    QTest::qWait(80);
    QPixmap picture = window.grab();
    QPainter painter(&picture);
    painter.drawPixmap(window.mapFromGlobal(popup.pos()), popup.grab());
    painter.end();
    const QString path = folder_ + "/" + name + ".png";
    if (!picture.save(path)) throw std::runtime_error("cannot write " + path.toStdString());
    QTextStream(stdout) << path << "\n";
  }

  /// A window with the sheet open and the bench's planned blocks compared.
  std::unique_ptr<MainWindow> ready(DemoBench* bench, QSize size, bool dark) {
    auto window = std::make_unique<MainWindow>(viewTable());
    window->setDark(dark);
    window->resize(size);
    window->show();
    window->bench().keeping().open(demo_ + "/gauge-rev-b.imprimo");
    if (bench != nullptr) {
      window->bench().link().connectTo(QString::fromStdString(bench->address()));
      if (!waitUntil([&] { return window->bench().link().report().has_value(); }))
        throw std::runtime_error("no report");
      window->bench().tasks().loadBridge();
      if (!waitUntil([&] { return window->bench().run().plan() && window->bench().run().plan()->complete; }))
        throw std::runtime_error("no plan");
      window->bench().cursor().jumpTo(0x064010);
    }
    QTest::qWait(300);
    return window;
  }

 private:
  QString folder_, demo_;
};

/// The demo in a folder of its own whose sheet or bench are a little different.
struct Variant {
  explicit Variant(const QString& demo, const std::function<void(QString&)>& sheet,
                   const std::function<void(QString&)>& bench) {
    copyFolder(demo, folder.path());
    change("gauge-rev-b.imprimo", sheet);
    change("bench.json", bench);
  }
  void change(const char* name, const std::function<void(QString&)>& how) {
    QString text = QString::fromStdString(readTextFile(folder.filePath(name).toStdString()));
    how(text);
    QFile file(folder.filePath(name));
    if (file.open(QIODevice::WriteOnly)) file.write(text.toUtf8());
  }
  QTemporaryDir folder;
};

/// The Vectors view: a file before it is played, while it is, at a mismatch, and one that is about to be written.
void takeVectors(const QString& pictures, const QString& demo);
/// A board that has no sheet yet.
void takeNewBoard(const QString& pictures, const QString& demo);
/// Numbers of the next unit, records of many, and one of them as a page.
void takeRecords(const QString& pictures, const QString& demo);
/// The line: after a good board, after a failed one, and eight places.
void takeLine(const QString& pictures, const QString& demo);

}  // namespace imprimo::test
