// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/keys_dialog.h"

#include <QDialogButtonBox>
#include <QHeaderView>
#include <QPushButton>
#include <QSplitter>
#include <QVBoxLayout>

#include "app/look/theme.h"

namespace imprimo::app {
namespace {

constexpr int kPage = Qt::UserRole;
constexpr int kKeysWidth = 150;

}  // namespace

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
  search_->setPlaceholderText(tr("a word, a key, or what it does"));
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
  guide_ = new GuideBrowser(halves);
  guide_->setObjectName("guide");
  guide_->setAccessibleName(tr("Guide"));
  halves->setSizes({420, 560});
  column->addWidget(halves, 1);
  auto* foot = new QDialogButtonBox(QDialogButtonBox::Close, this);
  foot->button(QDialogButtonBox::Close)->setIcon({});
  connect(foot, &QDialogButtonBox::rejected, this, &QDialog::reject);
  column->addWidget(foot);
  addPages();
  for (const KeysSection& section : sections) {
    auto* head = new QTreeWidgetItem(keys_, {section.title});
    head->setFirstColumnSpanned(true);
    head->setFont(0, textFont(13, QFont::DemiBold));
    for (const KeyWords& each : section.keys) {
      auto* item = new QTreeWidgetItem(head, {each.keys, each.words});
      item->setToolTip(0, each.keys);  // several keys for one thing may be cut
      item->setToolTip(1, each.words);
    }
  }
  keys_->expandAll();
  keys_->header()->resizeSection(0, kKeysWidth);
  keys_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  connect(keys_, &QTreeWidget::currentItemChanged, this, &KeysDialog::showItem);
  keys_->setCurrentItem(keys_->topLevelItem(0)->child(0));
  connect(search_, &QLineEdit::textChanged, this, &KeysDialog::filter);
  search_->setFocus();
}

void KeysDialog::addPages() {
  auto* head = new QTreeWidgetItem(keys_, {tr("Pages")});
  head->setFirstColumnSpanned(true);
  head->setFont(0, textFont(13, QFont::DemiBold));
  for (const GuidePage& page : guidePages()) {
    auto* item = new QTreeWidgetItem(head, {page.title});
    item->setFirstColumnSpanned(true);
    item->setData(0, kPage, page.url);
  }
}

void KeysDialog::showItem(const QTreeWidgetItem* item) {
  const QUrl url = item == nullptr ? QUrl() : item->data(0, kPage).toUrl();
  if (!url.isEmpty()) guide_->setSource(url);
  if (!url.isEmpty() && !search_->text().isEmpty()) guide_->find(search_->text());
}

void KeysDialog::filter(const QString& words) {
  for (int i = 0; i < keys_->topLevelItemCount(); ++i) {
    QTreeWidgetItem* head = keys_->topLevelItem(i);
    const bool whole = head->text(0).contains(words, Qt::CaseInsensitive);
    bool any = false;
    for (int k = 0; k < head->childCount(); ++k) {
      QTreeWidgetItem* item = head->child(k);
      const bool fits = whole || item->text(0).contains(words, Qt::CaseInsensitive) ||
                        item->text(1).contains(words, Qt::CaseInsensitive) ||
                        guideText(item->data(0, kPage).toUrl()).contains(words, Qt::CaseInsensitive);
      item->setHidden(!fits);
      any = any || fits;
    }
    head->setHidden(!any);
  }
  guide_->moveCursor(QTextCursor::Start);
  if (!words.isEmpty()) guide_->find(words);
}

}  // namespace imprimo::app
