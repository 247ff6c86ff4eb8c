// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/library_model.h"

#include <QDir>
#include <QFileInfo>

#include "app/session/help_words.h"
#include "core/store/shared_folders.h"

namespace imprimo::app {
namespace {

QString name(const std::filesystem::path& file) {
  return QString::fromStdString(file.filename().string());
}

}  // namespace

LibraryModel::~LibraryModel() {
  if (thread_.joinable()) thread_.join();
}

void LibraryModel::post(const Work& work) {
  waiting_.push_back(work);
  if (!busy_) next();
}

void LibraryModel::next() {
  busy_ = true;
  std::vector<Work> all;
  all.swap(waiting_);
  thread_ = std::jthread([this, all] {
    Outcome outcome;
    for (const Work& work : all) {
      try {
        work(outcome);
      } catch (const Error& e) {
        outcome.messages.emplace_back(told(e), true);
      } catch (const std::exception& e) {
        outcome.messages.emplace_back(QString::fromStdString(e.what()), true);
      }
    }
    outcome.catalog = std::make_shared<const store::Catalog>(store::openCatalog());
    QMetaObject::invokeMethod(
        this, [this, outcome] { take(outcome); }, Qt::QueuedConnection);
  });
}

void LibraryModel::take(const Outcome& outcome) {
  busy_ = false;
  read_ = true;
  catalog_ = outcome.catalog;
  for (const auto& [text, trouble] : outcome.messages) emit message(text, trouble);
  if (!waiting_.empty()) next();
  emit changed();
}

void LibraryModel::refresh() {
  post([](Outcome&) {});
}

bool LibraryModel::accepts(const QString& path) {
  const QFileInfo info(path);
  if (info.isDir()) return true;
  const QString end = info.suffix().toLower();
  if (end == "bsd" || end == "bsdl" || end == "pack") return true;
  if (end != "json") return false;
  try {
    return store::recognise(path.toStdString()).has_value();
  } catch (const Error&) {
    return true;  // what is wrong with it is told when it is added
  }
}

void LibraryModel::add(const QStringList& paths) {
  post([paths](Outcome& outcome) {
    std::size_t files = 0, there = 0;
    QString last;
    for (const QString& path : paths) {
      try {
        if (QFileInfo(path).isDir()) {
          store::addSharedFolder(path.toStdString());
          outcome.messages.emplace_back(tr("%1 is a folder of the library from now on.").arg(path), false);
          continue;
        }
        const store::Added added = store::addDescription(path.toStdString());
        ++files;
        there += added.there ? 1 : 0;
        last = tr("%1 %2 (%3)")
                   .arg(store::nameOf(added.description.kind), QString::fromStdString(added.description.name),
                        QString::fromStdString(added.description.says));
      } catch (const Error& e) {
        outcome.messages.emplace_back(told(e), true);
      }
    }
    if (files == 1) {
      outcome.messages.emplace_back(
          there == 0 ? tr("In the library now: %1.").arg(last) : tr("In the library already: %1.").arg(last), false);
    } else if (files > 1) {
      outcome.messages.emplace_back(tr("%1 files are in the library now, %2 were there already.").arg(files).arg(there),
                                    false);
    }
  });
}

void LibraryModel::remove(const store::Description& description) {
  post([description](Outcome& outcome) {
    store::removeDescription(description);
    outcome.messages.emplace_back(tr("Removed %1 from the library.").arg(name(description.file)), false);
  });
}

void LibraryModel::removeFolder(const QString& folder) {
  post([folder](Outcome& outcome) {
    store::removeSharedFolder(folder.toStdString());
    outcome.messages.emplace_back(tr("%1 is no folder of the library any more.").arg(folder), false);
  });
}

}  // namespace imprimo::app
