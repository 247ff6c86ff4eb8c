// SPDX-License-Identifier: GPL-3.0-or-later
//
// The bench by keys: its parts, what keys do in them, keeping what is marked, and the next difference in words.
#include <QAbstractButton>
#include <QApplication>
#include <utility>

#include "app/bench/bench_view.h"
#include "core/base/number.h"

namespace imprimo::app {

QList<QWidget*> BenchView::panes() {
  if (currentIndex() == 0) return {currentWidget()};
  return {left_, map_, bytes_, middle_->currentIndex() == 0 ? nullptr : middle_->currentWidget(), right_};
}

QList<KeyWords> BenchView::keyWords() const {
  return {{tr("Up, Down"), tr("Rail: the next device or memory")},
          {tr("Return"), tr("Rail: what can be done with it")},
          {tr("F2"), tr("Rail: another name")},
          {tr("Delete"), tr("Rail: out of the sheet; bytes: what was typed goes")},
          {tr("Alt+Up, Alt+Down"), tr("Rail: move a device along the chain")},
          {tr("Arrow keys, Page Up, Page Down"), tr("Map and bytes: go over them")},
          {tr("Shift+arrow keys"), tr("Map and bytes: mark; on the map Return takes what is marked")},
          {tr("Space"), tr("Bytes: the other lane")},
          {tr("0 to 9, A to F"), tr("Bytes: two digits plan a byte")},
          {tr("Ctrl+C"), tr("Bytes: copy what is marked")},
          {tr("Escape"), tr("Closes find and log, lets go of what is marked")}};
}

void BenchView::keysDuringRuns() {
  // As long as the models live: while the window ends, widgets outlive them.
  connect(qApp, &QApplication::focusChanged, &bench_, [this](QWidget* old, QWidget*) {
    if (!bench_.run().isRunning() || old == nullptr || !isAncestorOf(old) || old->isEnabled()) return;
    if (away_ == nullptr) away_ = old;
    QMetaObject::invokeMethod(
        this,
        [this] {
          auto* go = findChild<QAbstractButton*>("go");
          if (go->isVisible() && go->isEnabled()) go->setFocus(Qt::OtherFocusReason);
        },
        Qt::QueuedConnection);
  });
  connect(
      &bench_, &Workbench::runChanged, this,
      [this] {
        if (bench_.run().isRunning() || away_ == nullptr) return;
        QWidget* back = std::exchange(away_, nullptr);
        const QWidget* now = QApplication::focusWidget();
        const bool mayGo = now == nullptr || now->objectName() == "go";
        if (mayGo && back->isVisible() && back->isEnabled()) back->setFocus(Qt::OtherFocusReason);
      },
      Qt::QueuedConnection);
}

/// Tiles that are marked, else bytes.
void BenchView::keepMarked() {
  AddressRange range = map_->marked();
  if (range.empty()) range = bytes_->marked();
  if (range.empty()) {
    emit bench_.message(
        tr("Nothing is marked: Shift with the arrow keys marks tiles on the map, or bytes; then the same key."), true);
    return;
  }
  map_->unmark();
  bench_.tasks().keepRange(range);
}

void BenchView::tellDifference(quint64 address) {
  const auto text = [](std::optional<std::uint8_t> value) {
    return value ? QString::fromStdString(hexByte(*value)) : tr("nothing");
  };
  emit bench_.message(tr("%1 differs: %2 is planned, %3 is on the part.")
                          .arg(QString::fromStdString(hexAddress(address)), text(bench_.looks().planned().at(address)),
                               text(bench_.looks().contents().at(address))),
                      false);
  bytes_->setFocus(Qt::ShortcutFocusReason);
}

}  // namespace imprimo::app
