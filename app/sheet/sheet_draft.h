// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <memory>
#include <optional>

#include "app/model/workbench.h"
#include "app/sheet/page_tokens.h"
#include "core/base/json.h"

namespace imprimo::app {

/// The sheet while it is typed on the page. What makes a sheet is a change of the document at once; what does not, yet,
/// stays here with the reason until it does, or is dropped.
class SheetDraft : public QObject {
  Q_OBJECT
 public:
  explicit SheetDraft(Workbench& bench, QObject* parent = nullptr);

  const sheet::SheetJson& root() const { return root_; }
  /// Something is typed that is in no sheet yet.
  bool isPending() const { return trouble_.has_value(); }
  const std::optional<PageTrouble>& trouble() const { return trouble_; }

  /// `what` it is, for the history.
  void change(const QString& what, const std::function<void(sheet::SheetJson&)>& make);
  void drop();

 signals:
  void changed();

 private:
  void take();

  Workbench& bench_;
  sheet::SheetJson root_;
  std::optional<PageTrouble> trouble_;
  bool own_ = false;
};

}  // namespace imprimo::app
