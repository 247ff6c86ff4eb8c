// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QColor>
#include <QFont>
#include <QString>
#include <array>

namespace imprimo::app {

enum class ThemeKind { Light, Dark, Contrast };

/// Colours by what they mean, and measures. The only place that has literals of either. Text in any of ink, muted,
/// planned, differs, agrees and erasing can be read on paper and panel (4.5 to 1), marks in all others but line and
/// tints can be seen there (3 to 1).
struct Theme {
  QColor paper, panel, line, ink, muted, faint;
  QColor planned, plannedTint, onPlanned;  ///< ink blue: what is planned; text on it
  QColor differs, differsTint;             ///< vermilion: what differs
  QColor agrees, agreesTile;               ///< teal: what agrees
  QColor erasing, erasingTint;             ///< ochre: erasing
  QColor blankTile, dataTile, keptTile, dots;

  static const Theme& of(ThemeKind kind);
  static const Theme& current();
  /// For the whole program; what is painted later is painted so.
  static void use(ThemeKind kind);

  /// For telling files apart, together with their names; they repeat after six.
  QColor pieceColor(std::size_t index) const { return pieces[index % pieces.size()]; }
  std::array<QColor, 6> pieces;

  QString styleSheet() const;
};

namespace measure {
constexpr int kGap = 12;
constexpr int kRadius = 6;
constexpr int kRailWidth = 216;
constexpr int kRightWidth = 300;
constexpr int kTopBar = 48;
constexpr int kViewHead = 26;
}  // namespace measure

/// Begins with a capital, as a sentence in the window does.
QString sentence(const QString& text);

QFont textFont(int pixels = 13, QFont::Weight weight = QFont::Normal);
QFont byteFont(int pixels = 12);

}  // namespace imprimo::app
