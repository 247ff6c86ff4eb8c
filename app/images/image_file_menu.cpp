// SPDX-License-Identifier: GPL-3.0-or-later
//
// What can be added to an image, and what can be done to a file of it.
#include <QFileDialog>
#include <QInputDialog>

#include "app/images/image_files.h"
#include "app/look/text.h"
#include "core/base/number.h"

namespace imprimo::app {
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

}  // namespace imprimo::app
