// SPDX-License-Identifier: GPL-3.0-or-later
//
// Changing the sheet on its page: typing over a value, adding and taking away.
#include <QFileDialog>
#include <QKeyEvent>
#include <QStringListModel>
#include <QStyle>
#include <algorithm>

#include "app/sheet/sheet_page.h"
#include "core/sheet/sheet_keys.h"

namespace imprimo::app {
namespace {

using sheet::Place;
using sheet::ValueKind;

constexpr const char* kNewPort = "PORT";  // where a port and its level are typed together

QString nameOf(const Place& place) {
  return QString::fromStdString(place.text());
}

/// The entry of a list that a place is in, the innermost; nothing where it is in none.
std::optional<std::pair<Place, std::size_t>> entryAround(const Place& place) {
  const auto& steps = place.steps();
  for (std::size_t i = steps.size(); i-- > 0;) {
    if (!std::holds_alternative<std::size_t>(steps[i])) continue;
    Place list;
    for (std::size_t k = 0; k < i; ++k) list = list / steps[k];
    return std::pair{list, std::get<std::size_t>(steps[i])};
  }
  return std::nullopt;
}

}  // namespace

void SheetPage::act() {
  const PageToken* token = current();
  if (token == nullptr) return;
  switch (token->kind) {
    case PageToken::AddEntry:
      return addEntry(Place(token->place));  // the page is made anew meanwhile, and its tokens with it
    case PageToken::AddKey:
      return openAddMenu(*token);
    case PageToken::Value:
    case PageToken::Missing:
      if (token->row == nullptr || token->row->kind == ValueKind::Kept) return;
      if (token->row->kind == ValueKind::Flag && token->kind == PageToken::Value) {
        const bool on = token->value == "yes";
        const Place at = token->place;
        return draft_.change(nameOf(at), [&](sheet::SheetJson& root) { sheet::setValue(root, at, !on); });
      }
      return edit(*token);
    case PageToken::Foreign:
      return;
  }
}

QStringList SheetPage::proposals(const PageToken& token) const {
  QStringList words;
  const sheet::KeyRow& row = *token.row;
  for (const char* choice : row.choices) words += choice;
  const auto names = [&](const char* list) {
    if (!draft_.root().contains(list)) return;
    for (const sheet::SheetJson& entry : draft_.root()[list]) {
      if (entry.is_object()) words += QString::fromStdString(entry.value("name", std::string()));
    }
  };
  const sheet::Sheet& sheet = bench_.document().sheet();
  // The device that stands beside a port or an instruction.
  const auto besideIt = [&]() -> const sheet::Device* {
    Place around;
    const auto& steps = token.place.steps();
    for (std::size_t i = 0; i + 1 < steps.size(); ++i) around = around / steps[i];
    const sheet::SheetJson* name = sheet::valueAt(draft_.root(), around / "device");
    if (name == nullptr || !name->is_string()) return nullptr;
    for (const sheet::Device& device : sheet.chain) {
      if (device.name == name->get<std::string>()) return &device;
    }
    return nullptr;
  };
  switch (row.kind) {
    case ValueKind::Device:
      names("chain");
      break;
    case ValueKind::Memory:
      names("memories");
      break;
    case ValueKind::Core:
      names("cores");
      break;
    case ValueKind::Port:
      if (const sheet::Device* device = besideIt(); device != nullptr && device->description) {
        for (const bsdl::Cell& cell : device->description->cells) {
          if (!cell.port.empty() && !words.contains(QString::fromStdString(cell.port)))
            words += QString::fromStdString(cell.port);
        }
      }
      break;
    case ValueKind::Instruction:
      if (const sheet::Device* device = besideIt(); device != nullptr && device->description) {
        for (const bsdl::Instruction& instruction : device->description->instructions)
          words += QString::fromStdString(instruction.name);
      }
      break;
    default:
      break;
  }
  return words;
}

void SheetPage::edit(const PageToken& token) {
  editing_ = token.place;
  const int least = 160;
  QRect place = token.rect.adjusted(-4, -1, 8, 1);
  place.setWidth(std::max(place.width(), least));
  place.moveLeft(std::min(place.left(), std::max(0, width() - place.width() - 8)));
  line_->setAccessibleName(token.label);
  line_->setGeometry(place);
  line_->setText(token.kind == PageToken::Missing ? QString() : token.value);
  line_->setPlaceholderText(token.label);
  delete line_->completer();
  if (const QStringList words = proposals(token); !words.isEmpty()) {
    auto* completer = new QCompleter(words, line_);
    completer->setCaseSensitivity(Qt::CaseInsensitive);
    completer->setFilterMode(Qt::MatchContains);
    line_->setCompleter(completer);
  }
  for (QAction* old : line_->actions()) delete old;
  if (token.row->kind == ValueKind::File) {
    QAction* choose = line_->addAction(style()->standardIcon(QStyle::SP_DirOpenIcon), QLineEdit::TrailingPosition);
    choose->setToolTip(tr("Choose a file (Ctrl+O)"));
    connect(choose, &QAction::triggered, this, [this] {
      const QString folder = QString::fromStdString(bench_.document().sheet().folder().string());
      const QString file = QFileDialog::getOpenFileName(this, tr("The file"), folder);
      if (file.isEmpty()) return;
      line_->setText(bench_.document().sheet().path.empty() ? file : QDir(folder).relativeFilePath(file));
      line_->setFocus();
    });
  }
  line_->selectAll();
  line_->show();
  line_->raise();
  line_->setFocus();
}

void SheetPage::finishEdit(bool take) {
  if (!editing_) return;
  Place at = *std::exchange(editing_, std::nullopt);
  QString text = line_->text().trimmed();
  line_->hide();
  setFocus();
  const sheet::SheetJson* now = sheet::valueAt(draft_.root(), at);
  if (!take || (text.isEmpty() && now == nullptr)) {
    return update();
  }
  if (at.kind().ends_with("hold_pins." + std::string(kNewPort))) {
    Place ports;
    for (std::size_t i = 0; i + 1 < at.steps().size(); ++i) ports = ports / at.steps()[i];
    at = ports / text.section('=', 0, 0).trimmed().toStdString();
    text = text.section('=', 1).trimmed();
  }
  const sheet::SheetJson typed = sheet::valueTyped(at, text.toStdString());
  if (now != nullptr && (*now == typed || sheet::valueText(*now) == text.toStdString())) return update();
  draft_.change(nameOf(at), [&](sheet::SheetJson& root) {
    if (text.isEmpty() && at.kind() != "title") return sheet::removeValue(root, at);
    sheet::setValue(root, at, typed);
  });
}

bool SheetPage::eventFilter(QObject* watched, QEvent* event) {
  if (watched != line_) return QWidget::eventFilter(watched, event);
  if (event->type() == QEvent::KeyPress) {
    const auto* key = static_cast<QKeyEvent*>(event);
    const bool enter = key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter;
    if (enter || key->key() == Qt::Key_Escape) {
      finishEdit(enter);
      return true;
    }
    if (key->key() == Qt::Key_Tab) {
      finishEdit(true);
      walk(1);
      return true;
    }
  } else if (event->type() == QEvent::FocusOut) {
    const auto reason = static_cast<QFocusEvent*>(event)->reason();
    if (reason == Qt::MouseFocusReason || reason == Qt::TabFocusReason) finishEdit(true);
  }
  return QWidget::eventFilter(watched, event);
}

void SheetPage::addEntry(const Place& list) {
  const sheet::SheetJson* there = sheet::valueAt(draft_.root(), list);
  const std::size_t index = there != nullptr ? there->size() : 0;
  const sheet::SheetJson entry = freshEntry(draft_.root(), list);
  draft_.change(nameOf(list / index), [&](sheet::SheetJson& root) { sheet::setValue(root, list / index, entry); });
  // What is missing first, or else what it is called.
  const auto tokens = page_.tokens();
  std::optional<std::size_t> best;
  for (std::size_t i = 0; i < tokens.size(); ++i) {
    const auto around = entryAround(tokens[i]->place);
    if (!around || !(around->first == list) || around->second != index) continue;
    if (!best || (tokens[*best]->kind != PageToken::Missing && tokens[i]->kind == PageToken::Missing)) best = i;
  }
  if (best) setCurrent(*best);
}

void SheetPage::openAddMenu(const PageToken& token) {
  const Place place = token.place;
  if (place.kind().ends_with("hold_pins")) {
    // Its keys are ports.
    PageToken port;
    port.kind = PageToken::Missing;
    port.place = place / std::string(kNewPort);
    port.label = tr("port = level");
    port.rect = token.rect;
    static const sheet::KeyRow kRow{kNewPort, ValueKind::Text, ""};
    port.row = &kRow;
    return edit(port);
  }
  auto* menu = new QMenu(this);
  menu->setObjectName("addKeyMenu");
  menu->setAttribute(Qt::WA_DeleteOnClose);
  const auto offer = [&](const Place& at, std::span<const sheet::KeyRow> rows, const auto& self) -> void {
    for (const sheet::KeyRow& row : rows) {
      const bool there = sheet::valueAt(draft_.root(), at / std::string(row.key)) != nullptr;
      if (row.kind == ValueKind::Kept || (at.steps().empty() && row.kind == ValueKind::List)) continue;
      if (row.kind == ValueKind::Object) {
        if (!there || at.steps().empty()) self(at / std::string(row.key), row.inside(), self);
        continue;
      }
      if (there) continue;
      QAction* add = menu->addAction(QString("%1   %2").arg(tr(row.words), nameOf(at / std::string(row.key))));
      add->setObjectName(nameOf(at / std::string(row.key)));
      connect(add, &QAction::triggered, this, [this, at, &row] { addKey(at, row); });
    }
  };
  offer(place, sheet::keysAt(place.kind()), offer);
  menu->popup(mapToGlobal(token.rect.bottomLeft()));
}

void SheetPage::addKey(const Place& place, const sheet::KeyRow& row) {
  const Place at = place / std::string(row.key);
  if (const sheet::SheetJson value = freshValue(row); row.kind == ValueKind::Levels) {
    draft_.change(nameOf(at), [&](sheet::SheetJson& root) { sheet::setValue(root, at, sheet::SheetJson::object()); });
    if (goTo(at, true)) act();
    return;
  } else if (!value.is_null()) {
    draft_.change(nameOf(at), [&](sheet::SheetJson& root) { sheet::setValue(root, at, value); });
    goTo(at, row.kind == ValueKind::List);
    if (row.kind == ValueKind::Choice) act();
    return;
  }
  // It is typed where it will stand: behind what is there.
  PageToken token;
  token.kind = PageToken::Missing;
  token.place = at;
  token.label = tr(row.words);
  token.rect = current() != nullptr ? current()->rect : QRect(20, 20, 200, 22);
  token.row = &row;
  edit(token);
}

void SheetPage::remove() {
  const PageToken* token = current();
  if (token == nullptr || token->kind == PageToken::AddKey || token->kind == PageToken::AddEntry) return;
  if (token->row != nullptr && token->row->kind == ValueKind::Kept && token->place.steps().size() == 1) return;
  Place at = token->place;
  // The name stands for all that is told of it.
  const auto around = entryAround(at);
  if (token->title && around) at = around->first / around->second;
  if (around && token->row != nullptr && !token->title && token->row->needed && !draft_.isPending() &&
      at.steps().size() == around->first.steps().size() + 2)
    at = around->first / around->second;
  draft_.change(tr("%1 taken out").arg(nameOf(at)), [&](sheet::SheetJson& root) { sheet::removeValue(root, at); });
}

void SheetPage::moveEntry(int by) {
  const PageToken* token = current();
  const auto around = token == nullptr ? std::nullopt : entryAround(token->place);
  if (!around) return;
  const Place list = around->first;
  const std::size_t index = around->second;
  const std::size_t to = index + static_cast<std::size_t>(by);
  const sheet::SheetJson* there = sheet::valueAt(draft_.root(), list);
  if (there == nullptr || to >= there->size()) return;
  // The same value of the entry at its new place.
  Place moved = list / to;
  const auto& steps = token->place.steps();
  for (std::size_t i = list.steps().size() + 1; i < steps.size(); ++i) moved = moved / steps[i];
  draft_.change(tr("place of %1").arg(nameOf(list / index)),
                [&](sheet::SheetJson& root) { sheet::moveEntry(root, list, index, to); });
  goTo(moved);
}

}  // namespace imprimo::app
