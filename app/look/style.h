// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace imprimo::app {

/// How every widget looks, in Qt's style sheet language; `@name` stands for a colour of the theme.
inline constexpr char kStyle[] = R"(
QMainWindow, QWidget#page { background: @paper; }
QWidget#topBar { background: @panel; border-bottom: 1px solid @line; }
QWidget#logStrip { background: @panel; border-top: 1px solid @line; }
QFrame#earlierBanner, QFrame#outsideBanner, QFrame#coreFindings, QFrame#coreLockCard { background: @panel; border: 1px solid @differs; border-radius: 6px; }
QFrame#card { background: @panel; border: 1px solid @line; border-radius: 6px; }
QFrame#card[selected="true"] { border: 1px solid @planned; }
QFrame#kept { background: transparent; border: 1px dashed @faint; border-radius: 6px; }
QFrame#kept[over="true"] { border: 2px dashed @planned; }
QLabel { color: @ink; background: transparent; }
QLabel[role="muted"] { color: @muted; }
QLabel[role="differs"] { color: @differs; }
QLabel[role="planned"] { color: @planned; }
QLabel[role="agrees"] { color: @agrees; }
QLabel[role="onPlanned"] { color: @onPlanned; }
QLabel[role="brand"] { color: @planned; }
QLineEdit { background: @panel; color: @ink; border: 1px solid @faint; border-radius: 4px; padding: 3px 6px; }
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
QPushButton#unlock, QPushButton#unlockLeave, QPushButton#coreLock, QPushButton#coreLockNot, QPushButton#wordsWrite { border: 1px solid @line; padding: 5px 12px; }
QPushButton#unlockDestroy { color: @differs; border: 1px solid @differs; padding: 5px 12px; }
QPushButton#unlock:focus, QPushButton#unlockLeave:focus { border: 2px solid @planned; padding: 4px 11px; }
QPushButton#unlockDestroy:focus { border: 2px solid @differs; padding: 4px 11px; }
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
QComboBox { background: @panel; color: @ink; border: 1px solid @faint; border-radius: 4px; padding: 2px 6px; }
QComboBox:focus { border: 1px solid @planned; }
QComboBox QLineEdit, QComboBox QLineEdit:focus { border: none; padding: 0; }
QPushButton#coreLockSure, QPushButton#wordsWrite[harm="true"] { color: @differs; border: 2px solid @differs; padding: 4px 12px; }
QPushButton#wordsWrite:disabled { color: @faint; border: 1px solid @line; }
QComboBox::drop-down { border: none; width: 18px; }
QComboBox::down-arrow { image: url(:/look/arrow-@arrow.png); width: 10px; height: 10px; }
QComboBox QAbstractItemView { background: @panel; color: @ink; selection-background-color: @plannedTint; selection-color: @ink; }
QCheckBox { color: @ink; }
QCheckBox::indicator { width: 13px; height: 13px; border: 1px solid @muted; border-radius: 3px; background: @panel; }
QCheckBox::indicator:checked { background: @planned; border: 1px solid @planned; image: url(:/look/tick-@tick.png); }
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
QListWidget { background: @panel; color: @ink; border: 1px solid @line; border-radius: 6px; padding: 4px; }
QListWidget:focus { border: 1px solid @planned; }
QListWidget::item { padding: 4px 8px; border-radius: 4px; }
QListWidget::item:selected { background: @plannedTint; color: @ink; }
QPlainTextEdit#chipWhat { background: @panel; color: @ink; border: 1px solid @line; border-radius: 6px; padding: 6px; }
QPlainTextEdit#chipWhat:focus { border: 1px solid @planned; }
QPlainTextEdit { background: @panel; color: @ink; border: none; }
QScrollArea { background: transparent; border: none; }
QScrollBar:vertical { background: transparent; width: 10px; margin: 0; }
QScrollBar::handle:vertical { background: @line; border-radius: 4px; min-height: 28px; margin: 1px; }
QScrollBar::handle:vertical:hover { background: @faint; }
QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
)";

}  // namespace imprimo::app
