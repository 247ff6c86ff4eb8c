// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/position_bar.h"

#include <QInputDialog>
#include <QMenu>
#include <QShortcut>
#include <QStyle>

#include "app/look/address_text.h"
#include "app/look/small_widgets.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

QString chipName(const QString& name) {
  return name.size() > 18 ? name.left(17) + "…" : name;
}

}  // namespace

PositionBar::PositionBar(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  makeWidgets();
  connect(address_, &QLineEdit::returnPressed, this, &PositionBar::goToTyped);
  connect(address_, &QLineEdit::textEdited, this, [this] { setWrong(address_, false); });
  connect(find_, &QLineEdit::returnPressed, this, &PositionBar::find);
  connect(bench_.bookmarkAction, &QAction::triggered, this, &PositionBar::addBookmark);
  connect(next_, &QToolButton::clicked, bench_.nextDifferenceAction, &QAction::trigger);
  connect(bench_.gotoAction, &QAction::triggered, this, [this] {
    address_->setFocus();
    address_->selectAll();
  });
  connect(bench_.findAction, &QAction::triggered, this, [this] {
    find_->show();
    find_->setFocus();
    find_->selectAll();
  });
  auto* away = new QShortcut(QKeySequence(Qt::Key_Escape), this, nullptr, nullptr, Qt::WidgetWithChildrenShortcut);
  connect(away, &QShortcut::activated, this, [this] {
    showPosition();  // and not what was begun to be typed
    find_->hide();
    fitWidth();
    emit left();
  });
  connect(&bench_.cursor(), &MemoryCursor::moved, this, &PositionBar::showPosition);
  connect(&bench_.document(), &SheetDocument::bookmarksChanged, this, &PositionBar::showBookmarks);
  for (const auto signal : {&Workbench::sheetChanged, &Workbench::memoryChanged})
    connect(&bench_, signal, this, &PositionBar::showBookmarks);
  for (const auto signal :
       {&Workbench::looksChanged, &Workbench::memoryChanged, &Workbench::placementsChanged, &Workbench::runChanged}) {
    connect(&bench_, signal, this, &PositionBar::showDifferences);
  }
  showPosition();
  showBookmarks();
  showDifferences();
}

void PositionBar::makeWidgets() {
  setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(7);
  setMinimumWidth(400);
  auto* at = new QLabel(tr("At"), this);
  at->setProperty("role", "muted");
  address_ = new QLineEdit(this);
  address_->setObjectName("address");
  address_->setAccessibleName(tr("Address"));
  address_->setFont(byteFont(13));
  address_->setFixedWidth(108);
  address_->setPlaceholderText("0x000000");
  at->setBuddy(address_);
  find_ = new QLineEdit(this);
  find_->setObjectName("find");
  find_->setAccessibleName(tr("Find bytes or text"));
  find_->setPlaceholderText(tr("A5 4D … or \"text\""));
  find_->setFixedWidth(160);
  find_->hide();
  marks_ = new QHBoxLayout;
  marks_->setSpacing(5);
  auto* add = new QToolButton(this);
  add->setObjectName("mark");
  add->setText("+");
  add->setToolTip(tr("Bookmark this address (Ctrl+B)"));
  add->setAccessibleName(tr("Bookmark this address"));
  more_ = new QToolButton(this);
  more_->setObjectName("mark");
  more_->setText("…");
  more_->setAccessibleName(tr("More bookmarks"));
  more_->setPopupMode(QToolButton::InstantPopup);
  more_->setMenu(new QMenu(more_));
  more_->hide();
  next_ = new QToolButton(this);
  next_->setObjectName("nextDifference");
  next_->setFont(textFont(12, QFont::DemiBold));
  row->addWidget(at);
  row->addWidget(address_);
  row->addWidget(find_);
  row->addLayout(marks_);
  row->addWidget(more_);
  row->addWidget(add);
  row->addStretch(1);
  row->addWidget(next_);
  connect(add, &QToolButton::clicked, bench_.bookmarkAction, &QAction::trigger);
}

void PositionBar::showPosition() {
  setWrong(address_, false);
  address_->setText(QString::fromStdString(hexAddress(bench_.cursor().position())));
}

void PositionBar::goToTyped() {
  const auto address = parseAddress(address_->text());
  const AddressRange& whole = bench_.cursor().whole();
  const bool fine = address && whole.contains(*address);
  setWrong(address_, !fine);
  if (fine) {
    emit bench_.inputMended();
    bench_.cursor().jumpTo(*address);
    showPosition();
    emit left();
  } else {
    emit bench_.inputRefused(address ? tr("%1 is outside of the memory, which is at %2.")
                                           .arg(address_->text(), QString::fromStdString(rangeText(whole)))
                                     : noAddress(address_->text()));
  }
}

void PositionBar::showBookmarks() {
  while (QLayoutItem* item = marks_->takeAt(0)) {
    delete item->widget();
    delete item;
  }
  chips_.clear();
  const auto& bookmarks = bench_.document().sheet().bookmarks;
  for (std::size_t i = 0; i < bookmarks.size(); ++i) {
    if (bookmarks[i].memory != bench_.memory()) continue;
    auto* chip = new QToolButton(this);
    chip->setObjectName("mark");
    chip->setFont(textFont(12));
    const QString name = QString::fromStdString(bookmarks[i].name);
    chip->setText(chipName(name));
    chip->setAccessibleName(tr("Bookmark %1 at %2").arg(name, QString::fromStdString(hexAddress(bookmarks[i].at))));
    chip->setToolTip(
        tr("%1 at %2; right click removes it").arg(name, QString::fromStdString(hexAddress(bookmarks[i].at))));
    chip->setContextMenuPolicy(Qt::ActionsContextMenu);
    auto* remove = new QAction(tr("Remove this bookmark"), chip);
    chip->addAction(remove);
    connect(
        remove, &QAction::triggered, this, [this, i] { bench_.document().removeBookmark(i); }, Qt::QueuedConnection);
    connect(chip, &QToolButton::clicked, this, [this, at = bookmarks[i].at] { bench_.cursor().jumpTo(at); });
    marks_->addWidget(chip);
    chips_.push_back(chip);
  }
  fitWidth();
}

/// As many bookmarks as there is room for; the others are in a menu. The way to the next difference is told at length
/// where it can be.
void PositionBar::fitWidth() {
  const QFontMetrics metrics(next_->font());
  const int fixed = address_->width() + (find_->isVisible() ? find_->width() : 0) + 150;
  int chipWidth = 0;
  for (const QToolButton* chip : chips_) chipWidth += chip->sizeHint().width() + 5;
  const bool roomy = fixed + chipWidth + metrics.horizontalAdvance(longText_) < width();
  const QString shown = roomy ? longText_ : shortText_;
  setWords(next_, shown, QString(shown).remove("▸").simplified());
  int room = width() - fixed - metrics.horizontalAdvance(next_->text()) - 10;
  more_->menu()->clear();
  for (QToolButton* chip : chips_) {
    room -= chip->sizeHint().width() + 5;
    chip->setVisible(room > 0);
    if (room <= 0) connect(more_->menu()->addAction(chip->text()), &QAction::triggered, chip, &QToolButton::click);
  }
  more_->setVisible(!more_->menu()->isEmpty());
}

void PositionBar::resizeEvent(QResizeEvent* event) {
  QWidget::resizeEvent(event);
  fitWidth();
}

/// Not while a run goes on: how far it is stands with its steps, and each page would be another figure here.
void PositionBar::showDifferences() {
  if (bench_.run().isRunning()) return;
  const BlockLooks& looks = bench_.looks();
  const bool any = looks.differingBlocks() > 0;
  next_->setEnabled(any);
  bench_.nextDifferenceAction->setEnabled(any);
  if (any) {
    const QString bytes = looks.differingBytes() < 10'000
                              ? QString::fromStdString(countText(looks.differingBytes(), "byte"))
                              : QString::fromStdString(sizeText(looks.differingBytes()));
    longText_ = tr("next difference ▸  %1 in %2")
                    .arg(bytes, QString::fromStdString(countText(looks.differingBlocks(), "block")));
    shortText_ = tr("next difference ▸  %1").arg(bytes);
  } else {
    longText_ = shortText_ = looks.empty() ? QString() : tr("no difference seen");
  }
  fitWidth();
}

void PositionBar::addBookmark() {
  const std::uint64_t at = bench_.cursor().position();
  bool fine = false;
  const QString name =
      QInputDialog::getText(this, tr("Bookmark"), tr("Name for %1:").arg(QString::fromStdString(hexAddress(at))),
                            QLineEdit::Normal, {}, &fine);
  if (fine && !name.trimmed().isEmpty())
    bench_.document().addBookmark({bench_.memory(), at, name.trimmed().toStdString(), std::nullopt});
}

void PositionBar::find() {
  const Bytes bytes = parseNeedle(find_->text());
  if (!bytes.empty()) emit findRequested(bytes);
}

}  // namespace imprimo::app
