// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/sheet/sheet_draft.h"

#include "app/look/theme.h"
#include "app/session/help_words.h"

namespace imprimo::app {

SheetDraft::SheetDraft(Workbench& bench, QObject* parent) : QObject(parent), bench_(bench) {
  connect(&bench_.document(), &SheetDocument::historyChanged, this, &SheetDraft::take);
  take();
}

/// The document is another one, or was changed: what was pending was typed into another sheet.
void SheetDraft::take() {
  if (own_) return;
  root_ = bench_.document().isOpen() ? sheet::sheetJson(bench_.document().sheet()) : sheet::SheetJson::object();
  trouble_.reset();
  emit changed();
}

void SheetDraft::drop() {
  take();
}

void SheetDraft::change(const QString& what, const std::function<void(sheet::SheetJson&)>& make) {
  if (bench_.run().isRunning()) {
    emit bench_.message(tr("A run is under way; stop it first."), true);
    return;
  }
  sheet::SheetJson next = root_;
  make(next);
  root_ = std::move(next);
  try {
    sheet::Sheet sheet = sheet::sheetOf(root_, bench_.document().sheet());
    trouble_.reset();
    own_ = true;
    bench_.document().replace(what, std::move(sheet));
    own_ = false;
    take();
    return;
  } catch (const BadValue& e) {
    trouble_ = {e.path(), sentence(QString::fromStdString(e.sentence()))};
  } catch (const sheet::BadReference& e) {
    trouble_ = {e.path(), QString::fromStdString(e.what())};
  } catch (const Error& e) {
    trouble_ = {"", told(e)};
  }
  own_ = false;
  emit changed();
}

}  // namespace imprimo::app
