// SPDX-License-Identifier: GPL-3.0-or-later
//
// What can be done with an item of the rail: its menu, and changes of the sheet in place.
#include <QClipboard>
#include <QFileDialog>
#include <QGuiApplication>
#include <QMenu>

#include "app/rail/chain_rail.h"
#include "app/session/help_words.h"
#include "core/base/json.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

/// The list of the sheet that an item is in, and its index there.
std::optional<sheet::Place> placeOf(const RailItem& item, const sheet::Sheet& sheet) {
  const auto indexOf = [](const auto& list, const std::string& name) -> std::optional<std::size_t> {
    for (std::size_t i = 0; i < list.size(); ++i) {
      if (list[i].name == name) return i;
    }
    return std::nullopt;
  };
  switch (item.kind) {
    case RailItem::Device:
      if (item.position == 0 || item.position > sheet.chain.size()) return std::nullopt;
      return sheet::Place{"chain", item.position - 1};
    case RailItem::Core:
      if (const auto index = indexOf(sheet.cores, item.core)) return sheet::Place{"cores", *index};
      return std::nullopt;
    case RailItem::Memory:
      if (const auto index = indexOf(sheet.memories, item.memory)) return sheet::Place{"memories", *index};
      return std::nullopt;
    case RailItem::Add:
      break;
  }
  return std::nullopt;
}

}  // namespace

void ChainRail::rename(const RailItem& which) {
  const RailItem item = which;
  const auto place = placeOf(item, bench_.document().sheet());
  if (!place || bench_.run().isRunning()) return;
  edit_->open(titleRect(item), item.title, tr("Name of %1").arg(item.title),
              [this, place, old = item.title](const QString& text) {
                if (text.trimmed() == old) return true;
                try {
                  bench_.document().change(tr("name of %1").arg(old), [&](sheet::SheetJson& root) {
                    sheet::setValue(root, *place / "name", text.trimmed().toStdString());
                  });
                  return true;
                } catch (const sheet::BadReference& e) {
                  emit bench_.message(told(e), true);
                } catch (const BadValue& e) {
                  emit bench_.message(sentence(QString::fromStdString(e.sentence())) + ".", true);
                }
                return false;
              });
}

void ChainRail::typeLength(const RailItem& which, const QString& begin) {
  const RailItem item = which;
  edit_->open(
      item.lengthRect.adjusted(-6, -1, 2, 1), begin, tr("Instruction bits of %1").arg(item.title),
      [this, position = item.position](const QString& text) { return bench_.needs().setLength(position, text); });
  // A digit that opened it is the first of what is typed.
  if (begin != item.length) edit_->end(false);
}

void ChainRail::remove(const RailItem& which) {
  const RailItem item = which;
  const auto place = placeOf(item, bench_.document().sheet());
  if (!place || bench_.run().isRunning()) return;
  try {
    bench_.document().change(tr("%1 taken out").arg(item.title),
                             [&](sheet::SheetJson& root) { sheet::removeValue(root, *place); });
    emit bench_.message(
        tr("%1 is out of the sheet, with all that refers to it. Ctrl+Z brings it back.").arg(item.title), false);
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
  }
}

void ChainRail::moveDevice(const RailItem& which, int by) {
  const RailItem item = which;
  const std::size_t count = bench_.document().sheet().chain.size();
  if (item.kind != RailItem::Device || item.position > count) return;
  const std::size_t from = item.position - 1, to = from + static_cast<std::size_t>(by);
  if (to >= count) return;
  try {
    bench_.document().change(tr("place of %1").arg(item.title),
                             [&](sheet::SheetJson& root) { sheet::moveEntry(root, {"chain"}, from, to); });
    bench_.selectDevice(to + 1);
    for (std::size_t i = 0; i < rail_.items.size(); ++i) {
      if (rail_.items[i].kind == RailItem::Device && rail_.items[i].position == to + 1) current_ = i;
    }
    update();
  } catch (const Error& e) {
    emit bench_.message(told(e), true);
  }
}

/// A file that says something of a device: its BSDL file, or a configuration card. Others only go into the library.
void ChainRail::describeBy(std::size_t position, const QString& file) {
  std::optional<store::Description> what;
  try {
    what = store::recognise(file.toStdString());
  } catch (const Error& e) {
    // The device says what is wrong with its file.
    if (!file.endsWith(".json")) {
      bench_.needs().describe(position, file);
      return;
    }
    emit bench_.message(told(e), true);
    return;
  }
  if (what && what->kind == store::DescriptionKind::Bsdl) {
    bench_.needs().describe(position, file);
  } else if (what && what->kind == store::DescriptionKind::ConfigCard) {
    bench_.tasks().useConfigCard(position, file);
  } else {
    bench_.library().add({file});
  }
}

void ChainRail::openMenu(const RailItem& item, QPoint at) {
  auto* menu = new QMenu(this);
  menu->setObjectName("deviceMenu");
  menu->setAttribute(Qt::WA_DeleteOnClose);
  if (item.kind == RailItem::Device) fillDeviceMenu(*menu, item);
  const bool inSheet = placeOf(item, bench_.document().sheet()).has_value();
  if (inSheet) {
    QAction* name = menu->addAction(tr("Rename…"), QKeySequence(Qt::Key_F2), this, [this, item] { rename(item); });
    QAction* out = menu->addAction(tr("Take it out of the sheet"), QKeySequence(Qt::Key_Delete), this,
                                   [this, item] { remove(item); });
    for (QAction* action : {name, out}) action->setEnabled(!bench_.run().isRunning());
  }
  menu->popup(at);
}

/// Those of the library that fit it.
void ChainRail::addDescriptions(QMenu& menu, std::size_t position) {
  for (const store::Description& d : bench_.needs().of(position).fitting) {
    QAction* take = menu.addAction(
        tr("It is %1 (%2)").arg(QString::fromStdString(d.name), QString::fromStdString(d.file.filename().string())));
    connect(take, &QAction::triggered, this, [this, position, file = QString::fromStdString(d.file.string())] {
      bench_.needs().describe(position, file);
    });
  }
}

void ChainRail::fillDeviceMenu(QMenu& menu, const RailItem& item) {
  const std::size_t position = item.position;
  const bool idle = !bench_.run().isRunning();
  if (position <= bench_.document().sheet().chain.size()) {
    QAction* open = menu.addAction(tr("Open its BSDL file…"));
    open->setEnabled(idle);
    connect(open, &QAction::triggered, this, [this, position] { openDescription(position); });
    addDescriptions(menu, position);
    if (item.needsLength)
      connect(menu.addAction(tr("Type its instruction length…")), &QAction::triggered, this,
              [this, item] { typeLength(item, item.length); });
    QAction* memory = menu.addAction(tr("Add a memory behind it…"));
    memory->setEnabled(idle);
    connect(memory, &QAction::triggered, this, [this, position] {
      bench_.selectDevice(position);
      bench_.ways().begin(position);
    });
    QAction* configure = menu.addAction(tr("Configure it with a file…"));
    configure->setEnabled(idle && bench_.document().sheet().chain[position - 1].description != nullptr);
    connect(configure, &QAction::triggered, this, [this, position] {
      const QString folder = QString::fromStdString(bench_.document().sheet().folder().string());
      const QString file = QFileDialog::getOpenFileName(this, tr("The file to load"), folder);
      if (!file.isEmpty()) bench_.fileForDevice(position, file);
    });
  }
  if (hasPins(item)) {
    QAction* wires = menu.addAction(tr("Wires of a flash behind its pins…"));
    wires->setEnabled(idle);
    connect(wires, &QAction::triggered, this,
            [this, position] { emit bench_.wiresWanted(QString::fromStdString(bench_.memory()), position); });
  }
  const auto& report = bench_.link().report();
  const auto id =
      report && position <= report->chain.devices.size() ? report->chain.devices[position - 1].idcode : std::nullopt;
  if (id) {
    connect(menu.addAction(tr("Copy its IDCODE")), &QAction::triggered, this,
            [id] { QGuiApplication::clipboard()->setText(QString::fromStdString(hexIdcode(*id))); });
  }
  connect(menu.addAction(tr("What is known of it")), &QAction::triggered, this, [this, position] {
    for (const RailItem& i : rail_.items) {
      if (i.kind == RailItem::Device && i.position == position)
        emit bench_.message(explain(i).replace('\n', "; "), i.state == RailItem::Differs);
    }
  });
}

void ChainRail::openDescription(std::size_t position) {
  const QString file = QFileDialog::getOpenFileName(this, tr("BSDL file of part %1").arg(position), {},
                                                    tr("BSDL files (*.bsd *.bsdl *.BSD *.BSDL);;All files (*)"));
  if (!file.isEmpty()) bench_.needs().describe(position, file);
}

}  // namespace imprimo::app
