// SPDX-License-Identifier: GPL-3.0-or-later
//
// What a file does to memories behind a bridge of ours, and what it has done up to where it stands.
#include <QFileDialog>
#include <QHBoxLayout>
#include <algorithm>
#include <map>

#include "app/look/small_widgets.h"
#include "app/session/help_words.h"
#include "app/vectors/vector_side.h"
#include "core/base/number.h"
#include "core/image/image_writer.h"

namespace imprimo::app {

void VectorSide::addContents(QVBoxLayout* column) {
  contentsCard_ = new QFrame(this);
  contentsCard_->setObjectName("card");
  auto* inside = new QVBoxLayout(contentsCard_);
  inside->setContentsMargins(14, 8, 14, 10);
  inside->setSpacing(4);
  auto* head = new QHBoxLayout;
  contentsTitle_ = new QLabel(tr("In this file"), contentsCard_);
  contentsTitle_->setFont(textFont(13, QFont::DemiBold));
  takeOut_ = smallButton(contentsCard_, tr("take the image out…"), tr("Save the image that the file writes"));
  takeOut_->setObjectName("takeImageOut");
  connect(takeOut_, &QToolButton::clicked, this, &VectorSide::takeOut);
  head->addWidget(contentsTitle_);
  head->addStretch(1);
  head->addWidget(takeOut_);
  inside->addLayout(head);
  contents_ = mutedLabel(contentsCard_, {});
  contents_->setObjectName("vectorContents");
  contents_->setWordWrap(true);
  inside->addWidget(contents_);
  differs_ = new QLabel(contentsCard_);
  differs_->setObjectName("vectorDiffers");
  differs_->setFont(textFont(12, QFont::DemiBold));
  differs_->setWordWrap(true);
  inside->addWidget(differs_);
  column->addWidget(contentsCard_);
}

QString VectorSide::soFar(std::uint64_t line) const {
  if (!document_.facts()) return {};
  QString words;
  for (const auto& memory : document_.facts()->contents.memories) {
    using Kind = vectors::VectorContents::Action::Kind;
    std::map<Kind, RangeSet> done;
    const vectors::VectorContents::Action* last = nullptr;
    for (const auto& action : memory.actions) {
      if (action.line > line) break;
      if (last != nullptr) done[last->kind].add(last->range);
      last = &action;
    }
    if (last == nullptr) continue;
    QStringList devices;
    for (const auto& [kind, ranges] : done) {
      if (kind == Kind::Compare) continue;
      devices += (kind == Kind::Erase ? tr("%1 erased") : tr("%1 written"))
                     .arg(QString::fromStdString(sizeText(ranges.size())));
    }
    const char* verbs[] = {QT_TR_NOOP("erasing"), QT_TR_NOOP("writing"), QT_TR_NOOP("comparing")};
    devices += tr("%1 %2").arg(tr(verbs[static_cast<int>(last->kind)]), QString::fromStdString(rangeText(last->range)));
    words += QString("\n%1: %2.").arg(QString::fromStdString(memory.name), devices.join(", "));
  }
  return words;
}

void VectorSide::refreshContents() {
  const auto& facts = document_.facts();
  const bool ours = facts && !facts->contents.memories.empty();
  contentsCard_->setVisible(ours);
  if (!ours) return;
  QString words;
  for (const auto& memory : facts->contents.memories) {
    std::size_t ranges = 0;
    for (const auto& action : memory.actions)
      ranges += action.kind == vectors::VectorContents::Action::Kind::Write ? 1 : 0;
    words += tr("%1erases %2, writes %3 in %4 of %5 through a bridge in part %6")
                 .arg(words.isEmpty() ? "" : "\n")
                 .arg(QString::fromStdString(sizeText(memory.erased.size())),
                      QString::fromStdString(sizeText(memory.written.size())),
                      QString::fromStdString(countText(ranges, "range")), QString::fromStdString(memory.name))
                 .arg(memory.before + 1);
    words += memory.compared.empty()
                 ? tr("; compares nothing")
                 : tr("; compares %1").arg(QString::fromStdString(sizeText(memory.compared.size())));
  }
  contents_->setText(sentence(words));
  differs_->setVisible(facts->otherBlocks.has_value() && !document_.isPreview());
  if (facts->otherBlocks) {
    const bool same = *facts->otherBlocks == 0;
    differs_->setText(same ? tr("Writes what the sheet's files have.")
                           : tr("Differs from the sheet's files in %1.")
                                 .arg(QString::fromStdString(countText(*facts->otherBlocks, "block"))));
    setRole(differs_, same ? "agrees" : "differs");
  }
  takeOut_->setEnabled(std::any_of(facts->contents.memories.begin(), facts->contents.memories.end(),
                                   [](const auto& m) { return !m.written.empty(); }));
}

void VectorSide::takeOut() {
  if (!document_.facts()) return;
  for (const auto& memory : document_.facts()->contents.memories) {
    if (memory.written.empty()) continue;
    const QString path =
        QFileDialog::getSaveFileName(this, tr("Save the image"), QString::fromStdString(memory.name) + ".hex",
                                     tr("Images (*.hex *.bin *.s19 *.s28 *.s37)"));
    if (path.isEmpty()) return;
    const auto format = outputFormat(path.section('.', -1).toStdString());
    try {
      if (!format)
        throw Error(ErrorKind::Usage, "the name does not say in which format to write", "End it in .hex or .bin.");
      saveImage(memory.held(), *format, {}, path.toStdString());
      emit bench_.message(tr("Written: %1").arg(path.section('/', -1)), false);
    } catch (const Error& e) {
      emit bench_.message(told(e), true);
    }
    return;
  }
}

}  // namespace imprimo::app
