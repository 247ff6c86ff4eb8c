// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/image_files.h"

#include <QDateTime>
#include <QFileDialog>
#include <QFileInfo>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QLineEdit>
#include <QMouseEvent>
#include <QScrollArea>
#include <QStyle>
#include <QToolButton>

#include "app/position_bar.h"
#include "app/small_button.h"
#include "app/theme.h"
#include "core/base/number.h"
#include "core/image/sync_word.h"

namespace imprimo::app {
namespace {

QLabel* muted(QWidget* parent, const QString& text) {
  auto* label = new QLabel(text, parent);
  label->setProperty("role", "muted");
  label->setFont(textFont(12));
  return label;
}

QString text(const std::string& s) {
  return QString::fromStdString(s);
}

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
  if (p.after) words += QObject::tr("behind the one before");
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
  closer_ = new QFrame(inside);
  closer_->setObjectName("card");
  closerRows_ = new QVBoxLayout(closer_);
  closerRows_->setContentsMargins(10, 8, 10, 8);
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
  auto* words = muted(drop, tr("drop files here"));
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
  closer();
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
  name->setStyleSheet(
      QString("color: %1; padding: 1px 0; margin: 0; text-align: left;").arg(Theme::current().ink.name()));
  connect(name, &QToolButton::clicked, this, [this, index] { document_.select(index); });
  top->addWidget(name);
  top->addStretch(1);
  top->addWidget(muted(frame, file.piece ? text(sizeText(file.piece->image.byteCount())) : QString()));
  column->addLayout(top);
  const QString changes = changesText(placement, file);
  auto* what = muted(frame, QFontMetrics(textFont(12)).elidedText(changes, Qt::ElideRight, 190));
  what->setToolTip(changes);
  what->setIndent(3);
  column->addWidget(what);
  if (!file.problem.isEmpty()) {
    auto* problem = new QLabel(file.problem, frame);
    problem->setProperty("role", "differs");
    problem->setFont(textFont(11));
    problem->setWordWrap(true);
    column->addWidget(problem);
  }

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
                              : own ? tr("its own")
                                    : tr("where?"));
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
  column->addLayout(bottom);
  return frame;
}

QFrame* ImageFiles::sumCard(std::size_t index) {
  const SumPlacement& sum = document_.state().sums[index];
  auto* frame = new QFrame(this);
  frame->setObjectName("sumCard");
  auto* row = new QHBoxLayout(frame);
  row->setContentsMargins(10, 4, 6, 4);
  row->addWidget(
      muted(frame, tr("%1 at %2\nof %3").arg(text(sum.kind), text(hexAddress(sum.at)), text(rangeText(sum.range)))), 1);
  auto* remove = smallButton(frame, "×", tr("Take this checksum out"));
  connect(remove, &QToolButton::clicked, this, [this, index] {
    ImageState next = document_.state();
    next.sums.erase(next.sums.begin() + static_cast<std::ptrdiff_t>(index));
    document_.change(tr("Take out a checksum"), next);
  });
  row->addWidget(remove);
  return frame;
}

QMenu* ImageFiles::menuFor(std::size_t index) {
  auto* menu = new QMenu(this);
  const Placement placement = document_.state().placements.at(index);
  const QString name = text(shortName(placement));
  const auto option = [&](QMenu* to, const char* id, const QString& label, bool on, auto&& change) {
    QAction* a = to->addAction(label);
    a->setObjectName(id);
    a->setCheckable(true);
    a->setChecked(on);
    connect(a, &QAction::triggered, this, [this, index, placement, label, change] {
      Placement next = placement;
      change(next);
      document_.setPlacement(index, next, label);
    });
  };
  option(menu, "bitsReversed", tr("Bits of each byte reversed"), placement.reversed,
         [](Placement& p) { p.reversed = !p.reversed; });
  option(menu, "swap16", tr("Bytes swapped in 16-bit words"), placement.swap == 2,
         [](Placement& p) { p.swap = p.swap == 2 ? 1 : 2; });
  option(menu, "swap32", tr("Bytes swapped in 32-bit words"), placement.swap == 4,
         [](Placement& p) { p.swap = p.swap == 4 ? 1 : 4; });
  menu->addSeparator();
  option(menu, "after", tr("Behind the piece before"), placement.after, [](Placement& p) {
    p.after = !p.after;
    if (p.after) p.at.reset();
  });
  if (document_.state().block > 0) {
    const QString block = text(sizeText(document_.state().block));
    option(
        menu, "alignBlock", tr("Begins on a block (%1)").arg(block), placement.align == kEraseBlock,
        [](Placement& p) { p.align = p.align == kEraseBlock ? std::nullopt : std::optional<Boundary>(kEraseBlock); });
    option(menu, "padBlock", tr("Filled up to a block"), placement.pad == kEraseBlock,
           [](Placement& p) { p.pad = p.pad == kEraseBlock ? std::nullopt : std::optional<Boundary>(kEraseBlock); });
  }
  menu->addSeparator();
  QAction* cut = menu->addAction(tr("Only a part of it…"), this, [this, index] { askCut(index); });
  cut->setObjectName("cut");
  if (placement.cut) option(menu, "uncut", tr("All of it"), false, [](Placement& p) { p.cut.reset(); });
  if (!placement.pattern) {
    QMenu* as = menu->addMenu(tr("Read as"));
    option(as, "formatAuto", tr("What it looks like"), !placement.format, [](Placement& p) { p.format.reset(); });
    for (const ImageFormat format :
         {ImageFormat::Raw, ImageFormat::IntelHex, ImageFormat::Motorola, ImageFormat::Elf}) {
      option(as, shortNameOf(format), nameOf(format), placement.format == format, [format](Placement& p) {
        p.format = format;
        p.wrapper.clear();
      });
    }
    QMenu* wrapper = menu->addMenu(tr("Header"));
    option(wrapper, "noWrapper", tr("None"), placement.wrapper.empty(), [](Placement& p) { p.wrapper.clear(); });
    wrapper->addAction(tr("By a wrapper card…"), this, [this, index] { chooseWrapper(index); })
        ->setObjectName("chooseWrapper");
    wrapper
        ->addAction(placement.wrapper.empty() ? tr("Write a wrapper card…") : tr("Look at the card…"), this,
                    [this, index] { emit wrapperWanted(index); })
        ->setObjectName("writeWrapper");
  }
  return menu;
}

void ImageFiles::addFiles() {
  for (const QString& path : QFileDialog::getOpenFileNames(this, tr("Add files"), document_.absolute(".")))
    document_.addFile(path);
}

void ImageFiles::addPattern() {
  QString typed = "counting+4K";
  while (true) {
    bool fine = false;
    typed =
        QInputDialog::getText(this, tr("Add a pattern"), tr("0xA5+4K, counting+4K, random:SEED+4K or text:WORDS+4K:"),
                              QLineEdit::Normal, typed, &fine);
    if (!fine) return;
    if (const auto pattern = parsePattern(typed.trimmed().toStdString())) {
      Placement placement;
      placement.pattern = pattern;
      return document_.addPlacement(placement);
    }
    emit document_.message(tr("'%1' is no pattern: it needs a length, as in counting+4K.").arg(typed), true);
  }
}

void ImageFiles::addSum() {
  QString typed = "crc32:0x0..0xFFFB@0xFFFC";
  while (true) {
    bool fine = false;
    typed = QInputDialog::getText(this, tr("Write a checksum or length"), tr("KIND:RANGE@ADDRESS[,low-first]:"),
                                  QLineEdit::Normal, typed, &fine);
    if (!fine) return;
    try {
      ImageState next = document_.state();
      next.sums.push_back(parseSum(typed.trimmed().toStdString()));
      next.sums.back().memory = next.memory;
      return document_.change(tr("Write %1").arg(text(next.sums.back().kind)), next);
    } catch (const Error& e) {
      emit document_.message(text(e.full()), true);
    }
  }
}

void ImageFiles::chooseWrapper(std::size_t index) {
  const QString path = QFileDialog::getOpenFileName(this, tr("The wrapper card of this file"), document_.absolute("."),
                                                    tr("Cards (*.json);;All files (*)"));
  if (path.isEmpty()) return;
  Placement next = document_.state().placements.at(index);
  next.wrapper = document_.relative(path).toStdString();
  next.format.reset();
  document_.setPlacement(index, next, tr("Header by a card"));
}

void ImageFiles::askCut(std::size_t index) {
  bool fine = false;
  const QString typed = QInputDialog::getText(this, tr("Only a part of it"),
                                              tr("A..B (both ends included), A+N, or A.. for all from there:"),
                                              QLineEdit::Normal, "0x0..", &fine);
  if (!fine) return;
  Placement next = document_.state().placements.at(index);
  next.cut = parseCut(typed.trimmed().toStdString());
  if (!next.cut) {
    emit document_.message(tr("'%1' is no range.").arg(typed), true);
    return;
  }
  document_.setPlacement(index, next, tr("Cut %1").arg(text(shortName(next))));
}

void ImageFiles::closer() {
  while (QLayoutItem* item = closerRows_->takeAt(0)) {
    if (item->widget() != nullptr) item->widget()->deleteLater();
    delete item;
  }
  const auto index = document_.selected();
  closer_->setVisible(index && document_.files()[*index].piece);
  if (!closer_->isVisibleTo(this)) return;
  const PlacedFile& file = document_.files()[*index];
  const Placement placement = document_.state().placements[*index];
  auto* box = new QWidget(closer_);
  auto* grid = new QGridLayout(box);
  grid->setContentsMargins(0, 0, 0, 0);
  grid->setVerticalSpacing(3);
  auto* title = new QLabel(tr("%1, closer").arg(text(file.piece->name())), box);
  title->setFont(textFont(12, QFont::DemiBold));
  grid->addWidget(title, 0, 0, 1, 2);
  const auto row = [&](const QString& name, const QString& value) {
    const int at = grid->rowCount();
    grid->addWidget(muted(box, name), at, 0);
    auto* label = new QLabel(QFontMetrics(textFont(12)).elidedText(value, Qt::ElideRight, 128), box);
    label->setFont(textFont(12));
    label->setToolTip(value);
    label->setTextInteractionFlags(Qt::TextSelectableByMouse);
    grid->addWidget(label, at, 1, Qt::AlignRight);
  };
  for (const Unwrapped::Field& field : file.source->fields) {
    if (!field.name.empty()) row(text(field.name), text(field.text));
  }
  if (file.source->payloadAt > 0) row(tr("header"), tr("%1 taken off").arg(text(sizeText(file.source->payloadAt))));
  if (file.source->file.entry) row(tr("entry"), text(hexAddress(*file.source->file.entry)));
  if (!file.source->file.note.empty() && placement.wrapper.empty()) row(tr("says"), text(file.source->file.note));
  const Bytes head = file.piece->headAsInFile(1 << 20);
  if (const LeadingPad pad = leadingPad(head); pad.count > 0 && !file.source->file.hasAddresses) {
    row(tr("leading %1").arg(text(hexByte(pad.value)).mid(2)), text(countText(pad.count, "byte")));
  }
  Bytes word = file.source->sync;
  if (word.empty()) {
    word = document_.state().sync;
    if (placement.reversed) {
      for (std::uint8_t& b : word) b = reverseBits(b);
    }
  }
  if (!word.empty() && !file.source->file.hasAddresses && !placement.pattern) {
    const auto sync = findSync(head, word);
    row(tr("sync word"),
        sync ? tr("at %1%2").arg(QString("0x%1").arg(sync->at, 0, 16), sync->reversed ? tr(", reversed") : QString())
             : tr("not found"));
    const LeadingPad pad = leadingPad(head);
    if (sync && sync->at > pad.count && !placement.cut && placement.wrapper.empty()) {
      auto* take =
          smallButton(box, tr("take off the %1 before it").arg(text(sizeText(sync->at))), tr("Begin at the sync word"));
      take->setObjectName("takeOffHeader");
      connect(take, &QToolButton::clicked, this, [this, index, placement, at = sync->at] {
        Placement next = placement;
        next.cut = AddressRange{at, UINT64_MAX};
        document_.setPlacement(*index, next, tr("Take off the header"));
      });
      grid->addWidget(take, grid->rowCount(), 0, 1, 2, Qt::AlignLeft);
    }
  }
  constexpr std::uint64_t kMostSummed = 64u << 20;
  const MemoryImage& own = file.source->file.image;
  if (own.extent().size() <= kMostSummed) {
    if (summed_ != file.source) {
      const Bytes bytes = own.bytes(own.extent());
      crc_ = text(digitsOf(checksumOf(*checksumNamed("crc32"), bytes)));
      sha_ = text(digitsOf(checksumOf(*checksumNamed("sha256"), bytes))).toLower();
      summed_ = file.source;
    }
    row("CRC-32", crc_);
    row("SHA-256", sha_);
  }
  if (!placement.pattern) {
    row(tr("changed"), QFileInfo(document_.absolute(placement.file)).lastModified().toString("yyyy-MM-dd hh:mm"));
  }
  closerRows_->addWidget(box);
}

}  // namespace imprimo::app
