// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QStringList>
#include <functional>
#include <memory>
#include <thread>

#include "core/store/catalog.h"

namespace imprimo::app {

/// The user's library as the window knows it. Files and folders are read and added beside the window, one after
/// another.
class LibraryModel : public QObject {
  Q_OBJECT
 public:
  using QObject::QObject;
  ~LibraryModel() override;

  /// Empty until it was read for the first time.
  const store::Catalog& catalog() const { return *catalog_; }
  bool isRead() const { return read_; }
  bool isBusy() const { return busy_; }
  /// Reads it anew; changed() tells.
  void refresh();
  /// Whether a file or folder that is dropped may be for it.
  static bool accepts(const QString& path);
  /// Files are copied into it, folders are looked through from now on.
  void add(const QStringList& paths);
  void remove(const store::Description& description);
  void removeFolder(const QString& folder);

 signals:
  void changed();  ///< what it holds, or isBusy()
  void message(const QString& text, bool trouble);

 private:
  struct Outcome {
    std::vector<std::pair<QString, bool>> messages;
    std::shared_ptr<const store::Catalog> catalog;
  };
  using Work = std::function<void(Outcome&)>;
  void post(const Work& work);
  void next();
  void take(const Outcome& outcome);

  std::shared_ptr<const store::Catalog> catalog_ = std::make_shared<const store::Catalog>();
  std::vector<Work> waiting_;
  bool busy_ = false, read_ = false;
  std::jthread thread_;  // last: its work uses the rest
};

}  // namespace imprimo::app
