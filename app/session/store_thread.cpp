// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/store_thread.h"

#include "app/session/help_words.h"
#include "records/store_seams.h"

namespace imprimo::app {

struct StoreThread::Held {
  std::unique_ptr<records::Database> database;

  records::Database& open() {
    if (!database) {
      database = std::make_unique<records::Database>(records::chosenStore());
      records::sendWaiting(*database);
    }
    return *database;
  }
};

StoreThread::StoreThread(QObject* parent) : QObject(parent), there_(new QObject), held_(std::make_shared<Held>()) {
  there_->moveToThread(&thread_);
  thread_.setObjectName("store");
  thread_.start();
}

StoreThread::~StoreThread() {
  // A connection is closed where it was opened.
  QMetaObject::invokeMethod(
      there_, [held = held_] { held->database.reset(); }, Qt::QueuedConnection);
  there_->deleteLater();
  thread_.quit();
  thread_.wait();
}

void StoreThread::ask(QObject* asker, const Work& work, const std::function<void(const QString&)>& failed) {
  QMetaObject::invokeMethod(
      there_,
      [this, held = held_, asker = QPointer<QObject>(asker), work, failed] {
        std::function<void()> then;
        const auto attempt = [&] { then = guarded([&] { return work(held->open()); }); };
        try {
          try {
            attempt();
          } catch (const records::ConnectionLost&) {
            held->database.reset();  // it may be back by now
            attempt();
          }
        } catch (const Error& e) {
          held->database.reset();
          then = [failed, why = told(e)] { failed(why); };
        } catch (const std::exception& e) {
          held->database.reset();
          then = [failed, why = QString::fromUtf8(e.what())] { failed(why); };
        }
        QMetaObject::invokeMethod(
            this,
            [asker, then] {
              if (asker && then) then();
            },
            Qt::QueuedConnection);
      },
      Qt::QueuedConnection);
}

void StoreThread::reopen() {
  QMetaObject::invokeMethod(
      there_, [held = held_] { held->database.reset(); }, Qt::QueuedConnection);
}

}  // namespace imprimo::app
