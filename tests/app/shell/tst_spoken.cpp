// SPDX-License-Identifier: GPL-3.0-or-later
//
// Everything that can be seen can be heard: names, children of painted views, and how much is told during a run.
#include <QAbstractButton>
#include <QAccessible>
#include <QLabel>
#include <QLineEdit>
#include <QTabBar>

#include "app/bench/byte_zip.h"
#include "app/bench/sector_map.h"
#include "app/bench/steps_panel.h"
#include "app/look/spoken.h"
#include "app/rail/chain_rail.h"
#include "tests/app/stage.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::test;

namespace {

QAccessibleInterface* heard(QWidget* widget) {
  return QAccessible::queryAccessibleInterface(widget);
}

QString nameOf(QAccessibleInterface* object) {
  return object->text(QAccessible::Name);
}

QString whereIs(const QWidget* widget) {
  QStringList path;
  for (; widget != nullptr; widget = widget->parentWidget())
    path.prepend(widget->objectName().isEmpty() ? widget->metaObject()->className() : widget->objectName());
  return path.mid(std::max<qsizetype>(0, path.size() - 4)).join(" / ");
}

/// The 0 or 1 on a bit's button is its state, which is told as one.
bool hasWords(const QString& text) {
  return std::any_of(text.begin(), text.end(), [](QChar c) { return c.isLetter(); });
}

/// What is wrong with the names of what can be seen in a window.
QStringList troubles(QWidget* window) {
  QStringList wrong;
  std::map<std::pair<const QWidget*, QString>, int> among;
  for (QWidget* each : window->findChildren<QWidget*>()) {
    if (!each->isVisible() || each->objectName().startsWith("qt_")) continue;
    QAccessibleInterface* object = heard(each);
    if (object == nullptr) continue;
    const bool stop = (each->focusPolicy() & Qt::TabFocus) != 0 && each->isEnabled();
    // The line of a box that can be typed into has the box's name.
    if (stop && qobject_cast<QComboBox*>(each->parentWidget()) != nullptr) continue;
    const QString name = nameOf(object).simplified();
    if (stop && name.isEmpty()) wrong += "no name: " + whereIs(each);
    if (stop && !name.isEmpty() && ++among[{each->parentWidget(), name}] == 2)
      wrong += "twice: " + name + " in " + whereIs(each);
    if (const auto* button = qobject_cast<QAbstractButton*>(each)) {
      const QString text = QString(button->text()).remove('&').remove(QRegularExpression("[▾▴▸●○◌▲△…]")).simplified();
      if (hasWords(text) && !name.contains(text, Qt::CaseInsensitive) && !text.contains("..."))
        wrong += "says '" + name + "' and shows '" + text + "': " + whereIs(each);
    }
    const auto* spoken = dynamic_cast<Spoken*>(each);
    if (spoken == nullptr) continue;
    if (object->childCount() == 0) wrong += "painted, and mute: " + whereIs(each);
    QStringList names;
    for (int i = 0; i < spoken->spokenCount(); ++i) {
      QAccessibleInterface* child = object->child(i);
      if (child == nullptr || nameOf(child).isEmpty()) {
        wrong += QString("child %1 of %2 without a name: %3").arg(i).arg(spoken->spokenCount()).arg(whereIs(each)) +
                 (child == nullptr ? " (none)" : "");
        break;
      }
      names += nameOf(child);
      if (object->indexOfChild(child) != i || child->parent() != object) wrong += "not a child: " + nameOf(child);
    }
    if (names.removeDuplicates() > 0) wrong += "children with one name: " + whereIs(each);
  }
  return wrong;
}

}  // namespace

class SpokenTest : public QObject {
  Q_OBJECT
 private slots:
  void everyViewHasNames() {
    Stage s;
    QVERIFY(s.untilPlanned());
    QStringList wrong, looked;
    for (QAction* action : s.window.actions()) {
      const QString name = action->objectName();
      if (!name.endsWith("Tab")) continue;
      action->trigger();
      QTest::qWait(50);
      looked += name.chopped(3);
      for (const QString& each : troubles(&s.window)) wrong += name.chopped(3) + ": " + each;
    }
    QCOMPARE(looked.size(), 9);
    wrong.removeDuplicates();
    for (const QString& each : wrong) qInfo("%s", qPrintable(each));
    QVERIFY(wrong.isEmpty());
  }

  /// Dialogs and what opens over the window, one after another.
  void everyDialogHasNames() {
    Stage s;
    QVERIFY(s.untilPlanned());
    s.window.bench().goAction->trigger();
    QVERIFY(s.untilDone());
    QStringList wrong, looked;
    const auto look = [&](const char* what) {
      QTest::qWait(200);
      for (QWidget* top : QApplication::topLevelWidgets()) {
        if (!top->isVisible() || top == &s.window) continue;
        looked += what;
        for (const QString& each : troubles(top)) wrong += QString(what) + ": " + each;
        top->close();
      }
      QTest::qWait(50);
    };
    const std::pair<const char*, const char*> actions[] = {
        {"help", "keys"}, {"chip", "chips"}, {"connect", "probes"}, {"open", "file dialog"}};
    for (const auto& [name, what] : actions) {
      // Some of them do not return before they are closed.
      QTimer::singleShot(300, this, [&, what = what] { look(what); });
      s.window.findChild<QAction*>(name)->trigger();
      QTest::qWait(600);
    }
    auto* menu = s.window.findChild<QToolButton*>("memoryMenu");
    QVERIFY(menu != nullptr);
    for (QAction* each : menu->menu()->actions()) {
      if (!each->isEnabled() || !each->isVisible() || each->isSeparator() || each->menu() != nullptr) continue;
      if (!each->text().endsWith(QChar(0x2026))) continue;  // the others act at once
      QTimer::singleShot(300, this, [&, name = each->text().toUtf8()] { look(name.constData()); });
      each->trigger();
      QTest::qWait(600);
    }
    qInfo("looked at: %s", qPrintable(looked.join(", ")));
    QVERIFY2(looked.size() >= 6, qPrintable(looked.join(", ")));
    wrong.removeDuplicates();
    for (const QString& each : wrong) qInfo("%s", qPrintable(each));
    QVERIFY(wrong.isEmpty());
  }

  void theMapAndTheBytesAreHeard() {
    Stage s;
    QVERIFY(s.untilPlanned());
    auto* map = s.window.findChild<SectorMap*>();
    QAccessibleInterface* object = heard(map);
    QCOMPARE(object->childCount(), map->grid().tiles);
    QAccessibleInterface* tile = object->child(3);
    QVERIFY(nameOf(tile).startsWith("0x"));
    QVERIFY(!tile->text(QAccessible::Value).isEmpty());
    QCOMPARE(object->childAt(tile->rect().center().x(), tile->rect().center().y()), tile);
    QVERIFY(tile->actionInterface() != nullptr);
    tile->actionInterface()->doAction(QAccessibleActionInterface::pressAction());
    QVERIFY(tile->state().selected);
    // The byte under the cursor says both values.
    auto* zip = s.window.findChild<ByteZip*>();
    s.window.bench().cursor().jumpTo(0);
    const int at = zip->spokenCurrent();
    QCOMPARE(nameOf(heard(zip)->child(at)), QString("0x000000"));
    QVERIFY(heard(zip)->child(at)->text(QAccessible::Value).startsWith("planned"));
    zip->setFocus();
    QCOMPARE(heard(zip)->focusChild(), heard(zip)->child(at));
  }

  /// Each step says what became of it.
  void theStepsAreHeard() {
    Stage s;
    QVERIFY(s.untilPlanned());
    auto* list = s.window.findChild<StepsList*>();
    QVERIFY(list->spokenCount() > 4);
    for (int i = 0; i < list->spokenCount(); ++i)
      QVERIFY(heard(list)->child(i)->text(QAccessible::Value).startsWith("waiting"));
    s.window.bench().goAction->trigger();
    QVERIFY(s.untilDone());
    for (int i = 0; i < list->spokenCount(); ++i)
      QVERIFY(heard(list)->child(i)->text(QAccessible::Value).startsWith("done"));
  }
};

IMPRIMO_TEST(SpokenTest);
#include "tst_spoken.moc"
