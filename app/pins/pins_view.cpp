// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/pins/pins_view.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "app/look/small_widgets.h"
#include "app/look/theme.h"
#include "app/look/theme_notice.h"
#include "app/pins/wires_dialog.h"
#include "core/base/number.h"

namespace imprimo::app {

PinsView::PinsView(const ViewContext& context, QWidget* parent)
    : QWidget(parent), bench_(context.bench), model_(context.bench) {
  setObjectName("page");
  letGo_ = new QAction(tr("Let everything go"), this);
  letGo_->setObjectName("pinsLetGo");
  letGo_->setShortcut(QKeySequence(Qt::Key_Escape));
  connect(letGo_, &QAction::triggered, &model_, &PinsModel::letGo);
  find_ = new QAction(tr("Find a port…"), this);
  find_->setShortcut(QKeySequence::Find);
  connect(find_, &QAction::triggered, this, [this] {
    filter_->setFocus();
    filter_->selectAll();
  });
  wires_ = new QAction(tr("Wires of a flash…"), this);
  wires_->setObjectName("pinsWires");
  wires_->setShortcut(QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_W));
  connect(wires_, &QAction::triggered, this, [this] { openWires({}); });
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(18, 12, 18, 12);
  row->setSpacing(14);
  row->addWidget(middle(), 1);
  row->addWidget(side());
  connect(&model_, &PinsModel::changed, this, &PinsView::refresh);
  connect(&model_, &PinsModel::deviceChanged, this, &PinsView::refreshDevices);
  connect(&model_, &PinsModel::sampled, this, &PinsView::showSampled);
  connect(&bench_, &Workbench::runChanged, this, &PinsView::refresh);
  connect(&ThemeNotice::get(), &ThemeNotice::changed, this, &PinsView::refresh);
  // A memory was dragged onto a device, wherever that was.
  connect(&bench_, &Workbench::wiresWanted, this,
          [this, show = context.show](const QString& memory, std::size_t position) {
            if (show) show("pins");
            model_.setPosition(position);
            openWires(memory);
          });
  refreshDevices();
  refresh();
}

QWidget* PinsView::middle() {
  auto* box = new QWidget(this);
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(8);
  auto* head = new QHBoxLayout;
  device_ = new QComboBox(box);
  device_->setObjectName("pinsDevice");
  device_->setAccessibleName(tr("Device whose pins are shown"));
  other_ = new QComboBox(box);
  other_->setObjectName("pinsOther");
  other_->setAccessibleName(tr("Another device beside it, sampled in the same scans"));
  state_ = mutedLabel(box, {});
  state_->setObjectName("pinsState");
  for (QComboBox* each : {device_, other_}) each->setFont(textFont(13));
  head->addWidget(device_);
  head->addWidget(other_);
  head->addWidget(state_, 1);
  column->addLayout(head);
  strip_ = new QLabel(box);
  strip_->setObjectName("pinsDriven");
  strip_->setWordWrap(true);
  strip_->setFont(textFont(13));
  strip_->setMargin(8);
  strip_->hide();
  column->addWidget(strip_);
  auto* packages = new QHBoxLayout;
  package_ = new PackageView(model_, 0, box);
  otherPackage_ = new PackageView(model_, 1, box);
  packages->addWidget(package_, 1);
  packages->addWidget(otherPackage_, 1);
  column->addLayout(packages, 1);
  column->addWidget(mutedLabel(box, tr("● 1     ○ 0     ◌ not known     □ supply, TAP     ring: driven here     "
                                       "dashed: moves like the chosen one     crossed: not as the sheet has it")));
  trace_ = new PinTrace(model_, box);
  column->addWidget(trace_);
  connect(device_, &QComboBox::activated, this,
          [this](int row) { model_.setPosition(model_.devices().at(static_cast<std::size_t>(row))); });
  connect(other_, &QComboBox::activated, this,
          [this](int row) { model_.setOther(other_->itemData(row).toULongLong()); });
  for (PackageView* each : {package_, otherPackage_}) connect(each, &PackageView::chosen, this, &PinsView::choose);
  return box;
}

QWidget* PinsView::side() {
  auto* box = new QWidget(this);
  box->setFixedWidth(measure::kRightWidth);
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(8);
  filter_ = new QLineEdit(box);
  filter_->setObjectName("pinsFilter");
  filter_->setPlaceholderText(tr("name, pin, in, out, moving, together, driven, named"));
  filter_->setAccessibleName(tr("Show only ports like this"));
  filter_->setClearButtonEnabled(true);
  filter_->setFont(textFont(13));
  column->addWidget(filter_);
  count_ = mutedLabel(box, {});
  count_->setObjectName("pinsCount");
  column->addWidget(count_);
  items_ = new PortItems(model_, this);
  list_ = new QListView(box);
  list_->setObjectName("pinsList");
  list_->setAccessibleName(tr("Ports"));
  list_->setUniformItemSizes(true);
  list_->setFrameShape(QFrame::NoFrame);
  list_->setModel(items_);
  list_->setItemDelegate(new PortDelegate(model_, *items_, list_));
  column->addWidget(list_, 1);
  chosen_ = new ChosenPort(bench_, model_, box);
  column->addWidget(chosen_);
  others_ = new QComboBox(box);
  others_->setObjectName("pinsOthers");
  others_->setAccessibleName(tr("Ports that are not driven here"));
  others_->addItems(
      {tr("others: let go"), tr("others: as the device has them now"), tr("others: at their safe values")});
  others_->setFont(textFont(13));
  column->addWidget(others_);
  connect(others_, &QComboBox::activated, this, [this](int row) { model_.setOthers(static_cast<pins::Others>(row)); });
  wiresButton_ = new QPushButton(tr("Wires of a flash…"), box);
  wiresButton_->setObjectName("pinsWiresButton");
  wiresButton_->setToolTip(tr("Choose the ports that lead to a flash, or look for them  Ctrl+Shift+W"));
  column->addWidget(wiresButton_);
  all_ = firmButton(box, "pinsAll");
  all_->setText(tr("Let everything go     Esc"));
  column->addWidget(all_);
  connect(filter_, &QLineEdit::textChanged, this, [this](const QString& words) {
    items_->setFilter(words);
    refresh();
  });
  connect(list_->selectionModel(), &QItemSelectionModel::currentChanged, this, &PinsView::refresh);
  connect(items_, &QAbstractItemModel::modelReset, this, &PinsView::refresh);
  connect(chosen_, &ChosenPort::traceWanted, trace_, &PinTrace::toggle);
  connect(chosen_, &ChosenPort::announcedChanged, this, &PinsView::refresh);
  connect(wiresButton_, &QPushButton::clicked, wires_, &QAction::trigger);
  connect(all_, &QPushButton::clicked, letGo_, &QAction::trigger);
  return box;
}

std::optional<pins::PortOf> PinsView::current() const {
  const QModelIndex index = list_->currentIndex();
  if (!index.isValid() || index.row() >= items_->rowCount()) return std::nullopt;
  return items_->portOf(index.row());
}

void PinsView::choose(pins::PortOf port) {
  if (!items_->rowOf(port)) filter_->clear();
  if (const auto row = items_->rowOf(port)) list_->setCurrentIndex(items_->index(*row));
}

void PinsView::openWires(const QString& memory) {
  if (model_.position() == 0 || bench_.run().isRunning()) return;
  if (findChild<WiresDialog*>() != nullptr) findChild<WiresDialog*>()->close();
  (new WiresDialog(bench_, model_, memory, this))->show();
}

void PinsView::refreshDevices() {
  const QSignalBlocker quiet(device_), otherQuiet(other_);
  device_->clear();
  other_->clear();
  other_->addItem(tr("alone"), qulonglong{0});
  for (const std::size_t position : model_.devices()) {
    device_->addItem(model_.nameOf(position));
    if (position == model_.position()) {
      device_->setCurrentIndex(device_->count() - 1);
    } else {
      other_->addItem(tr("beside %1").arg(model_.nameOf(position)), static_cast<qulonglong>(position));
      if (position == model_.position(1)) other_->setCurrentIndex(other_->count() - 1);
    }
  }
  device_->setVisible(device_->count() > 0);
  other_->setVisible(device_->count() > 1);
  otherPackage_->setVisible(model_.position(1) != 0);
}

void PinsView::refresh() {
  state_->setText(model_.state());
  chosen_->setPort(current());
  chosen_->refresh();
  const QString before = chosen_->announced();
  strip_->setVisible(model_.drivesAny() || !before.isEmpty());
  const Theme& theme = Theme::current();
  strip_->setStyleSheet(QString("background: %1; color: %2; border: 1px solid %3; border-radius: 4px;")
                            .arg(theme.erasingTint.name(), theme.ink.name(), theme.erasing.name()));
  strip_->setText(before.isEmpty() ? model_.drivenWords() + tr("  Esc lets everything go.") : before);
  const std::size_t all = model_.ports(0).ports.size() + model_.ports(1).ports.size();
  count_->setText(QString::fromStdString(countText(all, "port")) +
                  (items_->rowCount() < static_cast<int>(all) ? tr(", %1 shown").arg(items_->rowCount()) : QString()));
  const auto port = current();
  package_->setCurrent(port);
  otherPackage_->setCurrent(port);
  wiresButton_->setEnabled(model_.position() != 0 && !bench_.run().isRunning());
  all_->setEnabled(model_.drivesAny());
  list_->viewport()->update();
}

void PinsView::showSampled() {
  state_->setText(model_.state());
  list_->viewport()->update();
  chosen_->refresh();
}

QList<QWidget*> PinsView::panes() {
  return {package_, otherPackage_, list_, chosen_};
}

QList<KeyWords> PinsView::keyWords() const {
  return {{tr("Arrow keys"), tr("Package: the nearest pin that way; list: the next port")}};
}

View* makePinsView(const ViewContext& context, QWidget* parent) {
  return new PinsView(context, parent);
}

}  // namespace imprimo::app
