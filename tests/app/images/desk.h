// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QInputDialog>
#include <QLineEdit>
#include <QMimeData>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QTemporaryDir>
#include <QTimer>
#include <QToolButton>

#include "app/images/image_files.h"
#include "app/images/images_view.h"
#include "app/images/wrapper_editor.h"
#include "app/shell/main_window.h"
#include "app/views.h"
#include "core/base/atomic_file.h"
#include "core/base/input_file.h"
#include "tests/support/check.h"
#include "tests/support/copy_folder.h"

namespace imprimo::test {

using namespace imprimo::app;

/// The window at its Images view, with the demo's sheet or without any.
struct Desk {
  explicit Desk(bool withSheet = true) {
    copyFolder(IMPRIMO_DEMO, folder.path());
    window.resize(1280, 800);
    window.show();
    if (withSheet) window.bench().keeping().open(folder.filePath("gauge-rev-b.imprimo"));
    if (!QTest::qWaitForWindowActive(&window)) qFatal("the window does not come up");
    QTest::keyClick(&window, Qt::Key_2, Qt::ControlModifier);
    if (withSheet) type("imageSize", "8M"), type("imageBlock", "4K");
    QCoreApplication::processEvents();
  }
  ImageDocument& image() { return window.view<ImagesView>().document(); }
  template <typename T>
  T* find(const char* name) {
    return window.view<ImagesView>().findChild<T*>(name);
  }
  AddressRuler* ruler() { return find<AddressRuler>("addressRuler"); }
  void type(const char* name, const QString& text) {
    QCoreApplication::processEvents();
    auto* edit = find<QLineEdit>(name);
    edit->setFocus();
    edit->selectAll();
    QTest::keyClicks(edit, text);
    QTest::keyClick(edit, Qt::Key_Return);
  }
  QString path(const char* name) const { return folder.filePath(name); }
  void put(const char* name, const Bytes& bytes) { writeFileAtomically(path(name).toStdString(), ByteSpan(bytes)); }
  void drop(const QStringList& names) {
    QMimeData data;
    QList<QUrl> urls;
    for (const QString& name : names) urls += QUrl::fromLocalFile(folder.filePath(name));
    data.setUrls(urls);
    QDragEnterEvent enter(QPoint(300, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QCoreApplication::sendEvent(&window.view<ImagesView>(), &enter);
    QDropEvent event(QPointF(300, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QCoreApplication::sendEvent(&window.view<ImagesView>(), &event);
    QCoreApplication::processEvents();
  }
  std::uint64_t beginOf(std::size_t file) { return image().files()[file].piece->image.extent().begin; }
  QPoint middleOf(std::size_t file) {
    return ruler()->geometryNow().rectOf(image().files()[file].piece->image.extent()).center();
  }
  /// The findings on screen that have this code and are not fine.
  QList<QWidget*> findings(const char* code) {
    QCoreApplication::processEvents();
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    QList<QWidget*> list;
    for (QWidget* row : window.view<ImagesView>().findChildren<QWidget*>("finding")) {
      if (row->property("code") == code && row->property("level") != "fine") list += row;
    }
    return list;
  }
  QString verdict() {
    QCoreApplication::processEvents();
    return find<QLabel>("verdict")->text();
  }
  QTemporaryDir folder;
  MainWindow window{viewTable()};
};

/// Answers the next dialog for a text.
inline void answer(const QString& text) {
  QTimer::singleShot(50, [text] {
    for (QWidget* widget : QApplication::topLevelWidgets()) {
      auto* dialog = qobject_cast<QInputDialog*>(widget);
      if (dialog == nullptr || !dialog->isVisible()) continue;
      dialog->setTextValue(text);
      return dialog->accept();
    }
    qFatal("no dialog to answer");
  });
}

}  // namespace imprimo::test
