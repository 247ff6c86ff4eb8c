// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/sheet/page_tokens.h"

#include <QCoreApplication>
#include <algorithm>
#include <utility>

#include "core/base/json.h"

namespace imprimo::app {
namespace {

using sheet::KeyRow;
using sheet::Place;
using sheet::SheetJson;
using sheet::ValueKind;

constexpr int kMargin = 20, kIndent = 22, kLine = 24, kGap = 18, kSection = 40, kBetween = 8, kPad = 8;

QString tr(const char* text) {
  return QCoreApplication::translate("SheetPage", text);
}

QString singular(const QString& words) {
  if (words.endsWith("ies")) return words.chopped(3) + "y";
  return words.startsWith("files of ") ? "file of a device" : words.endsWith('s') ? words.chopped(1) : words;
}

std::span<const KeyRow>::iterator rowOf(std::span<const KeyRow> rows, const std::string& key) {
  return std::find_if(rows.begin(), rows.end(), [&](const KeyRow& row) { return row.key == key; });
}

/// Writes blocks while it walks over the sheet.
class PageWriter {
 public:
  PageWriter(const SheetJson& root, const std::optional<PageTrouble>& trouble) : root_(root), trouble_(trouble) {}

  SheetPageContent write() {
    section(tr("Board"));
    PageBlock board;
    for (const KeyRow& row : sheet::sheetKeys()) {
      if (row.kind == ValueKind::List || row.kind == ValueKind::Kept) continue;
      if (row.kind == ValueKind::Object) {
        object(board, row.inside(), Place{row.key}, {});
        // One place for all that can be added to the board.
        if (!board.tokens.empty() && board.tokens.back().kind == PageToken::AddKey &&
            board.tokens.back().place == Place{row.key})
          board.tokens.pop_back();
      } else {
        value(board, row, root_, Place{row.key}, {}, row.key == std::string("title"));
      }
    }
    PageToken add;
    add.kind = PageToken::AddKey;
    add.label = "+";
    board.tokens.push_back(std::move(add));
    page_.blocks.push_back(std::move(board));
    const auto ofBoard = std::exchange(inner_, {});
    for (const KeyRow& row : sheet::sheetKeys()) {
      if (row.kind == ValueKind::List) list(row, Place{row.key}, 0, true);
    }
    for (const auto& [row, at] : ofBoard) list(*row, at, 0, true);
    foreign();
    return std::move(page_);
  }

 private:
  void section(const QString& heading) {
    PageBlock block;
    block.heading = heading;
    page_.blocks.push_back(std::move(block));
  }

  QString troubleAt(const Place& place) const {
    return trouble_ && trouble_->path == place.text() ? trouble_->words : QString();
  }

  static QString text(const SheetJson& value) { return QString::fromStdString(sheet::valueText(value)); }

  /// A key with its value, if it is there or has to be.
  void value(PageBlock& block, const KeyRow& row, const SheetJson& object, const Place& place, const QString& before,
             bool title = false) {
    const bool there = object.is_object() && object.contains(row.key);
    const QString trouble = troubleAt(place);
    if (!there && !row.needed && trouble.isEmpty()) return;
    PageToken token;
    token.kind = there ? PageToken::Value : PageToken::Missing;
    token.place = place;
    token.label = before + tr(row.words);
    token.value = !there ? tr("missing")
                  : row.kind == ValueKind::Kept && object[row.key].is_object()
                      ? QString::fromStdString(object[row.key].value("name", std::string("…")))
                      : text(object[row.key]);
    token.trouble = trouble;
    token.row = &row;
    token.title = title;
    block.tokens.push_back(std::move(token));
  }

  /// The keys of an object in the block of what it belongs to; lists in it stand in blocks of their own behind it.
  void object(PageBlock& block, std::span<const KeyRow> rows, const Place& place, const QString& before) {
    const SheetJson* there = sheet::valueAt(root_, place);
    static const SheetJson kNothing = SheetJson::object();
    const SheetJson& json = there != nullptr ? *there : kNothing;
    if (json.is_object()) {
      // In the order of the file, then what is missing.
      for (const auto& [key, inner] : json.items()) {
        const auto row = rowOf(rows, key);
        if (row == rows.end()) {
          PageToken token;
          token.kind = PageToken::Foreign;
          token.place = place / key;
          token.label = QString::fromStdString(key);
          token.value = text(inner).left(60);
          block.tokens.push_back(std::move(token));
        } else {
          member(block, *row, json, place, before);
        }
      }
    }
    for (const KeyRow& row : rows) {
      if (json.is_object() && json.contains(row.key)) continue;
      const bool structured = row.kind == ValueKind::Object || row.kind == ValueKind::List;
      if (structured && troubleAt(place / std::string(row.key)).isEmpty()) continue;
      value(block, row, json, place / std::string(row.key), before);
    }
    if (const QString trouble = troubleAt(place); !trouble.isEmpty() && block.tokens.empty()) {
      PageToken token;
      token.kind = PageToken::Missing;
      token.place = place;
      token.label = before;
      token.value = trouble;
      block.tokens.push_back(std::move(token));
    }
    const bool more = std::any_of(rows.begin(), rows.end(), [&](const KeyRow& row) {
      return row.kind != ValueKind::Kept && !(json.is_object() && json.contains(row.key));
    });
    if (!more) return;
    PageToken add;
    add.kind = PageToken::AddKey;
    add.place = place;
    add.label = "+";
    add.value = before.chopped(std::min<qsizetype>(2, before.size()));
    block.tokens.push_back(std::move(add));
  }

  void member(PageBlock& block, const KeyRow& row, const SheetJson& json, const Place& place, const QString& before) {
    const Place at = place / std::string(row.key);
    if (row.kind == ValueKind::Object) {
      object(block, row.inside(), at, tr(row.words) + ": ");
    } else if (row.kind == ValueKind::List) {
      inner_.push_back({&row, at});
    } else if (row.kind == ValueKind::Levels && json[row.key].is_object()) {
      for (const auto& [port, level] : json[row.key].items()) {
        PageToken token;
        token.place = at / port;
        token.label = before + QString::fromStdString(port);
        token.value = text(level);
        token.trouble = troubleAt(token.place);
        token.row = &row;
        block.tokens.push_back(std::move(token));
      }
      PageToken add;
      add.kind = PageToken::AddKey;
      add.place = at;
      add.label = "+";
      add.value = tr(row.words);
      block.tokens.push_back(std::move(add));
    } else {
      value(block, row, json, at, before, row.kind == ValueKind::Name);
    }
  }

  void list(const KeyRow& row, const Place& place, int indent, bool heading) {
    if (heading) section(tr(row.words));
    const SheetJson* there = sheet::valueAt(root_, place);
    const std::size_t count = there != nullptr && there->is_array() ? there->size() : 0;
    for (std::size_t i = 0; i < count; ++i) {
      const std::size_t before = inner_.size();
      PageBlock block;
      block.indent = indent;
      block.entry = place / i;
      object(block, row.inside(), place / i, {});
      page_.blocks.push_back(std::move(block));
      // Lists of the entry.
      const auto innerOnes = std::vector(inner_.begin() + static_cast<std::ptrdiff_t>(before), inner_.end());
      inner_.resize(before);
      for (const auto& [innerRow, at] : innerOnes) list(*innerRow, at, indent + 1, false);
    }
    PageBlock end;
    end.indent = indent;
    PageToken add;
    add.kind = PageToken::AddEntry;
    add.place = place;
    add.label = "+";
    add.value = singular(tr(row.words));
    add.trouble = troubleAt(place);
    end.tokens.push_back(std::move(add));
    page_.blocks.push_back(std::move(end));
  }

  void foreign() {
    PageBlock block;
    for (const auto& [key, inner] : root_.items()) {
      const auto rows = sheet::sheetKeys();
      if (rowOf(rows, key) != rows.end()) continue;
      PageToken token;
      token.kind = PageToken::Foreign;
      token.place = Place{key};
      token.label = QString::fromStdString(key);
      token.value = text(inner).left(60);
      block.tokens.push_back(std::move(token));
    }
    if (block.tokens.empty()) return;
    section(tr("Other keys, which are kept"));
    page_.blocks.push_back(std::move(block));
  }

  const SheetJson& root_;
  const std::optional<PageTrouble>& trouble_;
  SheetPageContent page_;
  std::vector<std::pair<const KeyRow*, Place>> inner_;  // lists inside the entry that is being written
};

}  // namespace

std::vector<const PageToken*> SheetPageContent::tokens() const {
  std::vector<const PageToken*> all;
  for (const PageBlock& block : blocks) {
    for (const PageToken& token : block.tokens) all.push_back(&token);
  }
  return all;
}

const PageToken* SheetPageContent::at(QPoint point) const {
  for (const PageToken* token : tokens()) {
    if (token->rect.contains(point)) return token;
  }
  return nullptr;
}

SheetPageContent pageOf(const sheet::SheetJson& root, const std::optional<PageTrouble>& trouble) {
  return PageWriter(root, trouble).write();
}

void layOut(SheetPageContent& page, int width, const std::function<int(const QString&, bool)>& advance) {
  int y = kMargin;
  for (PageBlock& block : page.blocks) {
    const int top = y;
    if (!block.heading.isEmpty()) {
      y += kSection;
      block.rect = QRect(kMargin, top, width - 2 * kMargin, kSection);
      continue;
    }
    const int left = kMargin + block.indent * kIndent;
    int x = left;
    bool first = true;
    for (PageToken& token : block.tokens) {
      const int room = width - kMargin - left;
      const int wide = std::min(room, advance(token.label, false) + 6 + advance(token.value, true) + kPad +
                                          (token.trouble.isEmpty() ? 0 : advance("  ✕ " + token.trouble, false)));
      if (!first && x + wide > width - kMargin) {
        x = left + kIndent;
        y += kLine;
      }
      token.rect = QRect(x, y, wide, kLine - 2);
      x += wide + kGap;
      first = false;
    }
    y += kLine + kBetween;
    block.rect = QRect(left, top, width - kMargin - left, y - top - kBetween);
  }
  page.height = y + kMargin;
}

sheet::SheetJson freshValue(const KeyRow& row) {
  switch (row.kind) {
    case ValueKind::Flag:
      return true;
    case ValueKind::Choice:
      return row.choices.front();
    case ValueKind::List:
      return SheetJson::array();
    default:
      return nullptr;
  }
}

sheet::SheetJson freshEntry(const SheetJson& root, const Place& list) {
  SheetJson entry = SheetJson::object();
  const std::string name = std::get<std::string>(list.steps().front());
  const auto first = [&](const char* of) -> SheetJson {
    if (!root.contains(of) || root[of].empty()) return nullptr;
    return root[of][0].value("name", std::string());
  };
  for (const KeyRow& row : sheet::keysAt(list.kind() + "[]")) {
    if (!row.needed) continue;
    SheetJson value;
    if (row.kind == ValueKind::Name) {
      value = sheet::freeName(root, name, name == "chain" ? "device" : name == "cores" ? "core" : "memory");
    } else if (row.kind == ValueKind::Choice) {
      value = row.choices.front();
    } else if (row.kind == ValueKind::Memory) {
      value = first("memories");
    } else if (row.kind == ValueKind::Device) {
      value = first("chain");
    }
    if (!value.is_null() && value != SheetJson(std::string())) entry[row.key] = std::move(value);
  }
  if (name == "memories" && list.steps().size() == 1) entry["route"] = {{"via", "bridge"}};
  return entry;
}

}  // namespace imprimo::app
