// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/look_choice.h"

#include <QActionGroup>
#include <QApplication>
#include <QSettings>

namespace imprimo::app {
namespace {

constexpr const char* kTheme = "theme";
constexpr const char* kScale = "textScale";
constexpr const char* kSystem = "system";

QString chosenTheme() {
  const QSettings settings;
  // Earlier versions knew dark and light.
  const QString before = settings.value("dark", false).toBool() ? "dark" : kSystem;
  return settings.value(kTheme, before).toString();
}

}  // namespace

double chosenScale(const QSettings& settings) {
  return std::clamp(settings.value(kScale).toDouble() / 100, 0.0, 3.0);
}

double desktopScale() {
  // Ten points are usual; what the screen makes of a point is scaled by Qt. A point or two are no wish for larger text.
  constexpr double kUsualPoints = 10, kWish = 1.15, kMost = 2;
  const double points = QGuiApplication::font().pointSizeF();
  return points / kUsualPoints < kWish ? 1 : std::min(points / kUsualPoints, kMost);
}

LookChoice::LookChoice(QObject* parent) : QObject(parent), menu_(new QMenu(tr("L&ook"))) {
  connect(&desktop_, &DesktopWish::changed, this, &LookChoice::apply);
  auto* themes = new QActionGroup(this);
  const auto theme = [&](const QString& value, const QString& words) {
    QAction* action = menu_->addAction(words);
    action->setObjectName("theme_" + value);
    action->setCheckable(true);
    action->setChecked(chosenTheme() == value);
    themes->addAction(action);
    connect(action, &QAction::triggered, this, [this, value] { choose(value); });
  };
  theme(kSystem, tr("Colours as the &desktop has them"));
  theme("light", tr("&Light"));
  theme("dark", tr("D&ark"));
  theme("contrast", tr("&High contrast"));
  menu_->addSeparator();
  auto* scales = new QActionGroup(this);
  const QString now = QSettings().value(kScale, kSystem).toString();
  const auto scale = [&](const QString& value, const QString& words) {
    QAction* action = menu_->addAction(words);
    action->setObjectName("textScale_" + value);
    action->setCheckable(true);
    action->setChecked(now == value);
    scales->addAction(action);
    connect(action, &QAction::triggered, this, [this, value] { chooseScale(value); });
  };
  scale(kSystem, tr("&Size as the desktop has it"));
  for (const char* percent : {"100", "125", "150", "200"}) scale(percent, tr("Size %1 %").arg(percent));
  apply();
}

void LookChoice::refresh() {
  if (auto* action = menu_->findChild<QAction*>("theme_" + chosenTheme())) action->setChecked(true);
  apply();
}

void LookChoice::apply() {
  const QString theme = chosenTheme();
  use(theme == "contrast" ? ThemeKind::Contrast
      : theme == "dark"   ? ThemeKind::Dark
      : theme == "light"  ? ThemeKind::Light
                          : desktop_.kind());
}

void LookChoice::use(ThemeKind kind) {
  Theme::use(kind);
}

void LookChoice::choose(const QString& theme) {
  QSettings().setValue(kTheme, theme);
  apply();
}

void LookChoice::chooseScale(const QString& scale) {
  QSettings().setValue(kScale, scale);
  emit message(tr("Text and all else have the new size when Imprimo starts the next time."));
}

}  // namespace imprimo::app
