// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/library/library_view.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QVBoxLayout>

#include "app/look/small_widgets.h"

namespace imprimo::app {

LibraryView::LibraryView(const ViewContext& context, QWidget* parent)
    : QWidget(parent), bench_(context.bench), leave_([show = context.show] { show("bench"); }) {
  setObjectName("page");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(16, 12, 14, 10);
  column->setSpacing(8);
  auto* head = new QHBoxLayout;
  auto* title = new QLabel(tr("Library"), this);
  title->setFont(textFont(16, QFont::DemiBold));
  words_ = mutedLabel(this, {});
  words_->setObjectName("libraryWords");
  search_ = new QLineEdit(this);
  search_->setObjectName("librarySearch");
  search_->setPlaceholderText(tr("Search: a name, an IDCODE, a kind"));
  search_->setAccessibleName(tr("Search the library"));
  search_->setFont(textFont(13));
  search_->setFixedWidth(280);
  search_->installEventFilter(this);
  auto* add = smallButton(this, tr("add files…"), tr("Add BSDL files, cards or packs"));
  auto* folder =
      smallButton(this, tr("add a folder…"), tr("A folder, on a shared drive perhaps, that is looked through"));
  remove_ = smallButton(this, tr("remove"), tr("Take it out of the library (Delete)"));
  remove_->setObjectName("libraryRemove");
  auto* back = smallButton(this, tr("back to the bench"), tr("Back to the bench (Escape)"));
  head->addWidget(title);
  head->addWidget(words_);
  head->addStretch(1);
  for (QWidget* each : std::initializer_list<QWidget*>{search_, add, folder, remove_, back}) head->addWidget(each);
  column->addLayout(head);
  rows_ = new LibraryRows(bench_, this);
  list_ = new QListView(this);
  list_->setObjectName("libraryList");
  list_->setAccessibleName(tr("What the library has"));
  list_->setModel(rows_);
  list_->setItemDelegate(new LibraryPainter(list_));
  list_->setUniformItemSizes(false);
  list_->setLayoutMode(QListView::Batched);
  list_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  empty_ = mutedLabel(this, {});
  empty_->setObjectName("libraryEmpty");
  empty_->setAlignment(Qt::AlignCenter);
  empty_->setWordWrap(true);
  column->addWidget(empty_, 1);
  column->addWidget(list_, 1);
  column->addWidget(mutedLabel(this, tr("Files and folders can be dropped anywhere on the window; what a file is, is "
                                        "seen from what it holds.")));
  connect(search_, &QLineEdit::textChanged, rows_, &LibraryRows::setFilter);
  connect(add, &QToolButton::clicked, this, &LibraryView::add);
  connect(folder, &QToolButton::clicked, this, &LibraryView::addFolder);
  connect(remove_, &QToolButton::clicked, this, &LibraryView::removeChosen);
  connect(back, &QToolButton::clicked, this, leave_);
  connect(rows_, &QAbstractItemModel::modelReset, this, &LibraryView::refresh);
  connect(list_->selectionModel(), &QItemSelectionModel::currentChanged, this, &LibraryView::refresh);
  refresh();
}

void LibraryView::entered() {
  bench_.library().refresh();
  search_->setFocus();
}

void LibraryView::refresh() {
  const std::size_t all = bench_.library().catalog().all().size();
  words_->setText(!bench_.library().isRead() ? tr("is being read …")
                  : rows_->count() < all     ? tr("%1 of %2 descriptions").arg(rows_->count()).arg(all)
                                             : tr("%1 descriptions").arg(all));
  const bool nothing = rows_->rowCount() == 0;
  empty_->setVisible(nothing);
  list_->setVisible(!nothing);
  empty_->setText(all > 0
                      ? tr("Nothing has all these words.")
                      : tr("BSDL files of devices, cards and packs belong here.\nDrop them on the window, or a folder "
                           "that has them, and devices are known by themselves."));
  const LibraryRows::Row* row = chosen();
  const bool own = row != nullptr && (row->kind == LibraryRows::Row::Folder ||
                                      (row->kind == LibraryRows::Row::Entry && rows_->description(*row).own));
  remove_->setEnabled(own);
}

const LibraryRows::Row* LibraryView::chosen() const {
  const QModelIndex index = list_->currentIndex();
  return index.isValid() ? &rows_->row(index.row()) : nullptr;
}

void LibraryView::add() {
  const QStringList files = QFileDialog::getOpenFileNames(
      this, tr("Add to the library"), {}, tr("Descriptions (*.bsd *.bsdl *.json *.pack *.BSD *.BSDL);;All files (*)"));
  if (!files.isEmpty()) bench_.library().add(files);
}

void LibraryView::addFolder() {
  const QString folder = QFileDialog::getExistingDirectory(this, tr("A folder of the library"));
  if (!folder.isEmpty()) bench_.library().add({folder});
}

void LibraryView::removeChosen() {
  const LibraryRows::Row* row = chosen();
  if (row == nullptr || !remove_->isEnabled()) return;
  if (row->kind == LibraryRows::Row::Folder) return bench_.library().removeFolder(row->title);
  bench_.library().remove(rows_->description(*row));
}

bool LibraryView::eventFilter(QObject* watched, QEvent* event) {
  if (watched == search_ && event->type() == QEvent::KeyPress) {
    const auto* key = static_cast<QKeyEvent*>(event);
    if (key->key() == Qt::Key_Down && rows_->rowCount() > 0) {
      list_->setFocus();
      const LibraryRows::Row* row = chosen();
      for (int i = 0; i < rows_->rowCount() && (row == nullptr || row->kind == LibraryRows::Row::Heading); ++i) {
        list_->setCurrentIndex(rows_->index(i, 0));
        row = chosen();
      }
      return true;
    }
  }
  return QWidget::eventFilter(watched, event);
}

void LibraryView::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Delete) return removeChosen();
  if (event->key() == Qt::Key_Escape) {
    if (search_->text().isEmpty()) return leave_();
    search_->clear();
    return;
  }
  QWidget::keyPressEvent(event);
}

View* makeLibraryView(const ViewContext& context, QWidget* parent) {
  return new LibraryView(context, parent);
}

}  // namespace imprimo::app
