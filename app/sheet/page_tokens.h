// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QRect>
#include <QString>
#include <functional>
#include <optional>
#include <vector>

#include "core/sheet/sheet_changes.h"
#include "core/sheet/sheet_keys.h"

namespace imprimo::app {

/// A piece of the sheet page that can be walked to: a value with its label, or a place where something can be added.
struct PageToken {
  enum Kind {
    Value,
    Missing,   ///< a key that has to be there
    Foreign,   ///< a key that this program does not know; it is kept
    AddKey,    ///< of the object at `place`
    AddEntry,  ///< of the list at `place`
  } kind = Value;
  sheet::Place place;
  QString label, value, trouble;
  const sheet::KeyRow* row = nullptr;  ///< null of what is added
  bool title = false;                  ///< the name of what its block tells of
  QRect rect;                          ///< after layOut()
};

/// A heading, or what is told of one thing: its tokens flow over as many lines as they take.
struct PageBlock {
  QString heading;  ///< of a section; empty otherwise
  int indent = 0;
  std::optional<sheet::Place> entry;  ///< of the entry of a list that it tells of
  std::vector<PageToken> tokens;
  QRect rect;
};

struct SheetPageContent {
  std::vector<PageBlock> blocks;
  int height = 0;
  /// In the order in which they are read.
  std::vector<const PageToken*> tokens() const;
  const PageToken* at(QPoint point) const;
};

/// What is wrong with one value: where, and why.
struct PageTrouble {
  std::string path;  ///< as sheet::Place::text() has it; empty: of the whole sheet
  QString words;
};

/// The sheet as a page: sections, entries, values. All keys that are there, those that have to be, and one place for
/// others in each object.
SheetPageContent pageOf(const sheet::SheetJson& root, const std::optional<PageTrouble>& trouble);

/// Gives everything its place on a page of this width. `advance` is the width of a text in the font of labels or, with
/// `value`, of values.
void layOut(SheetPageContent& page, int width, const std::function<int(const QString& text, bool value)>& advance);

/// A new entry of a list with what every one of its kind has: a free name, the first of its choices.
sheet::SheetJson freshEntry(const sheet::SheetJson& root, const sheet::Place& list);
/// A value to begin with for a key that is added; null: it has to be typed.
sheet::SheetJson freshValue(const sheet::KeyRow& row);

}  // namespace imprimo::app
