// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/records/records_model.h"

#include <QDateTime>
#include <QLocale>

#include "core/base/atomic_file.h"
#include "core/base/number.h"
#include "records/record_export.h"

namespace imprimo::app {
namespace {

constexpr std::size_t kPage = 200;

QStringList listOf(const std::vector<std::string>& texts) {
  QStringList list;
  for (const std::string& text : texts) list += QString::fromStdString(text);
  return list;
}

struct Found {
  std::vector<records::KeptRecord> page;
  std::uint64_t total = 0;
  std::vector<records::DayCount> days;
  std::vector<std::pair<std::string, std::uint64_t>> failures;
  QStringList titles, stations;
  QString where;
};

}  // namespace

RecordsModel::RecordsModel(StoreThread& store, QObject* parent) : QAbstractListModel(parent), store_(store) {}

void RecordsModel::setSearch(const records::Search& search) {
  if (search == search_ && isRead_) return;
  search_ = search;
  refresh();
}

void RecordsModel::refresh() {
  const quint64 number = ++asked_;
  asking_ = true;
  store_.ask(
      this,
      [this, number, search = search_](records::Database& database) -> std::function<void()> {
        records::RecordStore store(database);
        auto found = std::make_shared<Found>();
        found->page = store.find(search, kPage);
        found->total = store.count(search);
        records::Search allDays = search;
        allDays.from = allDays.to = "";  // a day is chosen among its neighbours
        found->days = store.days(allDays);
        found->failures = store.failures(search);
        found->titles = listOf(store.titles());
        found->stations = listOf(store.stations());
        found->where = QString::fromStdString(database.address().text());
        return [this, number, found] {
          if (number != asked_) return;
          total_ = found->total;
          days_ = found->days;
          failures_ = found->failures;
          titles_ = found->titles;
          stations_ = found->stations;
          where_ = found->where;
          problem_.clear();
          take(std::move(found->page), true);
        };
      },
      [this, number](const QString& why) {
        if (number != asked_) return;
        problem_ = why;
        total_ = 0;
        days_.clear();
        failures_.clear();
        take({}, true);
      });
}

void RecordsModel::take(std::vector<records::KeptRecord> page, bool first) {
  asking_ = false;
  more_ = page.size() == kPage;
  if (first) {
    beginResetModel();
    records_ = std::move(page);
    isRead_ = true;
    endResetModel();
    emit answered();
    return;
  }
  if (page.empty()) return;
  const int begin = static_cast<int>(records_.size());
  beginInsertRows({}, begin, begin + static_cast<int>(page.size()) - 1);
  records_.insert(records_.end(), std::make_move_iterator(page.begin()), std::make_move_iterator(page.end()));
  endInsertRows();
}

bool RecordsModel::canFetchMore(const QModelIndex& parent) const {
  return !parent.isValid() && more_ && !asking_;
}

void RecordsModel::fetchMore(const QModelIndex& parent) {
  if (!canFetchMore(parent) || records_.empty()) return;
  asking_ = true;
  const records::Behind behind{records_.back().started, records_.back().id};
  store_.ask(
      this,
      [this, number = asked_, search = search_, behind](records::Database& database) -> std::function<void()> {
        auto page = std::make_shared<std::vector<records::KeptRecord>>(
            records::RecordStore(database).find(search, kPage, behind));
        return [this, number, page] {
          if (number == asked_) take(std::move(*page), false);
        };
      },
      [this, number = asked_](const QString& why) {
        if (number != asked_) return;
        asking_ = more_ = false;
        problem_ = why;
        emit answered();
      });
}

void RecordsModel::readTexts(const std::vector<std::string>& ids,
                             const std::function<void(const std::vector<std::string>&)>& then) {
  store_.ask(
      this,
      [ids, then](records::Database& database) -> std::function<void()> {
        records::RecordStore store(database);
        std::vector<std::string> texts;
        texts.reserve(ids.size());
        for (const std::string& id : ids) texts.push_back(store.record(id).text);
        return [then, texts] { then(texts); };
      },
      [this](const QString& why) {
        problem_ = why;
        emit answered();
      });
}

void RecordsModel::exportTo(const QString& file) {
  store_.ask(
      this,
      [this, file, search = search_](records::Database& database) -> std::function<void()> {
        records::RecordStore store(database);
        std::string text;
        const auto write = [&](const std::string& more) { text += more; };
        if (file.endsWith(".csv", Qt::CaseInsensitive)) {
          records::exportCsv(store, search, write);
        } else {
          records::exportJson(store, search, write);
        }
        writeFileAtomically(file.toStdString(), text);
        const QString said =
            tr("%1 in %2.").arg(QString::fromStdString(countText(store.count(search), "record")), file);
        return [this, said] { emit exported(said, false); };
      },
      [this](const QString& why) { emit exported(why, true); });
}

int RecordsModel::rowOf(const std::string& id) const {
  for (std::size_t i = 0; i < records_.size(); ++i) {
    if (records_[i].id == id) return static_cast<int>(i);
  }
  return -1;
}

int RecordsModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : static_cast<int>(records_.size());
}

QVariant RecordsModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || (role != Qt::DisplayRole && role != Qt::AccessibleTextRole)) return {};
  const records::KeptRecord& r = record(index.row());
  QStringList words{QString::fromStdString(r.started), QString::fromStdString(r.result),
                    QString::fromStdString(r.target)};
  if (r.unit != 0) words += tr("unit %1").arg(r.unit);
  words += QString::fromStdString(r.title);
  return words.join(", ");
}

}  // namespace imprimo::app
