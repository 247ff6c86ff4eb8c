// SPDX-License-Identifier: GPL-3.0-or-later
//
// What the sheet page says to readers: each value by its place in the sheet, and what can be added.
#include "app/sheet/sheet_page.h"

namespace imprimo::app {

int SheetPage::spokenCount() const {
  return static_cast<int>(page_.tokens().size());
}

SpokenItem SheetPage::spokenItem(int index) const {
  const PageToken& token = *page_.tokens()[static_cast<std::size_t>(index)];
  const bool adds = token.kind == PageToken::AddKey || token.kind == PageToken::AddEntry;
  const QString where = QString::fromStdString(token.place.text());
  SpokenItem item;
  item.name = adds ? tr("Add to %1").arg(where.isEmpty() ? tr("the sheet") : where)
                   : (token.label.isEmpty() ? token.value : token.label) + ", " + where;
  if (adds && !token.value.isEmpty()) item.name += ": " + token.value;
  item.value = adds ? QString() : token.value;
  if (token.kind == PageToken::Missing) item.value = tr("missing");
  if (token.kind == PageToken::Foreign) item.value += tr(", not known to this program, and kept");
  if (!token.trouble.isEmpty()) item.value += ", " + token.trouble;
  item.rect = token.rect;
  item.role = adds ? QAccessible::Button : QAccessible::ListItem;
  item.isSelected = index == spokenCurrent();
  return item;
}

int SheetPage::spokenCurrent() const {
  return current() == nullptr ? -1 : static_cast<int>(current_);
}

}  // namespace imprimo::app
