// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/flash/tables_page.h"

#include <QHeaderView>
#include <QVBoxLayout>

#include "app/look/theme.h"
#include "core/base/number.h"
#include "core/flash/spi_nor_identity.h"

namespace imprimo::app {

TablesPage::TablesPage(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  auto* column = new QVBoxLayout(this);
  tree_ = new QTreeWidget(this);
  tree_->setObjectName("tablesTree");
  tree_->setAccessibleName(tr("The part's own tables"));
  tree_->setHeaderLabels({tr("Where"), tr("Raw"), tr("What"), tr("In words")});
  tree_->setAlternatingRowColors(false);
  tree_->setFont(textFont(12));
  column->addWidget(tree_);
  for (const auto signal : {&Workbench::memoryChanged, &Workbench::linkChanged})
    connect(&bench_, signal, this, &TablesPage::rebuild, Qt::QueuedConnection);
  rebuild();
}

void TablesPage::rebuild() {
  tree_->clear();
  const memory::Identity* identity = bench_.identity();
  const flash::FlashIdentity* part = identity == nullptr ? nullptr : flash::flashOf(*identity);
  if (part == nullptr || !part->table) {
    const QString words =
        identity == nullptr ? tr("Nothing answered yet.") : tr("This part has no tables of its own (SFDP).");
    tree_->addTopLevelItem(new QTreeWidgetItem({words}));
    return;
  }
  for (const flash::SfdpTable& table : part->table->tables) {
    auto* top = new QTreeWidgetItem({QString::fromStdString(flash::tableName(table.id)),
                                     QString::fromStdString(hexAddress(table.pointer)),
                                     tr("revision %1.%2").arg(table.major).arg(table.minor),
                                     QString::fromStdString(countText(table.dwords.size(), "DWORD"))});
    top->setFont(0, textFont(13, QFont::DemiBold));
    tree_->addTopLevelItem(top);
    const std::vector<flash::SfdpField> fields = flash::fieldsOf(table);
    for (std::size_t i = 0; i < table.dwords.size(); ++i) {
      auto* word = new QTreeWidgetItem(
          {tr("DWORD %1").arg(i + 1), QString("%1").arg(table.dwords[i], 8, 16, QChar('0')).toUpper()});
      word->setFont(1, byteFont(12));
      top->addChild(word);
      for (const flash::SfdpField& f : fields) {
        if (f.dword != i + 1) continue;
        const QString bits = f.high == f.low ? tr("bit %1").arg(f.high) : tr("bits %1..%2").arg(f.high).arg(f.low);
        auto* item = new QTreeWidgetItem({bits, QString("%1").arg(f.value, 0, 16).toUpper(),
                                          QString::fromStdString(f.name), QString::fromStdString(f.meaning)});
        item->setFont(1, byteFont(12));
        word->addChild(item);
      }
    }
  }
  tree_->expandAll();
  for (int c = 0; c < 3; ++c) tree_->resizeColumnToContents(c);
}

}  // namespace imprimo::app
