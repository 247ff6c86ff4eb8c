// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/look/theme.h"

#include <QApplication>
#include <QPalette>

#include "app/look/style.h"
#include "app/look/theme_notice.h"

namespace imprimo::app {
namespace {

// One per program, like the application's style.
ThemeKind g_kind = ThemeKind::Light;

Theme makeLight() {
  Theme t;
  t.paper = "#F2F1EB", t.panel = "#FFFFFF", t.line = "#DBD9CF", t.ink = "#1C2331", t.muted = "#545C6A",
  t.faint = "#828790";
  t.planned = "#2B4A8F", t.plannedTint = "#DCE4F6", t.onPlanned = "#FFFFFF";
  t.differs = "#AE331E", t.differsTint = "#F4D2CA";
  t.agrees = "#2C6857", t.agreesTile = "#639484";
  t.erasing = "#8A6310", t.erasingTint = "#F7EBCB";
  t.blankTile = "#ECEBE5", t.dataTile = "#868B96", t.keptTile = "#85879F", t.dots = "#878B8B";
  t.pieces = {"#2B4A8F", "#2F7263", "#8A6310", "#7B5796", "#9A5730", "#36678F"};
  return t;
}

Theme makeDark() {
  Theme t;
  t.paper = "#15181E", t.panel = "#1D2129", t.line = "#333947", t.ink = "#E5E8EE", t.muted = "#A6AEBC",
  t.faint = "#737C8D";
  t.planned = "#8AA8F5", t.plannedTint = "#2A385E", t.onPlanned = "#10131A";
  t.differs = "#F58E79", t.differsTint = "#5A302A";
  t.agrees = "#7CC0AC", t.agreesTile = "#4A8472";
  t.erasing = "#DDB65A", t.erasingTint = "#453A1E";
  t.blankTile = "#272C36", t.dataTile = "#6A7282", t.keptTile = "#7A7F9C", t.dots = "#6C7586";
  t.pieces = {"#7F9FF0", "#7CC0AC", "#DDB65A", "#B592D2", "#D79A75", "#8FB8D9"};
  return t;
}

Theme makeContrast() {
  Theme t;
  t.paper = "#000000", t.panel = "#000000", t.line = "#FFFFFF", t.ink = "#FFFFFF", t.muted = "#E2E2E2",
  t.faint = "#A8A8A8";
  t.planned = "#8CCBFF", t.plannedTint = "#00335C", t.onPlanned = "#000000";
  t.differs = "#FFA38F", t.differsTint = "#5A1000";
  t.agrees = "#86F2C6", t.agreesTile = "#2E9C78";
  t.erasing = "#FFD75E", t.erasingTint = "#463600";
  t.blankTile = "#1E1E1E", t.dataTile = "#8F8F8F", t.keptTile = "#A99BEA", t.dots = "#8F8F8F";
  t.pieces = {"#8CCBFF", "#86F2C6", "#FFD75E", "#D8B4FF", "#FFB58A", "#B8E2FF"};
  return t;
}

}  // namespace

const Theme& Theme::of(ThemeKind kind) {
  static const Theme light = makeLight(), dark = makeDark(), contrast = makeContrast();
  return kind == ThemeKind::Light ? light : kind == ThemeKind::Dark ? dark : contrast;
}

const Theme& Theme::current() {
  return of(g_kind);
}

void Theme::use(ThemeKind kind) {
  g_kind = kind;
  const Theme& t = current();
  QPalette palette;
  palette.setColor(QPalette::Window, t.paper);
  palette.setColor(QPalette::Base, t.panel);
  palette.setColor(QPalette::AlternateBase, t.paper);
  palette.setColor(QPalette::Button, t.panel);
  for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText, QPalette::ToolTipText})
    palette.setColor(role, t.ink);
  palette.setColor(QPalette::ToolTipBase, t.panel);
  palette.setColor(QPalette::PlaceholderText, t.muted);
  palette.setColor(QPalette::Highlight, t.planned);
  palette.setColor(QPalette::HighlightedText, t.onPlanned);
  palette.setColor(QPalette::Link, t.planned);
  QApplication::setPalette(palette);
  QApplication::setFont(textFont());
  // A style sheet that sets a weight begins with the class's font, which would be the desktop's.
  for (const char* each : {"QAbstractButton", "QPushButton", "QToolButton"}) QApplication::setFont(textFont(), each);
  qApp->setStyleSheet(t.styleSheet());
  emit ThemeNotice::get().changed();
}

ThemeNotice& ThemeNotice::get() {
  static ThemeNotice notice;
  return notice;
}

QString Theme::styleSheet() const {
  QString sheet = QString::fromLatin1(kStyle);
  // Longer names first, so that @planned does not eat the beginning of @plannedTint.
  const std::pair<const char*, QColor> roles[] = {{"@plannedTint", plannedTint},
                                                  {"@onPlanned", onPlanned},
                                                  {"@planned", planned},
                                                  {"@blankTile", blankTile},
                                                  {"@differs", differs},
                                                  {"@agrees", agrees},
                                                  {"@paper", paper},
                                                  {"@panel", panel},
                                                  {"@muted", muted},
                                                  {"@faint", faint},
                                                  {"@line", line},
                                                  {"@ink", ink}};
  // An image has the colour that it was drawn in.
  sheet.replace("@tick", onPlanned.lightness() > 128 ? "light" : "dark");
  sheet.replace("@arrow", panel.lightness() > 128 ? "dark" : "light");
  for (const auto& [name, color] : roles) sheet.replace(QLatin1String(name), color.name());
  return sheet;
}

QString sentence(const QString& text) {
  return text.left(1).toUpper() + text.mid(1);
}

QFont textFont(int pixels, QFont::Weight weight) {
  QFont font;
  font.setFamilies({"Inter", "DejaVu Sans", "sans-serif"});
  font.setPixelSize(pixels);
  font.setWeight(weight);
  return font;
}

QFont byteFont(int pixels) {
  QFont font;
  font.setFamilies({"JetBrains Mono", "DejaVu Sans Mono", "monospace"});
  font.setStyleHint(QFont::Monospace);
  font.setPixelSize(pixels);
  return font;
}

}  // namespace imprimo::app
