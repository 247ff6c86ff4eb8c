// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/log_strip.h"

#include <QApplication>
#include <QHBoxLayout>
#include <QPainter>
#include <QShortcut>
#include <QStyle>
#include <QStyleOption>
#include <QTime>
#include <QVBoxLayout>
#include <utility>

#include "app/look/theme.h"
#include "core/base/visible_text.h"

namespace imprimo::app {
namespace {

constexpr int kMostLines = 5000;

}  // namespace

LogStrip::LogStrip(QWidget* parent) : QWidget(parent) {
  setObjectName("logStrip");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(18, 4, 14, 4);
  column->setSpacing(4);
  all_ = new QPlainTextEdit(this);
  all_->setObjectName("log");
  all_->setReadOnly(true);
  all_->setMaximumBlockCount(kMostLines);
  all_->setFont(byteFont(12));
  all_->setFixedHeight(150);
  all_->setAccessibleName(tr("Log"));
  all_->hide();
  auto* row = new QHBoxLayout;
  row->setSpacing(14);
  time_ = new QLabel(this);
  time_->setFont(byteFont(12));
  time_->setProperty("role", "muted");
  last_ = new QLabel(this);
  last_->setObjectName("lastMessage");
  last_->setFont(textFont(12));
  last_->setTextFormat(Qt::PlainText);
  last_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  toggle_ = new QToolButton(this);
  toggle_->setObjectName("toggleLog");
  toggle_->setFont(textFont(12));
  toggle_->setText(tr("log ▴"));
  toggle_->setAccessibleName(tr("Show the log"));
  row->addWidget(time_);
  row->addWidget(last_, 1);
  row->addWidget(toggle_);
  column->addWidget(all_);
  column->addLayout(row);
  auto* away = new QShortcut(QKeySequence(Qt::Key_Escape), this, nullptr, nullptr, Qt::WidgetWithChildrenShortcut);
  connect(away, &QShortcut::activated, this, [this] { setOpen(false); });
  connect(toggle_, &QToolButton::clicked, this, [this] { setOpen(!isOpen()); });
}

void LogStrip::add(const QString& news, bool trouble) {
  const QString text = QString::fromStdString(visibleLines(news.toStdString()));
  ofInput_ = false;
  const QString now = QTime::currentTime().toString("HH:mm:ss");
  lines_ += QString("%1 %2 %3").arg(now, trouble ? "!" : " ", sentence(text));
  if (lines_.size() > kMostLines) lines_.removeFirst();
  // While it is not open, readers are not told of each line.
  if (isOpen()) all_->appendPlainText(lines_.back());
  time_->setText(now);
  lastText_ = sentence(text.section('\n', 0, 0));
  last_->setToolTip(text);
  last_->setProperty("role", trouble ? "differs" : "");
  last_->style()->unpolish(last_);
  last_->style()->polish(last_);
  showLast();
}

void LogStrip::refuse(const QString& news) {
  add(news, true);
  ofInput_ = true;
}

void LogStrip::mend() {
  if (!std::exchange(ofInput_, false)) return;
  time_->clear();
  lastText_.clear();
  last_->setToolTip({});
  showLast();
}

void LogStrip::showLast() {
  last_->setText(last_->fontMetrics().elidedText(lastText_, Qt::ElideRight, std::max(80, last_->width())));
}

void LogStrip::setOpen(bool open) {
  QWidget* focus = QApplication::focusWidget();
  // Whoever reads the log goes on from where the keys were before it.
  if (!open && focus == all_) (before_ != nullptr && before_->isVisible() ? before_.data() : toggle_)->setFocus();
  if (open && !isOpen()) {
    all_->setPlainText(text());
    all_->moveCursor(QTextCursor::End);
  }
  all_->setVisible(open);
  if (open && focus != nullptr && focus != toggle_) before_ = focus;
  toggle_->setText(open ? tr("log ▾") : tr("log ▴"));
  toggle_->setAccessibleName(open ? tr("Hide the log") : tr("Show the log"));
}

void LogStrip::resizeEvent(QResizeEvent* event) {
  QWidget::resizeEvent(event);
  showLast();
}

void LogStrip::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  QStyleOption option;
  option.initFrom(this);
  style()->drawPrimitive(QStyle::PE_Widget, &option, &painter, this);
}

}  // namespace imprimo::app
