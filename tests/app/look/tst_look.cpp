// SPDX-License-Identifier: GPL-3.0-or-later
//
// Text can be read and marks can be seen, in every theme.
#include <QApplication>
#include <QFontMetrics>
#include <QSettings>
#include <cmath>

#include "app/look/kept_rows.h"
#include "app/look/theme.h"
#include "app/shell/look_choice.h"
#include "tests/support/check.h"
#include "tests/support/test_registry.h"

using namespace imprimo;
using namespace imprimo::app;

namespace {

/// Relative luminance, as WCAG 2 defines it.
double luminance(const QColor& color) {
  const auto linear = [](double c) { return c <= 0.03928 ? c / 12.92 : std::pow((c + 0.055) / 1.055, 2.4); };
  return 0.2126 * linear(color.redF()) + 0.7152 * linear(color.greenF()) + 0.0722 * linear(color.blueF());
}

double contrast(const QColor& a, const QColor& b) {
  const double x = luminance(a), y = luminance(b);
  return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
}

struct Pair {
  const char* words;
  QColor front, ground;
};

std::vector<Pair> texts(const Theme& t) {
  std::vector<Pair> pairs;
  for (const auto& [name, color] : std::initializer_list<std::pair<const char*, QColor>>{{"ink", t.ink},
                                                                                         {"muted", t.muted},
                                                                                         {"planned", t.planned},
                                                                                         {"differs", t.differs},
                                                                                         {"agrees", t.agrees},
                                                                                         {"erasing", t.erasing}}) {
    pairs.push_back({name, color, t.paper});
    pairs.push_back({name, color, t.panel});
  }
  for (const QColor& tint : {t.plannedTint, t.differsTint, t.erasingTint, t.blankTile}) {
    pairs.push_back({"ink on a tint", t.ink, tint});
    pairs.push_back({"muted on a tint", t.muted, tint});
  }
  pairs.push_back({"planned on its tint", t.planned, t.plannedTint});
  pairs.push_back({"differs on its tint", t.differs, t.differsTint});
  pairs.push_back({"the one button", t.onPlanned, t.planned});
  pairs.push_back({"a done step's sign", t.panel, t.agrees});
  for (const QColor& piece : t.pieces) pairs.push_back({"the name of a piece", piece, t.panel});
  return pairs;
}

std::vector<Pair> marks(const Theme& t) {
  std::vector<Pair> pairs;
  for (const auto& [name, color] : std::initializer_list<std::pair<const char*, QColor>>{{"faint", t.faint},
                                                                                         {"agreesTile", t.agreesTile},
                                                                                         {"dataTile", t.dataTile},
                                                                                         {"keptTile", t.keptTile},
                                                                                         {"dots", t.dots},
                                                                                         {"erasing", t.erasing}}) {
    pairs.push_back({name, color, t.paper});
    pairs.push_back({name, color, t.panel});
  }
  return pairs;
}

}  // namespace

class LookTest : public QObject {
  Q_OBJECT
 private slots:
  void textAndMarksCanBeSeen() {
    for (const ThemeKind kind : {ThemeKind::Light, ThemeKind::Dark, ThemeKind::Contrast}) {
      const double least = kind == ThemeKind::Contrast ? 7 : 4.5;
      for (const Pair& pair : texts(Theme::of(kind)))
        QVERIFY2(contrast(pair.front, pair.ground) >= least, qPrintable(QString("theme %1, %2 on %3: %4")
                                                                            .arg(static_cast<int>(kind))
                                                                            .arg(pair.words, pair.ground.name())
                                                                            .arg(contrast(pair.front, pair.ground))));
      for (const Pair& pair : marks(Theme::of(kind)))
        QVERIFY2(contrast(pair.front, pair.ground) >= 3, qPrintable(QString("theme %1, %2 on %3: %4")
                                                                        .arg(static_cast<int>(kind))
                                                                        .arg(pair.words, pair.ground.name())
                                                                        .arg(contrast(pair.front, pair.ground))));
    }
  }

  /// A choice is remembered, and goes before what the desktop says.
  void aChoiceIsRemembered() {
    QSettings().clear();
    const QColor before = Theme::current().paper;
    {
      LookChoice look;
      QCOMPARE(Theme::current().paper, Theme::of(ThemeKind::Light).paper);
      look.menu()->findChild<QAction*>("theme_contrast")->trigger();
      QCOMPARE(Theme::current().paper, Theme::of(ThemeKind::Contrast).paper);
      QCOMPARE(qApp->palette().color(QPalette::Window), Theme::of(ThemeKind::Contrast).paper);
      look.menu()->findChild<QAction*>("textScale_150")->trigger();
    }
    {
      const LookChoice again;
      QCOMPARE(Theme::current().paper, Theme::of(ThemeKind::Contrast).paper);
      QVERIFY(again.menu()->findChild<QAction*>("theme_contrast")->isChecked());
      QCOMPARE(chosenScale(QSettings()), 1.5);
    }
    QSettings().clear();
    QSettings().setValue("dark", true);  // as an earlier version kept it
    {
      const LookChoice dark;
      QCOMPARE(Theme::current().paper, Theme::of(ThemeKind::Dark).paper);
      QCOMPARE(chosenScale(QSettings()), 0.0);
    }
    QSettings().clear();
    const LookChoice light;
    QCOMPARE(Theme::current().paper, before);
  }

  /// Rows stay while their contents change, and the keys with them.
  void rowsKeepTheKeys() {
    QWidget window;
    auto* column = new QVBoxLayout(&window);
    auto* add = new QPushButton("add");
    column->addWidget(add);
    auto* list = new QVBoxLayout;
    column->addLayout(list);
    KeptRows rows(list, add);
    const auto make = [&]() -> QWidget* {
      auto* row = new QWidget(&window);
      auto* line = new QHBoxLayout(row);
      for (const char* name : {"first", "second"}) {
        auto* button = new QPushButton(row);
        button->setObjectName(name);
        line->addWidget(button);
      }
      return row;
    };
    const auto show = [&](const QStringList& keys) {
      rows.show(keys, make, [&](QWidget* row, std::size_t i) {
        for (auto* button : row->findChildren<QPushButton*>())
          button->setText(keys[static_cast<qsizetype>(i)] + " " + button->objectName());
      });
      QCoreApplication::processEvents();
    };
    show({"a", "b", "c"});
    window.show();
    QApplication::setActiveWindow(&window);
    const auto second = [&](std::size_t i) { return rows.rows()[i]->findChild<QPushButton*>("second"); };
    const auto has = [&] { return qobject_cast<QPushButton*>(QApplication::focusWidget()); };
    second(1)->setFocus();
    QWidget* b = rows.rows()[1];
    // It goes with what it is on,
    show({"b", "a", "c"});
    QCOMPARE(rows.rows()[0], b);
    QCOMPARE(has()->text(), QString("b second"));
    QCOMPARE(list->indexOf(b), 0);
    // stays where that has another name,
    show({"B", "a", "c"});
    QCOMPARE(has()->text(), QString("B second"));
    // goes to the next one when it goes, or to the last,
    show({"a", "c"});
    QCOMPARE(has()->text(), QString("a second"));
    second(1)->setFocus();
    show({"a"});
    QCOMPARE(has()->text(), QString("a second"));
    // and to what is before them when none is left.
    show({});
    QCOMPARE(has(), add);
    // Tab goes over them as they stand.
    show({"x", "y"});
    show({"y", "x"});
    add->setFocus();
    QStringList order;
    for (int i = 0; i < 4; ++i) {
      QTest::keyClick(QApplication::focusWidget(), Qt::Key_Tab);
      order += has()->text();
    }
    QCOMPARE(order, (QStringList{"y first", "y second", "x first", "x second"}));
  }
};

IMPRIMO_TEST(LookTest);
#include "tst_look.moc"
