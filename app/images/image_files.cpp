// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/images/image_files.h"

#include <QHBoxLayout>
#include <QScrollArea>
#include <QStyle>
#include <QToolButton>

#include "app/look/small_widgets.h"
#include "app/look/text.h"
#include "app/look/theme.h"
#include "core/base/number.h"

namespace imprimo::app {
ImageFiles::ImageFiles(ImageDocument& document, QWidget* parent) : QWidget(parent), document_(document) {
  setObjectName("imageFiles");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(6);
  auto* head = new QHBoxLayout;
  auto* title = new QLabel(tr("Files"), this);
  title->setFont(textFont(14, QFont::DemiBold));
  title->setFixedHeight(measure::kViewHead);
  auto* add = smallButton(this, tr("add…"), tr("Add a file, a pattern or a checksum"));
  add->setObjectName("addToImage");
  auto* menu = new QMenu(add);
  const auto action = [&](const char* name, const QString& label, auto&& act) {
    QAction* a = menu->addAction(label, this, act);
    a->setObjectName(name);
  };
  action("addImageFile", tr("File…"), [this] { addFiles(); });
  action("addPattern", tr("Pattern for a test…"), [this] { addPattern(); });
  action("addSum", tr("Checksum or length…"), [this] { addSum(); });
  add->setMenu(menu);
  add->setPopupMode(QToolButton::InstantPopup);
  head->addWidget(title);
  head->addStretch(1);
  head->addWidget(add);
  column->addLayout(head);
  auto* scroll = new QScrollArea(this);
  scroll->setFocusPolicy(Qt::NoFocus);
  scroll->setWidgetResizable(true);
  scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* inside = new QWidget(scroll);
  inside->setObjectName("page");
  auto* all = new QVBoxLayout(inside);
  all->setContentsMargins(0, 0, 2, 0);
  const auto rowsBelow = [all] {
    auto* rows = new QVBoxLayout;
    rows->setSpacing(6);
    all->addLayout(rows);
    return rows;
  };
  cards_ = std::make_unique<KeptRows>(rowsBelow(), add);
  sums_ = std::make_unique<KeptRows>(rowsBelow(), add);
  auto* drop = new QFrame(this);
  drop->setObjectName("kept");
  auto* inDrop = new QVBoxLayout(drop);
  auto* words = mutedLabel(drop, tr("drop files here"));
  words->setAlignment(Qt::AlignCenter);
  inDrop->addWidget(words);
  all->addWidget(drop);
  closer_ = new ImageCloser(document_, inside);
  all->addSpacing(6);
  all->addWidget(closer_);
  all->addStretch(1);
  scroll->setWidget(inside);
  column->addWidget(scroll, 1);
  connect(&document_, &ImageDocument::changed, this, &ImageFiles::rebuild, Qt::QueuedConnection);
  connect(&document_, &ImageDocument::selectionChanged, this, &ImageFiles::showSelection, Qt::QueuedConnection);
  rebuild();
}

void ImageFiles::rebuild() {
  QStringList files, sums;
  for (std::size_t i = 0; i < document_.files().size(); ++i) files += text(shortName(document_.state().placements[i]));
  for (const SumPlacement& sum : document_.state().sums)
    sums += tr("%1 at %2\nof %3").arg(text(sum.kind), text(hexAddress(sum.at)), text(rangeText(sum.range)));
  cards_->show(
      files, [this] { return makeCard(); }, [](QWidget* row, std::size_t i) { static_cast<ImageCard*>(row)->show(i); });
  sums_->show(
      sums, [this] { return makeSum(); },
      [&](QWidget* row, std::size_t i) {
        row->setProperty("index", static_cast<int>(i));
        const QString& words = sums[static_cast<qsizetype>(i)];
        row->findChild<QLabel*>()->setText(words);
        setWords(row->findChild<QToolButton*>(), "×", tr("Take this checksum out: %1").arg(words.section('\n', 0, 0)));
      });
  showSelection();
}

void ImageFiles::showSelection() {
  for (std::size_t i = 0; i < cards_->rows().size(); ++i) {
    QWidget* card = cards_->rows()[i];
    const bool selected = document_.selected() == i;
    if (card->property("selected").toBool() == selected) continue;
    card->setProperty("selected", selected);
    card->style()->unpolish(card);
    card->style()->polish(card);
  }
  closer_->refresh();
}

ImageCard* ImageFiles::makeCard() {
  auto* card = new ImageCard(document_, this);
  connect(card, &ImageCard::menuWanted, this, [this](std::size_t index, const QPoint& at) {
    QMenu* menu = menuFor(index);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->popup(at);
  });
  return card;
}

QWidget* ImageFiles::makeSum() {
  auto* frame = new QFrame(this);
  frame->setObjectName("sumCard");
  auto* row = new QHBoxLayout(frame);
  row->setContentsMargins(10, 4, 6, 4);
  row->addWidget(mutedLabel(frame, {}), 1);
  auto* remove = smallButton(frame, "×", {});
  connect(remove, &QToolButton::clicked, this, [this, frame] {
    ImageState next = document_.state();
    const int index = frame->property("index").toInt();
    if (index >= static_cast<int>(next.sums.size())) return;
    next.sums.erase(next.sums.begin() + index);
    document_.change(tr("Take out a checksum"), next);
  });
  row->addWidget(remove);
  return frame;
}

}  // namespace imprimo::app
