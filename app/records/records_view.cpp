// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/records/records_view.h"

#include <QDate>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QSplitter>

#include "app/look/small_widgets.h"
#include "app/records/record_painter.h"
#include "app/records/record_report.h"
#include "app/session/help_words.h"
#include "core/base/number.h"
#include "records/store_address.h"

namespace imprimo::app {
namespace {

QLineEdit* field(QWidget* parent, const char* name, const QString& words, int width) {
  auto* edit = new QLineEdit(parent);
  edit->setObjectName(name);
  edit->setPlaceholderText(words);
  edit->setAccessibleName(words);
  edit->setFont(textFont(13));
  edit->setFixedWidth(width);
  edit->setClearButtonEnabled(true);
  return edit;
}

QComboBox* choice(QWidget* parent, const char* name, const QString& words, int width) {
  auto* box = new QComboBox(parent);
  box->setObjectName(name);
  box->setAccessibleName(words);
  box->addItem(words);
  box->setFont(textFont(13));
  box->setFixedWidth(width);
  return box;
}

/// The first entry of a choice is all of them.
std::string chosenOf(const QComboBox* box) {
  return box->currentIndex() <= 0 ? std::string() : box->currentText().toStdString();
}

/// The same entries keep what is chosen.
void fill(QComboBox* box, const QStringList& texts) {
  QStringList now;
  for (int i = 1; i < box->count(); ++i) now += box->itemText(i);
  if (now == texts) return;
  const QString chosen = box->currentIndex() <= 0 ? QString() : box->currentText();
  const QSignalBlocker quiet(box);
  while (box->count() > 1) box->removeItem(1);
  box->addItems(texts);
  box->setCurrentIndex(chosen.isEmpty() ? 0 : std::max(0, box->findText(chosen)));
}

}  // namespace

RecordsView::RecordsView(const ViewContext& context, QWidget* parent)
    : QWidget(parent), bench_(context.bench), records_(new RecordsModel(context.bench.store(), this)) {
  setObjectName("page");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(16, 12, 14, 8);
  column->setSpacing(8);
  days_ = new DayStrip(this);
  column->addWidget(days_);
  column->addWidget(searchRow());
  auto* split = new QSplitter(Qt::Horizontal, this);
  split->setChildrenCollapsible(false);
  split->setHandleWidth(12);
  list_ = new QListView(split);
  list_->setObjectName("recordList");
  list_->setAccessibleName(tr("Runs, the newest first"));
  list_->setModel(records_);
  list_->setItemDelegate(new RecordPainter(list_));
  list_->setUniformItemSizes(true);
  list_->setSelectionMode(QAbstractItemView::ExtendedSelection);
  list_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  list_->setMinimumWidth(380);
  list_->setFrameShape(QFrame::NoFrame);
  side_ = new QStackedWidget(split);
  page_ = new QTextBrowser(side_);
  page_->setObjectName("recordPage");
  page_->setAccessibleName(tr("The record"));
  page_->setOpenLinks(false);
  page_->setFrameShape(QFrame::NoFrame);
  page_->document()->setDefaultFont(textFont(13));
  page_->document()->setDocumentMargin(14);
  figures_ = new Figures(side_);
  empty_ = mutedLabel(side_, {});
  empty_->setObjectName("recordsEmpty");
  empty_->setAlignment(Qt::AlignCenter);
  empty_->setWordWrap(true);
  for (QWidget* each : std::initializer_list<QWidget*>{page_, figures_, empty_}) side_->addWidget(each);
  split->setStretchFactor(0, 4);
  split->setStretchFactor(1, 5);
  split->setSizes({560, 640});
  column->addWidget(split, 1);
  column->addWidget(storeRow());
  connect(records_, &RecordsModel::answered, this, &RecordsView::refresh);
  connect(records_, &RecordsModel::exported, &bench_, &Workbench::message);
  connect(list_->selectionModel(), &QItemSelectionModel::selectionChanged, this, &RecordsView::showChosen);
  connect(days_, &DayStrip::dayChosen, this, [this](const QString& day) {
    from_->setText(day);
    to_->setText(day);
    search();
  });
  connect(&bench_.session(), &BenchSession::runFinished, this, [this] {
    if (isVisible()) records_->refresh();
  });
  refresh();
}

QWidget* RecordsView::searchRow() {
  auto* row = new QWidget(this);
  auto* line = new QHBoxLayout(row);
  line->setContentsMargins(0, 0, 0, 0);
  line->setSpacing(6);
  unit_ = field(row, "recordUnit", tr("unit or its number"), 140);
  title_ = choice(row, "recordTitle", tr("all sheets"), 170);
  station_ = choice(row, "recordStation", tr("all stations"), 110);
  result_ = choice(row, "recordResult", tr("all results"), 100);
  result_->addItems({"good", "bad"});
  from_ = field(row, "recordFrom", tr("from day"), 104);
  to_ = field(row, "recordTo", tr("to day"), 104);
  count_ = mutedLabel(row, {});
  count_->setObjectName("recordCount");
  figuresButton_ = smallButton(row, tr("figures"), tr("Good runs and their time over days, and where runs failed"));
  figuresButton_->setObjectName("recordFigures");
  figuresButton_->setCheckable(true);
  report_ = smallButton(row, tr("report…"), tr("The record that is looked at as a page of PDF, with a line to sign"));
  report_->setObjectName("recordReport");
  all_ = smallButton(row, tr("export…"), tr("All that is found, as CSV or JSON"));
  all_->setObjectName("recordExport");
  for (QWidget* each : std::initializer_list<QWidget*>{unit_, title_, station_, result_, from_, to_, count_})
    line->addWidget(each);
  line->addStretch(1);
  for (QWidget* each : {figuresButton_, report_, all_}) line->addWidget(each);
  for (QLineEdit* each : {unit_, from_, to_}) {
    connect(each, &QLineEdit::editingFinished, this, &RecordsView::search);
    connect(each, &QLineEdit::textChanged, this, [this](const QString& text) {
      if (text.isEmpty()) search();  // the button that clears it
    });
  }
  for (QComboBox* each : {title_, station_, result_})
    connect(each, &QComboBox::currentTextChanged, this, &RecordsView::search);
  connect(figuresButton_, &QToolButton::toggled, this, &RecordsView::refresh);
  connect(report_, &QToolButton::clicked, this, [this] { chooseFile(tr("PDF (*.pdf)")); });
  connect(all_, &QToolButton::clicked, this, [this] { chooseFile(tr("CSV (*.csv);;JSON (*.json)")); });
  return row;
}

QWidget* RecordsView::storeRow() {
  auto* row = new QWidget(this);
  auto* line = new QHBoxLayout(row);
  line->setContentsMargins(0, 0, 0, 0);
  where_ = mutedLabel(row, {});
  where_->setObjectName("recordStore");
  where_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  auto* change = smallButton(row, tr("another store…"),
                             tr("Where records and numbers are kept: sqlite:FILE or postgresql:CONNECTION"));
  change->setObjectName("changeStore");
  store_ = field(row, "storeAddress", tr("sqlite:FILE or postgresql:CONNECTION; nothing: the usual file"), 460);
  store_->hide();
  line->addWidget(where_);
  line->addWidget(store_);
  line->addWidget(change);
  line->addStretch(1);
  connect(change, &QToolButton::clicked, this, [this] {
    store_->setVisible(!store_->isVisible());
    store_->setText(QString::fromStdString(records::storeSetting()));
    if (store_->isVisible()) store_->setFocus();
  });
  connect(store_, &QLineEdit::returnPressed, this, &RecordsView::takeStore);
  return row;
}

void RecordsView::takeStore() {
  try {
    records::setStoreSetting(store_->text().trimmed().toStdString());
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
    return;
  }
  store_->hide();
  list_->setFocus();
  bench_.store().reopen();
  bench_.units().refresh();
  records_->refresh();
}

void RecordsView::entered() {
  records_->refresh();
  list_->setFocus();
}

void RecordsView::search() {
  if (refreshing_) return;
  records::Search search;
  search.unit = unit_->text().trimmed().toStdString();
  search.title = chosenOf(title_);
  search.station = chosenOf(station_);
  search.result = chosenOf(result_);
  search.from = from_->text().trimmed().toStdString();
  search.to = to_->text().trimmed().toStdString();
  for (QLineEdit* each : {from_, to_}) {
    const bool good =
        each->text().trimmed().isEmpty() || QDate::fromString(each->text().trimmed(), Qt::ISODate).isValid();
    setRole(each, good ? "" : "trouble");
    if (!good) {
      emit bench_.message(tr("'%1' is no day; it is like 2026-11-30.").arg(each->text().trimmed()), true);
      return;
    }
  }
  records_->setSearch(search);
}

void RecordsView::refresh() {
  refreshing_ = true;
  fill(title_, records_->titles());
  fill(station_, records_->stations());
  refreshing_ = false;
  const records::Search& search = records_->search();
  days_->setDays(records_->days(), search.from == search.to ? search.from : std::string());
  figures_->show(records_->days(), records_->failures());
  count_->setText(!records_->isRead() ? tr("…") : QString::fromStdString(countText(records_->total(), "run")));
  where_->setText(records_->where().isEmpty() ? QString() : tr("Kept in %1").arg(records_->where()));
  const bool nothing = records_->rowCount() == 0;
  empty_->setText(!records_->problem().isEmpty() ? records_->problem()
                  : search == records::Search{}  ? tr("Every run leaves a record here: what was done to which board, "
                                                       "when, and what came of it.\nThere is none yet.")
                                                 : tr("No run is like that."));
  // What was chosen stays chosen while the list is made anew.
  if (!nothing && list_->selectionModel()->selectedIndexes().isEmpty()) {
    const int row = shown_.empty() ? 0 : std::max(0, records_->rowOf(shown_.front()));
    list_->setCurrentIndex(records_->index(row));
  }
  showChosen();
}

void RecordsView::showChosen() {
  const QModelIndexList chosen = list_->selectionModel()->selectedIndexes();
  report_->setEnabled(chosen.size() == 1);
  all_->setEnabled(records_->rowCount() > 0);
  if (figuresButton_->isChecked()) return side_->setCurrentWidget(figures_);
  if (chosen.isEmpty()) return side_->setCurrentWidget(empty_);
  side_->setCurrentWidget(page_);
  std::vector<std::string> ids;
  for (const QModelIndex& index : chosen) ids.push_back(records_->record(index.row()).id);
  if (ids.size() > 2) ids.resize(2);
  shown_ = ids;
  records_->readTexts(ids, [this, ids](const std::vector<std::string>& texts) {
    if (ids == shown_) takeText(texts);
  });
}

void RecordsView::takeText(const std::vector<std::string>& texts) {
  if (texts.size() == 2) {
    writeComparison(*page_->document(), texts[0], texts[1], ReportLook::window());
  } else if (texts.size() == 1) {
    text_ = texts[0];
    writeReport(*page_->document(), text_, ReportLook::window(), false);
  }
  page_->moveCursor(QTextCursor::Start);
}

void RecordsView::chooseFile(const QString& filter) {
  QString chosen;
  QString file = QFileDialog::getSaveFileName(this, tr("Export"), {}, filter, &chosen);
  if (file.isEmpty()) return;
  const QString ending = chosen.contains("pdf") ? ".pdf" : chosen.contains("csv") ? ".csv" : ".json";
  if (QFileInfo(file).suffix().isEmpty()) file += ending;
  exportTo(file);
}

void RecordsView::exportTo(const QString& file) {
  if (!file.endsWith(".pdf", Qt::CaseInsensitive)) return records_->exportTo(file);
  try {
    if (text_.empty()) throw Error(ErrorKind::Usage, "no record is looked at");
    printReport(text_, file);
    emit bench_.message(tr("The report is in %1.").arg(file), false);
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
  }
}

void RecordsView::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Escape) {
    refreshing_ = true;
    for (QLineEdit* each : {unit_, from_, to_}) each->clear();
    for (QComboBox* each : {title_, station_, result_}) each->setCurrentIndex(0);
    refreshing_ = false;
    search();
    return;
  }
  QWidget::keyPressEvent(event);
}

QList<KeyWords> RecordsView::keyWords() const {
  return {{tr("Left, Right"), tr("Days: the runs of one day")},
          {tr("Escape"), tr("Days: of all days")},
          {tr("Up, Down"), tr("Runs: the record of the next one")}};
}

View* makeRecordsView(const ViewContext& context, QWidget* parent) {
  return new RecordsView(context, parent);
}

}  // namespace imprimo::app
