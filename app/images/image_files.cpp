// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/images/image_files.h"

#include <QHBoxLayout>
#include <QLineEdit>
#include <QScrollArea>
#include <QStyle>
#include <QToolButton>

#include "app/look/address_text.h"
#include "app/look/small_widgets.h"
#include "app/look/text.h"
#include "app/look/theme.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

/// What is done to the file, in few words.
QString changesText(const Placement& p, const PlacedFile& file) {
  QStringList words;
  if (file.source) {
    words += p.pattern           ? QObject::tr("pattern")
             : p.wrapper.empty() ? QString(nameOf(file.source->file.format))
                                 : text(file.source->file.note);
  }
  if (p.cut) words += QObject::tr("cut");
  if (p.reversed) words += QObject::tr("bits reversed");
  if (p.swap > 1) words += QObject::tr("%1-bit words swapped").arg(p.swap * 8);
  if (p.after) words += QObject::tr("after the previous one");
  if (p.align)
    words += *p.align == kEraseBlock ? QObject::tr("on a block")
                                     : QObject::tr("on a multiple of %1").arg(text(sizeText(*p.align)));
  if (p.pad) words += QObject::tr("padded");
  return words.join(" · ");
}

/// A card that is chosen by a click on it, and by the keyboard.
class Card : public QFrame {
 public:
  Card(ImageDocument& document, std::size_t index, QWidget* parent)
      : QFrame(parent), document_(document), index_(index) {
    setObjectName("card");
  }

 protected:
  void mousePressEvent(QMouseEvent*) override { document_.select(index_); }

 private:
  ImageDocument& document_;
  std::size_t index_;
};

}  // namespace

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
  scroll->setWidgetResizable(true);
  scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* inside = new QWidget(scroll);
  inside->setObjectName("page");
  auto* all = new QVBoxLayout(inside);
  all->setContentsMargins(0, 0, 2, 0);
  cards_ = new QVBoxLayout;
  cards_->setSpacing(6);
  all->addLayout(cards_);
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
  while (QLayoutItem* item = cards_->takeAt(0)) {
    if (item->widget() != nullptr) item->widget()->deleteLater();
    delete item;
  }
  for (std::size_t i = 0; i < document_.files().size(); ++i) cards_->addWidget(card(i));
  for (std::size_t i = 0; i < document_.state().sums.size(); ++i) cards_->addWidget(sumCard(i));
  auto* drop = new QFrame(this);
  drop->setObjectName("kept");
  auto* row = new QVBoxLayout(drop);
  auto* words = mutedLabel(drop, tr("drop files here"));
  words->setAlignment(Qt::AlignCenter);
  row->addWidget(words);
  cards_->addWidget(drop);
  showSelection();
}

void ImageFiles::showSelection() {
  for (int i = 0; i < cards_->count(); ++i) {
    QWidget* widget = cards_->itemAt(i)->widget();
    if (widget == nullptr || widget->objectName() != "card") continue;
    widget->setProperty("selected", document_.selected() == static_cast<std::size_t>(i));
    widget->style()->unpolish(widget);
    widget->style()->polish(widget);
  }
  closer_->refresh();
}

/// In the place of a file that is being read.
QLayout* ImageFiles::readingRow(QFrame* frame) {
  auto* reading = new QLabel(tr("Being read …"), frame);
  reading->setObjectName("fileReading");
  reading->setProperty("role", "muted");
  reading->setFont(textFont(11));
  auto* stop = smallButton(frame, tr("stop"), tr("Stop reading"));
  stop->setObjectName("fileStopReading");
  connect(stop, &QToolButton::clicked, &document_, &ImageDocument::stopReading);
  connect(&document_, &ImageDocument::readingProgressed, reading,
          [this, reading] { reading->setText(tr("Being read: %1 %").arg(document_.percentRead())); });
  auto* row = new QHBoxLayout;
  row->addWidget(reading, 1);
  row->addWidget(stop);
  return row;
}

/// Where a file goes, and what can be done to it.
QLayout* ImageFiles::addressRow(QFrame* frame, std::size_t index, const Placement& placement, const PlacedFile& file) {
  const QString fileName = text(shortName(placement));
  auto* bottom = new QHBoxLayout;
  auto* address = new QLineEdit(frame);
  address->setObjectName("imageAddress");
  address->setAccessibleName(tr("Address of %1").arg(fileName));
  address->setFont(byteFont(12));
  address->setFixedWidth(104);
  const bool own = file.source && file.source->file.hasAddresses;
  address->setText(placement.at ? text(hexAddress(*placement.at)) : QString());
  address->setPlaceholderText(placement.after || placement.align
                                  ? (file.piece ? text(hexAddress(file.piece->image.extent().begin)) : QString())
                              : own ? tr("from file")
                                    : tr("set address"));
  address->setToolTip(own ? tr("Added to the file's own addresses") : tr("Where its first byte goes"));
  connect(address, &QLineEdit::editingFinished, this, [this, index, placement, address] {
    const QString typed = address->text().trimmed();
    Placement changed = placement;
    changed.at = typed.isEmpty() ? std::nullopt : parseAddress(typed);
    if (!changed.at && !typed.isEmpty()) {
      address->setProperty("wrong", true);
      address->style()->unpolish(address);
      address->style()->polish(address);
      emit document_.message(tr("'%1' is no address: write 0x1F400, 128000 or 125K.").arg(typed), true);
      return;
    }
    document_.setPlacement(index, changed, tr("Move %1").arg(text(shortName(changed))));
  });
  auto* more = smallButton(frame, "⋯", tr("What is done to %1").arg(fileName));
  more->setObjectName("imageFileMenu");
  connect(more, &QToolButton::clicked, this, [this, index, more] {
    QMenu* menu = menuFor(index);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->popup(more->mapToGlobal(QPoint(0, more->height())));
  });
  auto* remove = smallButton(frame, "×", tr("Take %1 out").arg(fileName));
  remove->setObjectName("removeImageFile");
  connect(remove, &QToolButton::clicked, this, [this, index] { document_.remove(index); });
  bottom->addWidget(address);
  bottom->addStretch(1);
  bottom->addWidget(more);
  bottom->addWidget(remove);
  return bottom;
}

QFrame* ImageFiles::card(std::size_t index) {
  const Placement placement = document_.state().placements[index];
  const PlacedFile& file = document_.files()[index];
  const QString fileName = text(shortName(placement));
  auto* frame = new Card(document_, index, this);
  frame->setProperty("file", static_cast<int>(index));
  auto* outer = new QHBoxLayout(frame);
  outer->setContentsMargins(0, 0, 6, 0);
  auto* stripe = new QFrame(frame);
  stripe->setFixedWidth(4);
  stripe->setStyleSheet(QString("background: %1; border-radius: 2px;").arg(Theme::current().pieceColor(index).name()));
  outer->addWidget(stripe);
  auto* column = new QVBoxLayout;
  column->setContentsMargins(4, 5, 0, 6);
  column->setSpacing(3);
  outer->addLayout(column, 1);

  auto* top = new QHBoxLayout;
  auto* name =
      smallButton(frame, QFontMetrics(textFont(13, QFont::DemiBold)).elidedText(fileName, Qt::ElideMiddle, 128),
                  tr("Choose %1").arg(fileName));
  name->setObjectName("imageFileName");
  name->setFont(textFont(13, QFont::DemiBold));
  name->setProperty("role", "name");
  connect(name, &QToolButton::clicked, this, [this, index] { document_.select(index); });
  top->addWidget(name);
  top->addStretch(1);
  top->addWidget(mutedLabel(frame, file.piece ? text(sizeText(file.piece->image.byteCount())) : QString()));
  column->addLayout(top);
  const QString changes = changesText(placement, file);
  auto* what = mutedLabel(frame, QFontMetrics(textFont(12)).elidedText(changes, Qt::ElideRight, 190));
  what->setToolTip(changes);
  what->setIndent(3);
  column->addWidget(what);
  if (!file.isRead) column->addLayout(readingRow(frame));
  if (!file.problem.isEmpty()) {
    auto* problem = new QLabel(file.problem, frame);
    problem->setProperty("role", "differs");
    problem->setFont(textFont(11));
    problem->setWordWrap(true);
    column->addWidget(problem);
  }

  column->addLayout(addressRow(frame, index, placement, file));
  return frame;
}

QFrame* ImageFiles::sumCard(std::size_t index) {
  const SumPlacement& sum = document_.state().sums[index];
  auto* frame = new QFrame(this);
  frame->setObjectName("sumCard");
  auto* row = new QHBoxLayout(frame);
  row->setContentsMargins(10, 4, 6, 4);
  row->addWidget(
      mutedLabel(frame,
                 tr("%1 at %2\nof %3").arg(text(sum.kind), text(hexAddress(sum.at)), text(rangeText(sum.range)))),
      1);
  auto* remove = smallButton(frame, "×", tr("Take this checksum out"));
  connect(remove, &QToolButton::clicked, this, [this, index] {
    ImageState next = document_.state();
    next.sums.erase(next.sums.begin() + static_cast<std::ptrdiff_t>(index));
    document_.change(tr("Take out a checksum"), next);
  });
  row->addWidget(remove);
  return frame;
}

}  // namespace imprimo::app
