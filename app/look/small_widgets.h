// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QStyle>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/look/theme.h"

namespace imprimo::app {

/// A button of one word or sign; `name` says in words what it does, for tooltips and readers.
inline QToolButton* smallButton(QWidget* parent, const QString& text, const QString& name) {
  auto* button = new QToolButton(parent);
  button->setText(text);
  button->setAccessibleName(name);
  button->setToolTip(name);
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

/// A column inside `outer` that scrolls where it is longer than its room.
inline QVBoxLayout* scrolledColumn(QVBoxLayout* outer, QWidget* parent) {
  auto* area = new QScrollArea(parent);
  area->setWidgetResizable(true);
  area->setFrameShape(QFrame::NoFrame);
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
