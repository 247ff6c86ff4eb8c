// SPDX-License-Identifier: GPL-3.0-or-later
#include "records/search_sql.h"

#include <QDate>

namespace imprimo::records {

void Condition::add(const std::string& more, const Cell& value) {
  sql += " AND " + more;
  values.push_back(value);
}

Condition ofWords(const Search& search) {
  Condition condition;
  if (!search.title.empty()) condition.add("title = ?", search.title);
  if (!search.station.empty()) condition.add("station = ?", search.station);
  if (search.result == "good" || search.result == "bad") {
    // In the table of counts each result is good or is not.
    condition.add(search.result == "good" ? "good > 0" : "good = 0");
  } else if (!search.result.empty()) {
    condition.add("result = ?", search.result);
  }
  return condition;
}

Condition ofDays(const Search& search) {
  Condition condition = ofWords(search);
  if (!search.from.empty()) condition.add("day >= ?", search.from);
  if (!search.to.empty()) condition.add("day <= ?", search.to);
  return condition;
}

std::string dayAfter(const std::string& day) {
  const QDate date = QDate::fromString(QString::fromStdString(day), Qt::ISODate);
  if (!date.isValid()) throw Error(ErrorKind::Usage, "'" + day + "' is no day", "It is like 2026-11-30.");
  return date.addDays(1).toString(Qt::ISODate).toStdString();
}

}  // namespace imprimo::records
