// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/console/serial_menu.h"

#include <QActionGroup>
#include <QInputDialog>

#include "core/probe/open_probe.h"
#include "core/probe/serial_ports.h"

namespace imprimo::app {

SerialMenu::SerialMenu(ConsoleModel& model, QWidget* parent) : QMenu(parent), model_(model) {
  setObjectName("consoleSerialMenu");
  connect(this, &QMenu::aboutToShow, this, &SerialMenu::fill);
}

void SerialMenu::fill() {
  clear();
  auto* group = new QActionGroup(this);
  const auto offer = [&](const QString& text, const QString& source) {
    QAction* action = addAction(text);
    action->setCheckable(true);
    action->setChecked(model_.serial() == source);
    group->addAction(action);
    connect(action, &QAction::triggered, this, [this, source] { model_.setSerial(source); });
  };
  offer(tr("no serial port"), {});
  bool named = model_.serial().isEmpty();
  for (const probe::SerialPort& port : model_.ports()) {
    const QString source = QString::fromStdString("serial:" + port.node);
    named = named || model_.serial() == source;
    QString text = QString::fromStdString(port.node + "   " + port.words());
    if (port.newest) text += tr(", the newest");
    if (port.holderId != 0)
      text += tr(", held by %1 (process %2)").arg(QString::fromStdString(port.holder)).arg(port.holderId);
    offer(text, source);
  }
  if (!named) {
    const QString node = model_.serial().section(':', 1);
    offer(node.isEmpty() ? tr("the likely one") : node, model_.serial());
  }
  connect(addAction(tr("another…")), &QAction::triggered, this, &SerialMenu::nameOne);
  addSeparator();
  using Settings = console::SerialSettings;
  const Settings now = model_.serialSettings();
  for (const unsigned baud : {0u, 9600u, 19200u, 38400u, 57600u, 115200u, 230400u, 460800u, 921600u, 1000000u})
    choice(this, baud == 0 ? tr("find the rate") : tr("%1 baud").arg(baud), now.baud == baud,
           [baud](Settings& settings) { settings.baud = baud; });
  auto* parity = addMenu(tr("parity"));
  choice(parity, tr("none"), now.parity == Settings::Parity::None,
         [](Settings& s) { s.parity = Settings::Parity::None; });
  choice(parity, tr("even"), now.parity == Settings::Parity::Even,
         [](Settings& s) { s.parity = Settings::Parity::Even; });
  choice(parity, tr("odd"), now.parity == Settings::Parity::Odd, [](Settings& s) { s.parity = Settings::Parity::Odd; });
  auto* ending = addMenu(tr("lines that are sent end with"));
  choice(ending, "LF", now.ending == Settings::Ending::Lf, [](Settings& s) { s.ending = Settings::Ending::Lf; });
  choice(ending, "CR", now.ending == Settings::Ending::Cr, [](Settings& s) { s.ending = Settings::Ending::Cr; });
  choice(ending, "CR LF", now.ending == Settings::Ending::CrLf, [](Settings& s) { s.ending = Settings::Ending::CrLf; });
}

/// One value of a setting.
void SerialMenu::choice(QMenu* menu, const QString& text, bool chosen,
                        const std::function<void(console::SerialSettings&)>& set) {
  QAction* action = menu->addAction(text);
  action->setCheckable(true);
  action->setChecked(chosen);
  connect(action, &QAction::triggered, this, [this, set] {
    console::SerialSettings settings = model_.serialSettings();
    set(settings);
    model_.setSerialSettings(settings);
  });
}

void SerialMenu::nameOne() {
  bool fine = false;
  const QString node = QInputDialog::getText(parentWidget(), tr("Serial port"), tr("Its device file:"),
                                             QLineEdit::Normal, "/dev/ttyUSB0", &fine);
  if (fine && !node.trimmed().isEmpty()) model_.setSerial("serial:" + node.trimmed());
}

}  // namespace imprimo::app
