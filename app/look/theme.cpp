// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/look/theme.h"

#include <QApplication>

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
  QString sheet = QStringLiteral(R"(
    QMainWindow, QWidget#page { background: @paper; }
    QWidget#topBar { background: @panel; border-bottom: 1px solid @line; }
    QWidget#logStrip { background: @panel; border-top: 1px solid @line; }
    QFrame#earlierBanner { background: @panel; border: 1px solid @differs; border-radius: 6px; }
    QFrame#card { background: @panel; border: 1px solid @line; border-radius: 6px; }
    QFrame#card[selected="true"] { border: 1px solid @planned; }
    QFrame#kept { background: transparent; border: 1px dashed @faint; border-radius: 6px; }
    QFrame#kept[over="true"] { border: 2px dashed @planned; }
    QLabel { color: @ink; background: transparent; }
    QLabel[role="muted"] { color: @muted; }
    QLabel[role="differs"] { color: @differs; }
    QLabel[role="agrees"] { color: @agrees; }
    QLabel[role="brand"] { color: @planned; }
    QLineEdit { background: @panel; color: @ink; border: 1px solid @line; border-radius: 4px; padding: 3px 6px; }
    QLineEdit:focus { border: 2px solid @planned; padding: 2px 5px; }
    QLineEdit[wrong="true"] { border: 2px solid @differs; padding: 2px 5px; }
    QToolButton, QPushButton { color: @planned; background: transparent; border: 1px solid transparent; border-radius: 4px; padding: 2px 5px; }
    QToolButton:hover, QPushButton:hover { background: @plannedTint; }
    QToolButton:focus, QPushButton:focus { border: 1px solid @planned; }
    QToolButton:disabled, QPushButton:disabled { color: @faint; }
    QToolButton::menu-indicator { image: none; }
    QToolButton#pill, QToolButton#mark { background: @paper; color: @ink; border: 1px solid @line; border-radius: 11px; padding: 3px 10px; }
    QToolButton#pill:focus, QToolButton#mark:focus { border: 1px solid @planned; }
    QToolButton#title { color: @ink; text-align: left; }
    QToolButton[role="name"] { color: @ink; padding: 1px; text-align: left; }
    QToolButton[role="choice"] { color: @muted; border: 1px solid @line; border-radius: 6px; padding: 4px 14px; background: @paper; }
    QToolButton[role="choice"]:checked { color: @ink; background: @panel; border: 1px solid @planned; }
    QToolButton[role="choice"]:focus { border: 2px solid @planned; padding: 3px 13px; }
    QToolButton#registerBit { color: @ink; background: @paper; border: 1px solid @line; border-radius: 4px; padding: 5px 2px; }
    QToolButton#registerBit:checked { font-weight: 700; background: @panel; border: 1px solid @ink; }
    QToolButton#registerBit[changed="true"] { color: @planned; background: @plannedTint; border: 2px solid @planned; padding: 4px 1px; }
    QToolButton#registerBit:disabled { color: @faint; border: 1px dashed @line; }
    QToolButton#registerBit:focus { border: 2px solid @planned; padding: 4px 1px; }
    QPushButton#registerWrite, QPushButton#differencesReport { border: 1px solid @line; padding: 5px 12px; font-weight: 600; }
    QPushButton#registerWrite:enabled { border: 1px solid @planned; }
    QTabWidget::pane { border: none; border-top: 1px solid @line; }
    QTabBar::tab { color: @muted; background: transparent; padding: 7px 14px; border-bottom: 3px solid transparent; }
    QTabBar::tab:selected { color: @ink; border-bottom: 3px solid @planned; }
    QTabBar::tab:focus { background: @plannedTint; }
    QTableWidget, QTreeWidget { background: @panel; color: @ink; border: 1px solid @line; border-radius: 6px; gridline-color: @line; selection-background-color: @plannedTint; selection-color: @ink; }
    QHeaderView::section { background: @panel; color: @muted; border: none; border-bottom: 1px solid @line; padding: 4px 8px; }
    QPushButton[role="quiet"] { border: 1px solid @line; padding: 4px 8px; text-align: left; }
    QPushButton[role="quiet"]:focus { border: 1px solid @planned; }
    QFrame#probePanel { background: @paper; border: 1px solid @line; }
    QPushButton#tab { color: @muted; border: none; border-bottom: 3px solid transparent; border-radius: 0; padding: 12px 2px 9px 2px; }
    QPushButton#tab:checked { color: @ink; font-weight: 600; border-bottom: 3px solid @planned; }
    QPushButton#tab:focus { background: @plannedTint; }
    QDialog { background: @paper; border: 1px solid @line; }
    QFrame#sumCard { background: @panel; border: 1px dashed @line; border-radius: 6px; }
    QComboBox { background: @panel; color: @ink; border: 1px solid @line; border-radius: 4px; padding: 2px 6px; }
    QComboBox:focus { border: 1px solid @planned; }
    QComboBox::drop-down { border: none; width: 18px; }
    QComboBox::down-arrow { image: none; }
    QComboBox QAbstractItemView { background: @panel; color: @ink; selection-background-color: @plannedTint; selection-color: @ink; }
    QCheckBox { color: @ink; }
    QCheckBox::indicator { width: 11px; height: 11px; border: 1px solid @muted; border-radius: 3px; background: @panel; }
    QCheckBox::indicator:checked { background: @planned; border: 1px solid @planned; }
    QCheckBox::indicator:focus { border: 2px solid @planned; }
    QPushButton#go, QPushButton[role="main"] { background: @planned; color: @onPlanned; border: 2px solid @planned; border-radius: 6px; padding: 11px 14px; font-weight: 600; text-align: left; }
    QPushButton#go:hover, QPushButton[role="main"]:hover { border: 2px solid @ink; }
    QPushButton#go:focus, QPushButton[role="main"]:focus { border: 2px solid @ink; }
    QPushButton#go:disabled, QPushButton[role="main"]:disabled { background: @blankTile; color: @muted; border: 2px solid @line; }
    QPushButton#go[stops="true"], QPushButton[role="stops"] { background: @panel; color: @differs; border: 2px solid @differs; border-radius: 6px; padding: 11px 14px; font-weight: 600; text-align: left; }
    QMenu { background: @panel; color: @ink; border: 1px solid @line; padding: 4px; }
    QMenu::item { padding: 5px 22px; border-radius: 4px; }
    QMenu::item:selected { background: @plannedTint; }
    QMenu::item:disabled { color: @faint; }
    QMenu::separator { height: 1px; background: @line; margin: 4px 8px; }
    QToolTip { background: @panel; color: @ink; border: 1px solid @line; padding: 4px; }
    QPlainTextEdit { background: @panel; color: @ink; border: none; }
    QScrollArea { background: transparent; border: none; }
    QScrollBar:vertical { background: transparent; width: 10px; margin: 0; }
    QScrollBar::handle:vertical { background: @line; border-radius: 4px; min-height: 28px; margin: 1px; }
    QScrollBar::handle:vertical:hover { background: @faint; }
    QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
    QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
  )");
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
