// SPDX-License-Identifier: GPL-3.0-or-later
//
// Nothing is cut: in the usual sizes of a window, and with larger text.
#include <QAbstractButton>
#include <QLabel>
#include <QSettings>
#include <QTextDocument>

#include "tests/app/stage.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

/// Labels and buttons whose text is wider than they are. What is shortened says so with three dots, and has all of it
/// as a tooltip.
QStringList cutTexts(QWidget* window) {
  QStringList cut;
  for (auto* label : window->findChildren<QLabel*>()) {
    if (!label->isVisible() || label->wordWrap() || label->text().isEmpty() || label->textFormat() == Qt::RichText)
      continue;
    if (label->text().contains(QChar(0x2026)) && !label->toolTip().isEmpty()) continue;
    int widest = 0;
    for (const QString& line : label->text().split('\n'))
      widest = std::max(widest, label->fontMetrics().horizontalAdvance(line));
    if (widest > label->contentsRect().width() + 1)
      cut += QString("label '%1' %2 > %3").arg(label->text()).arg(widest).arg(label->contentsRect().width());
    if (label->fontMetrics().height() > label->height() + 1) cut += "label too low: " + label->text();
  }
  for (auto* button : window->findChildren<QAbstractButton*>()) {
    if (!button->isVisible() || button->text().isEmpty() || button->objectName().startsWith("qt_")) continue;
    const int width = button->fontMetrics().horizontalAdvance(QString(button->text()).remove('&'));
    if (width > button->width())
      cut += QString("button '%1' %2 > %3").arg(button->text()).arg(width).arg(button->width());
  }
  return cut;
}

}  // namespace

class SizesTest : public QObject {
  Q_OBJECT
 private slots:
  void nothingIsCut_data() {
    QTest::addColumn<QSize>("size");
    QTest::newRow("a usual laptop at 150 %, and 1920x1080 with 144 dpi") << QSize(1280, 720);
    QTest::newRow("small") << QSize(1100, 640);
    QTest::newRow("large") << QSize(1920, 1080);
  }
  void nothingIsCut() {
    QFETCH(QSize, size);
    Stage s;
    QVERIFY(s.untilPlanned());
    QStringList wrong;
    s.window.resize(size);
    for (QAction* action : s.window.actions()) {
      if (!action->objectName().endsWith("Tab")) continue;
      action->trigger();
      QTest::qWait(60);
      // A slow machine lays out later; what is cut then stays so.
      [[maybe_unused]] const bool settled = QTest::qWaitFor([&] { return cutTexts(&s.window).isEmpty(); }, 3000);
      // It stays as large as it was made.
      if (s.window.size() != size)
        wrong +=
            QString("%1: the window is %2 x %3").arg(action->objectName()).arg(s.window.width()).arg(s.window.height());
      for (const QString& each : cutTexts(&s.window)) wrong += action->objectName() + ": " + each;
    }
    QVERIFY2(wrong.isEmpty(), qPrintable("\n" + wrong.join("\n")));
  }

  /// A run does not make it larger.
  void itDoesNotGrow() {
    Stage s;
    s.window.resize(1200, 700);
    QVERIFY(s.untilPlanned());
    s.window.bench().goAction->trigger();
    QVERIFY(s.untilDone());
    QTest::qWait(100);
    QCOMPARE(s.window.size(), QSize(1200, 700));
    QVERIFY2(s.window.minimumSizeHint().width() <= 1100,
             qPrintable(QString::number(s.window.minimumSizeHint().width())));
    QVERIFY2(s.window.minimumSizeHint().height() <= 640,
             qPrintable(QString::number(s.window.minimumSizeHint().height())));
  }
};

IMPRIMO_TEST(SizesTest);
#include "tst_sizes.moc"
