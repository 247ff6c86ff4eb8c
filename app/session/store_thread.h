// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QPointer>
#include <QThread>
#include <functional>
#include <memory>

#include "records/database.h"

namespace imprimo::app {

/// The chosen store of records and numbers, open on a thread of its own: a server that is slow or away holds nothing
/// up. Questions are answered in order.
class StoreThread : public QObject {
  Q_OBJECT
 public:
  explicit StoreThread(QObject* parent = nullptr);
  ~StoreThread() override;

  /// Calls `work` there; what it returns is called here then. Where the store cannot answer, `failed` hears why.
  /// Neither is called once `asker` is gone.
  using Work = std::function<std::function<void()>(records::Database& database)>;
  void ask(QObject* asker, const Work& work, const std::function<void(const QString& why)>& failed);
  /// Another store was chosen.
  void reopen();

 private:
  struct Held;  // lives on the thread
  QThread thread_;
  QObject* there_;
  std::shared_ptr<Held> held_;
};

}  // namespace imprimo::app
