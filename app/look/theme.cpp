// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/look/theme.h"

#include <QApplication>
#include <QPalette>

#include "app/look/style.h"

namespace imprimo::app {
namespace {

bool g_dark = false;  // one per program, like the application's style

Theme makeLight() {
  Theme t;
  t.paper = "#F2F1EB", t.panel = "#FFFFFF", t.line = "#DBD9CF", t.ink = "#1C2331", t.muted = "#666E7C",
  t.faint = "#A5A9B1";
  t.planned = "#2B4A8F", t.plannedTint = "#DCE4F6", t.onPlanned = "#FFFFFF";
  t.differs = "#C23E28", t.differsTint = "#F4D2CA";
  t.agrees = "#3F7A69", t.agreesTile = "#94BAAD";
  t.erasing = "#C4932A", t.erasingTint = "#F7EBCB";
  t.blankTile = "#ECEBE5", t.dataTile = "#C9CCD3", t.keptTile = "#AEB0C2", t.dots = "#B9BBB9";
  t.pieces = {"#2B4A8F", "#5B8C80", "#C9992F", "#7B5796", "#A8623A", "#4F7FA8"};
  return t;
}

Theme makeNight() {
  Theme t;
  t.dark = true;
  t.paper = "#15181E", t.panel = "#1D2129", t.line = "#333947", t.ink = "#E5E8EE", t.muted = "#A0A8B6",
  t.faint = "#666E7D";
  t.planned = "#7F9FF0", t.plannedTint = "#2A385E", t.onPlanned = "#10131A";
  t.differs = "#F2836D", t.differsTint = "#5A302A";
  t.agrees = "#7CC0AC", t.agreesTile = "#3E6C5F";
  t.erasing = "#DDB65A", t.erasingTint = "#453A1E";
  t.blankTile = "#272C36", t.dataTile = "#4A505D", t.keptTile = "#6B6F88", t.dots = "#596171";
  t.pieces = {"#7F9FF0", "#7CC0AC", "#DDB65A", "#B592D2", "#D79A75", "#8FB8D9"};
  return t;
}

}  // namespace

const Theme& Theme::light() {
  static const Theme theme = makeLight();
  return theme;
}

const Theme& Theme::night() {
  static const Theme theme = makeNight();
  return theme;
}

const Theme& Theme::current() {
  return g_dark ? night() : light();
}

void Theme::setDark(bool dark) {
  g_dark = dark;
  const Theme& t = current();
  QPalette palette;
  palette.setColor(QPalette::Window, t.paper);
  palette.setColor(QPalette::Base, t.panel);
  palette.setColor(QPalette::AlternateBase, t.paper);
  palette.setColor(QPalette::Button, t.panel);
  for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText, QPalette::ToolTipText})
    palette.setColor(role, t.ink);
  palette.setColor(QPalette::ToolTipBase, t.panel);
  palette.setColor(QPalette::PlaceholderText, t.faint);
  palette.setColor(QPalette::Highlight, t.planned);
  palette.setColor(QPalette::HighlightedText, t.onPlanned);
  palette.setColor(QPalette::Link, t.planned);
  QApplication::setPalette(palette);
  QApplication::setFont(textFont());
  // A style sheet that sets a weight begins with the class's font, which would be the desktop's.
  for (const char* kind : {"QAbstractButton", "QPushButton", "QToolButton"}) QApplication::setFont(textFont(), kind);
  qApp->setStyleSheet(t.styleSheet());
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
