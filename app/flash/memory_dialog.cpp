// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/flash/memory_dialog.h"

#include <QVBoxLayout>

#include "app/flash/part_card_page.h"
#include "app/flash/registers_page.h"
#include "app/flash/tables_page.h"
#include "app/look/small_widgets.h"
#include "core/base/number.h"
#include "core/image/checksum.h"

namespace imprimo::app {

MemoryDialog::MemoryDialog(Workbench& bench, QWidget* parent) : QDialog(parent), bench_(bench) {
  setObjectName("memoryDialog");
  setAttribute(Qt::WA_DeleteOnClose);
  resize(760, 620);
  auto* column = new QVBoxLayout(this);
  head_ = new QLabel(this);
  head_->setObjectName("memoryHead");
  head_->setWordWrap(true);
  head_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  pages_ = new QTabWidget(this);
  pages_->setObjectName("memoryPages");
  pages_->setAccessibleName(tr("Pages of the part"));
  pages_->addTab(new RegistersPage(bench_), tr("Registers"));
  pages_->addTab(new TablesPage(bench_), tr("Its own tables"));
  pages_->addTab(new PartCardPage(bench_), tr("Part card"));
  column->addWidget(head_);
  column->addWidget(pages_, 1);
  for (const auto signal : {&Workbench::memoryChanged, &Workbench::linkChanged})
    connect(&bench_, signal, this, &MemoryDialog::refreshHead);
  refreshHead();
  // A part that nothing describes needs its card first.
  if (bench_.identity() == nullptr) pages_->setCurrentIndex(2);
}

void MemoryDialog::refreshHead() {
  setWindowTitle(tr("The part: %1").arg(QString::fromStdString(bench_.memory())));
  const memory::Identity* part = bench_.identity();
  if (part == nullptr) {
    const auto& report = bench_.link().report();
    const auto why = report ? report->memoryErrors.find(bench_.memory()) : decltype(report->memoryErrors.end()){};
    head_->setText(report && why != report->memoryErrors.end() ? why->second
                                                               : tr("Connect the board to identify the memory."));
    return;
  }
  QString text =
      tr("ID %1 (bank %2) · %3 · described by %4")
          .arg(QString::fromStdString(part->id))
          .arg(part->bank)
          .arg(QString::fromStdString(sizeText(part->geometry.size)), QString::fromStdString(part->describedBy));
  for (const memory::Evidence& e : part->evidence) {
    const bool isId = e.found.find(part->id) != std::string::npos;  // which stands there already
    if (!isId) text += " · " + QString::fromStdString(e.what + " " + e.found);
  }
  if (!part->uniqueId.empty()) text += tr(" · unique ID %1").arg(QString::fromStdString(digitsOf(part->uniqueId)));
  for (const std::string& remark : part->remarks) text += "\n" + sentence(QString::fromStdString(remark)) + ".";
  head_->setText(text);
}

}  // namespace imprimo::app
