// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/keys_dialog.h"

#include <QDialogButtonBox>
#include <QFile>
#include <QHeaderView>
#include <QSplitter>
#include <QVBoxLayout>

#include "app/look/theme.h"

namespace imprimo::app {

KeysDialog::KeysDialog(const std::vector<KeysSection>& sections, QWidget* parent) : QDialog(parent) {
  setObjectName("keysDialog");
  setWindowTitle(tr("Guide and keys"));
  resize(980, 620);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(16, 14, 16, 14);
  column->setSpacing(10);
  search_ = new QLineEdit(this);
  search_->setObjectName("keysSearch");
  search_->setAccessibleName(tr("Search keys and guide"));
  search_->setPlaceholderText(tr("a key, or what it does"));
  search_->setClearButtonEnabled(true);
  column->addWidget(search_);
  auto* halves = new QSplitter(this);
  keys_ = new QTreeWidget(halves);
  keys_->setObjectName("keysList");
  keys_->setAccessibleName(tr("Keys"));
  keys_->setColumnCount(2);
  keys_->setHeaderLabels({tr("Keys"), tr("What they do")});
  keys_->setRootIsDecorated(false);
  keys_->setIndentation(10);
  guide_ = new QTextBrowser(halves);
  guide_->setObjectName("guide");
  guide_->setAccessibleName(tr("Guide"));
  guide_->setOpenExternalLinks(true);
  QFile file(":/guide/guide.md");
  if (file.open(QIODevice::ReadOnly)) guide_->setMarkdown(QString::fromUtf8(file.readAll()));
  column->addWidget(halves, 1);
  auto* foot = new QDialogButtonBox(QDialogButtonBox::Close, this);
  connect(foot, &QDialogButtonBox::rejected, this, &QDialog::reject);
  column->addWidget(foot);
  for (const KeysSection& section : sections) {
    auto* head = new QTreeWidgetItem(keys_, {section.title});
    head->setFirstColumnSpanned(true);
    head->setFont(0, textFont(13, QFont::DemiBold));
    for (const KeyWords& each : section.keys) new QTreeWidgetItem(head, {each.keys, each.words});
  }
  keys_->expandAll();
  keys_->header()->setSectionResizeMode(0, QHeaderView::ResizeToContents);
  keys_->setCurrentItem(keys_->topLevelItem(0));
  connect(search_, &QLineEdit::textChanged, this, &KeysDialog::filter);
  search_->setFocus();
}

void KeysDialog::filter(const QString& words) {
  for (int i = 0; i < keys_->topLevelItemCount(); ++i) {
    QTreeWidgetItem* head = keys_->topLevelItem(i);
    const bool whole = head->text(0).contains(words, Qt::CaseInsensitive);
    bool any = false;
    for (int k = 0; k < head->childCount(); ++k) {
      QTreeWidgetItem* item = head->child(k);
      const bool fits = whole || item->text(0).contains(words, Qt::CaseInsensitive) ||
                        item->text(1).contains(words, Qt::CaseInsensitive);
      item->setHidden(!fits);
      any = any || fits;
    }
    head->setHidden(!any);
  }
  guide_->moveCursor(QTextCursor::Start);
  if (!words.isEmpty()) guide_->find(words);
}

}  // namespace imprimo::app
