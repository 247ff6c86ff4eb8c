// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QApplication>
#include <QKeySequence>
#include <QTest>
#include <QWidget>

namespace imprimo::test {

/// What the keys go to: what pops up, or what has the focus.
inline QWidget* keysAt() {
  QWidget* popup = QApplication::activePopupWidget();
  if (popup != nullptr) return popup->focusWidget() != nullptr ? popup->focusWidget() : popup;
  return QApplication::focusWidget();
}

inline QString nameOf(const QWidget* widget) {
  if (widget == nullptr) return "nothing";
  return widget->objectName().isEmpty() ? widget->metaObject()->className() : widget->objectName();
}

/// Whoever has nothing but a keyboard. After every key something that can be seen has the keys.
class Keyboard {
 public:
  /// One key, to whatever has the keys.
  void press(int key, Qt::KeyboardModifiers modifiers = {}) {
    QWidget* at = keysAt();
    QVERIFY2(at != nullptr, qPrintable("before " + QKeySequence(key | modifiers).toString()));
    const QString before = nameOf(at);
    QTest::keyClick(at, static_cast<Qt::Key>(key), modifiers);
    QTest::qWait(20);
    QWidget* now = keysAt();
    ++pressed;
    QVERIFY2(now != nullptr && now->isVisible() && now->isEnabled(),
             qPrintable(QString("%1 on %2 leaves the keys on %3")
                            .arg(QKeySequence(key | modifiers).toString(), before, nameOf(now))));
  }
  void type(const QString& text) {
    QWidget* at = keysAt();
    QVERIFY(at != nullptr);
    QTest::keyClicks(at, text);
    QVERIFY(keysAt() != nullptr);
  }
  void tabTo(const char* name, int most = 60) { goTo(name, Qt::Key_Tab, most); }
  /// From part to part of the window.
  void paneOf(const char* name) { goTo(name, Qt::Key_F6, 12); }

  int pressed = 0;

 private:
  void goTo(const char* name, Qt::Key by, int most) {
    for (int i = 0; i < most && nameOf(keysAt()) != name; ++i) press(by);
    QCOMPARE(nameOf(keysAt()), QString(name));
  }
};

}  // namespace imprimo::test
