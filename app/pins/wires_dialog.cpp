// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/pins/wires_dialog.h"

#include <QAction>
#include <QCompleter>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLocale>
#include <QRegularExpression>
#include <QStandardItemModel>
#include <QVBoxLayout>

#include "app/look/small_widgets.h"
#include "app/session/help_words.h"
#include "core/base/number.h"

namespace imprimo::app {

WiresDialog::WiresDialog(Workbench& bench, PinsModel& model, const QString& memory, QWidget* parent)
    : QDialog(parent), bench_(bench), model_(model) {
  setObjectName("wiresDialog");
  setAttribute(Qt::WA_DeleteOnClose);
  setWindowTitle(tr("Wires of a flash behind %1").arg(model_.nameOf(model_.position())));
  setMinimumWidth(520);
  auto* column = new QVBoxLayout(this);
  column->setSpacing(12);
  memory_ = new QComboBox(this);
  memory_->setObjectName("wiresMemory");
  memory_->setAccessibleName(tr("Memory that is reached so"));
  memory_->setEditable(true);
  for (const sheet::MemoryEntry& entry : bench_.document().sheet().memories) {
    if (entry.type == "spi-nor") memory_->addItem(QString::fromStdString(entry.name));
  }
  memory_->setEditText(memory.isEmpty() ? tr("flash") : memory);
  column->addWidget(searchBox());
  column->addWidget(wiresBox());
  words_ = new QLabel(this);
  words_->setObjectName("wiresWords");
  words_->setWordWrap(true);
  words_->setFont(textFont(12));
  column->addWidget(words_);
  put_ = firmButton(this, "wiresPut");
  put_->setText(tr("Put into the sheet     Ctrl+Return"));
  put_->setAutoDefault(false);
  column->addWidget(put_);
  auto* key = new QAction(this);
  key->setShortcuts({QKeySequence(Qt::CTRL | Qt::Key_Return), QKeySequence(Qt::CTRL | Qt::Key_Enter)});
  addAction(key);
  connect(key, &QAction::triggered, put_, &QPushButton::click);
  connect(put_, &QPushButton::clicked, this, &WiresDialog::putIntoSheet);
  connect(memory_, &QComboBox::editTextChanged, this, &WiresDialog::refresh);
  connect(&bench_.session(), &BenchSession::wiresTried, this, &WiresDialog::take);
  connect(&bench_, &Workbench::linkChanged, this, [this] {
    if (looks_ && !bench_.link().isConnected()) {
      looks_ = false;
      tried_->setText(tr("The link was lost while wires were looked for. Connect again."));
    }
    refresh();
  });
  connect(&bench_, &Workbench::runChanged, this, &WiresDialog::refresh);
  connect(&bench_, &Workbench::sheetChanged, this, &QDialog::close);
  connect(this, &QDialog::finished, this, [this] { bench_.session().stopWires(); });
  propose();
  refresh();
}

QWidget* WiresDialog::searchBox() {
  auto* box = new QWidget(this);
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(0, 0, 0, 0);
  QLabel* what = mutedLabel(box, tr("Looking for them sends reading commands only. Meanwhile %1’s own logic is cut off "
                                    "from its pins; ports that are not tried are let go.")
                                     .arg(model_.nameOf(model_.position())));
  what->setWordWrap(true);
  column->addWidget(what);
  auto* row = new QHBoxLayout;
  among_ = new QLineEdit(box);
  among_->setObjectName("wiresAmong");
  among_->setAccessibleName(tr("Ports among which the wires are looked for"));
  among_->setPlaceholderText(tr("4 to 16 ports, separated by spaces"));
  row->addWidget(among_, 1);
  look_ = new QPushButton(tr("Look for them"), box);
  look_->setObjectName("wiresLook");
  look_->setAutoDefault(false);
  row->addWidget(look_);
  column->addLayout(row);
  tried_ = mutedLabel(box, {});
  tried_->setObjectName("wiresTried");
  column->addWidget(tried_);
  connect(look_, &QPushButton::clicked, this, &WiresDialog::look);
  connect(among_, &QLineEdit::textChanged, this, &WiresDialog::refresh);
  return box;
}

QWidget* WiresDialog::wiresBox() {
  auto* box = new QWidget(this);
  auto* form = new QFormLayout(box);
  form->setContentsMargins(0, 0, 0, 0);
  form->addRow(tr("memory"), memory_);
  for (const pins::WireRole role : pins::kWireRoles) {
    QComboBox* ports = portBox(role);
    ports_[static_cast<std::size_t>(role)] = ports;
    const bool optional = role == pins::WireRole::Wp || role == pins::WireRole::Hold;
    form->addRow(optional ? tr("%1, if it has one").arg(nameOf(role)) : QString(nameOf(role)), ports);
  }
  return box;
}

/// All ports; those that cannot be that wire are grey, with the reason.
QComboBox* WiresDialog::portBox(pins::WireRole role) {
  auto* box = new QComboBox(this);
  box->setObjectName(QString("wires-%1").arg(nameOf(role)));
  box->setAccessibleName(tr("Port of %1").arg(nameOf(role)));
  box->setEditable(true);
  box->setInsertPolicy(QComboBox::NoInsert);
  auto* items = new QStandardItemModel(box);
  items->appendRow(new QStandardItem);
  for (const pins::BoundaryPort& port : model_.ports().ports) {
    const std::string why = pins::whyNotWire(port, role);
    auto* item = new QStandardItem(QString::fromStdString(port.name));
    if (!why.empty()) {
      item->setText(QString::fromStdString(port.name + ": " + why));
      item->setEnabled(false);
    }
    items->appendRow(item);
  }
  box->setModel(items);
  auto* completer = new QCompleter(items, box);
  completer->setCaseSensitivity(Qt::CaseInsensitive);
  completer->setFilterMode(Qt::MatchContains);
  box->setCompleter(completer);
  box->setEditText({});
  connect(box, &QComboBox::editTextChanged, this, &WiresDialog::refresh);
  return box;
}

void WiresDialog::propose() {
  std::vector<std::uint64_t> edges;
  for (std::size_t i = 0; i < model_.ports().ports.size(); ++i) edges.push_back(model_.edges(i));
  QStringList names;
  for (const std::size_t port : pins::wireCandidates(model_.ports(), edges, pins::WireSearch::kMost))
    names += QString::fromStdString(model_.ports().ports[port].name);
  among_->setText(names.join(" "));
}

std::vector<std::size_t> WiresDialog::candidates() const {
  std::vector<std::size_t> all;
  static const QRegularExpression kBetween("[\\s,;]+(?![^(]*\\))");
  for (const QString& name : among_->text().split(kBetween, Qt::SkipEmptyParts))
    all.push_back(model_.ports().at(name.toStdString()));
  return all;
}

void WiresDialog::look() {
  if (looks_) return bench_.session().stopWires();
  try {
    const std::vector<std::size_t> among = candidates();
    if (among.size() < pins::WireSearch::kFewest || among.size() > pins::WireSearch::kMost)
      throw Error(ErrorKind::Usage, "name 4 to 16 ports: a flash has four wires");
    looks_ = true;
    tried_->setText(tr("Looking…"));
    model_.letGo();
    bench_.session().findWires(model_.position(), among);
  } catch (const Error& e) {
    tried_->setText(told(e));
  }
  refresh();
}

void WiresDialog::take(const WireNews& news) {
  if (!looks_) return;
  const QLocale english(QLocale::English);
  const QString tried = english.toString(static_cast<qulonglong>(news.tried));
  tried_->setText(tr("%1 of at most %2 orders tried; all of them take %3")
                      .arg(tried, english.toString(static_cast<qulonglong>(news.most)),
                           QString::fromStdString(durationText(news.longest))));
  if (!news.ended) return;
  looks_ = false;
  if (!news.problem.isEmpty()) {
    tried_->setText(news.problem);
  } else if (!news.found) {
    tried_->setText(tr("No flash answers on these ports; %1 orders tried. Its hold may be low unless it is driven, or "
                       "one of the wires is not among them.")
                        .arg(tried));
  } else {
    const pins::SpiWires& wires = news.found->wires;
    const std::array<std::size_t, 4> found{wires.cs, wires.clk, wires.mosi, wires.miso};
    for (std::size_t i = 0; i < found.size(); ++i)
      ports_[i]->setEditText(QString::fromStdString(model_.ports().ports[found[i]].name));
    tried_->setText(
        tr("A flash answers 0x%1 there; %2 orders tried.").arg(news.found->id, 6, 16, QLatin1Char('0')).arg(tried));
    put_->setFocus();
  }
  refresh();
}

std::optional<std::size_t> WiresDialog::chosen(pins::WireRole role) const {
  const QString text = ports_[static_cast<std::size_t>(role)]->currentText().trimmed();
  if (text.isEmpty()) return std::nullopt;
  return model_.ports().at(text.section(':', 0, 0).toStdString());
}

QString WiresDialog::trouble() const {
  try {
    using pins::WireRole;
    pins::SpiWires wires;
    const std::array<std::pair<WireRole, std::size_t*>, 4> needed{{{WireRole::Cs, &wires.cs},
                                                                   {WireRole::Clk, &wires.clk},
                                                                   {WireRole::Mosi, &wires.mosi},
                                                                   {WireRole::Miso, &wires.miso}}};
    for (const auto& [role, to] : needed) {
      const auto port = chosen(role);
      if (!port) return tr("Choose a port for %1.").arg(nameOf(role));
      *to = *port;
    }
    wires.wp = chosen(WireRole::Wp);
    wires.hold = chosen(WireRole::Hold);
    for (const auto& high : {wires.wp, wires.hold}) {
      if (high) wires.held[*high] = true;
    }
    pins::checkWires(model_.ports(), wires);
  } catch (const Error& e) {
    return told(e);
  }
  return memory_->currentText().trimmed().isEmpty() ? tr("Give the memory a name.") : QString();
}

void WiresDialog::refresh() {
  if (put_ == nullptr) return;  // still being made
  const bool may = bench_.link().isConnected() && !bench_.run().isRunning();
  look_->setText(looks_ ? tr("Stop") : tr("Look for them"));
  look_->setEnabled(looks_ || may);
  among_->setEnabled(!looks_);
  const QString why = trouble();
  words_->setText(why.isEmpty() ? tr("%1 is reached through these ports then.").arg(memory_->currentText().trimmed())
                                : why);
  put_->setEnabled(why.isEmpty() && !looks_ && !bench_.run().isRunning());
}

void WiresDialog::putIntoSheet() {
  sheet::PinRoute route;
  route.position = model_.position();
  const auto name = [&](pins::WireRole role) {
    const auto port = chosen(role);
    return port ? model_.ports().ports[*port].name : std::string();
  };
  const QString memory = memory_->currentText().trimmed();
  try {
    route.cs = name(pins::WireRole::Cs);
    route.clk = name(pins::WireRole::Clk);
    route.mosi = name(pins::WireRole::Mosi);
    route.miso = name(pins::WireRole::Miso);
    route.wp = name(pins::WireRole::Wp);
    route.hold = name(pins::WireRole::Hold);
    bench_.document().setPinRoute(memory.toStdString(), route);
  } catch (const Error& e) {
    words_->setText(told(e));
    return;
  }
  emit bench_.message(tr("%1 is in the sheet, behind %2.").arg(memory, model_.nameOf(model_.position())), false);
  close();
}

}  // namespace imprimo::app
