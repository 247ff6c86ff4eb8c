// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAbstractListModel>
#include <QStringList>

#include "app/session/store_thread.h"
#include "records/record_store.h"

namespace imprimo::app {

/// Records that a search finds, the newest first, page by page, and what all of them come to. The store is asked on a
/// thread of its own; an answer to an earlier search is dropped.
class RecordsModel : public QAbstractListModel {
  Q_OBJECT
 public:
  RecordsModel(StoreThread& store, QObject* parent);

  const records::Search& search() const { return search_; }
  void setSearch(const records::Search& search);
  void refresh();

  const records::KeptRecord& record(int row) const { return records_.at(static_cast<std::size_t>(row)); }
  int rowOf(const std::string& id) const;  ///< -1: it is not in the list
  std::uint64_t total() const { return total_; }
  const std::vector<records::DayCount>& days() const { return days_; }
  const std::vector<std::pair<std::string, std::uint64_t>>& failures() const { return failures_; }
  const QStringList& titles() const { return titles_; }
  const QStringList& stations() const { return stations_; }
  /// "sqlite:/home/…"
  const QString& where() const { return where_; }
  /// Why there is no answer; empty otherwise.
  const QString& problem() const { return problem_; }
  bool isRead() const { return isRead_; }

  /// Reads whole records; `then` is called with their texts, in this order.
  void readTexts(const std::vector<std::string>& ids, const std::function<void(const std::vector<std::string>&)>& then);
  /// Writes all that the search finds to a file, CSV by that ending, else JSON; exported() says what came of it.
  void exportTo(const QString& file);

  int rowCount(const QModelIndex& parent = {}) const override;
  QVariant data(const QModelIndex& index, int role) const override;
  bool canFetchMore(const QModelIndex& parent) const override;
  void fetchMore(const QModelIndex& parent) override;

 signals:
  void answered();
  void exported(const QString& text, bool trouble);

 private:
  void take(std::vector<records::KeptRecord> page, bool first);

  StoreThread& store_;
  records::Search search_;
  std::vector<records::KeptRecord> records_;
  std::vector<records::DayCount> days_;
  std::vector<std::pair<std::string, std::uint64_t>> failures_;
  QStringList titles_, stations_;
  QString where_, problem_;
  std::uint64_t total_ = 0;
  bool isRead_ = false, more_ = false, asking_ = false;
  quint64 asked_ = 0;
};

}  // namespace imprimo::app
