// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QStyle>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

#include "app/look/theme.h"

namespace imprimo::app {

/// What a reader says of a button: what stands on it, and then what it does where that says more. A sign is no word.
inline QString spokenName(const QString& text, const QString& says) {
  const bool words = std::any_of(text.begin(), text.end(), [](QChar c) { return c.isLetterOrNumber(); });
  if (!words || says.contains(text, Qt::CaseInsensitive)) return says;
  return says.isEmpty() ? text : text + ": " + says;
}

/// Gives a button other words. Readers hear of it where they are others.
inline void setWords(QAbstractButton* button, const QString& text, const QString& says) {
  if (button->text() != text) button->setText(text);
  const QString name = spokenName(text, says);
  if (button->accessibleName() != name) button->setAccessibleName(name);
  if (button->toolTip() != says) button->setToolTip(says);
}

/// A button of one word or sign; `name` says in words what it does, for tooltips and readers.
inline QToolButton* smallButton(QWidget* parent, const QString& text, const QString& name) {
  auto* button = new QToolButton(parent);
  setWords(button, text, name);
  button->setFont(textFont(12));
  return button;
}

/// A button of some weight, which tests find by its name.
inline QPushButton* firmButton(QWidget* parent, const char* name) {
  auto* button = new QPushButton(parent);
  button->setObjectName(name);
  button->setFont(textFont(13, QFont::DemiBold));
  return button;
}

/// The role is a part of the style sheet; a widget that is on screen has to be told that it has another one now.
inline void setRole(QWidget* widget, const char* role) {
  if (widget->property("role").toString() == QLatin1String(role)) return;
  widget->setProperty("role", role);
  widget->style()->unpolish(widget);
  widget->style()->polish(widget);
}

/// What was typed makes no sense, or does again.
inline void setWrong(QWidget* edit, bool wrong) {
  if (edit->property("wrong").toBool() == wrong) return;
  edit->setProperty("wrong", wrong);
  edit->style()->unpolish(edit);
  edit->style()->polish(edit);
}

/// A column inside `outer` that scrolls where it is longer than its room.
inline QVBoxLayout* scrolledColumn(QVBoxLayout* outer, QWidget* parent) {
  auto* area = new QScrollArea(parent);
  area->setWidgetResizable(true);
  area->setFrameShape(QFrame::NoFrame);
  area->setFocusPolicy(Qt::NoFocus);
  auto* inside = new QWidget;
  auto* column = new QVBoxLayout(inside);
  column->setSpacing(10);
  area->setWidget(inside);
  outer->addWidget(area, 1);
  return column;
}

/// Words that explain, quieter than what they explain.
inline QLabel* mutedLabel(QWidget* parent, const QString& text) {
  auto* label = new QLabel(text, parent);
  label->setProperty("role", "muted");
  label->setFont(textFont(12));
  return label;
}

}  // namespace imprimo::app
