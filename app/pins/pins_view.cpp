// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/pins/pins_view.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "app/look/small_widgets.h"
#include "app/look/theme.h"
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
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(18, 12, 18, 12);
  row->setSpacing(14);
  row->addWidget(middle(), 1);
  row->addWidget(side());
  connect(&model_, &PinsModel::changed, this, &PinsView::refresh);
  connect(&model_, &PinsModel::deviceChanged, this, &PinsView::refreshDevices);
  connect(&model_, &PinsModel::sampled, this, &PinsView::showSampled);
  connect(&bench_, &Workbench::runChanged, this, &PinsView::refresh);
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
  state_ = mutedLabel(box, {});
  state_->setObjectName("pinsState");
  head->addWidget(device_);
  head->addWidget(state_, 1);
  column->addLayout(head);
  strip_ = new QLabel(box);
  strip_->setObjectName("pinsDriven");
  strip_->setWordWrap(true);
  strip_->setFont(textFont(13));
  strip_->setMargin(8);
  strip_->hide();
  column->addWidget(strip_);
  package_ = new PackageView(model_, box);
  column->addWidget(package_, 1);
  column->addWidget(mutedLabel(box, tr("● 1     ○ 0     ◌ not known     □ supply, TAP     ring: driven here")));
  trace_ = new PinTrace(model_, box);
  column->addWidget(trace_);
  connect(device_, &QComboBox::activated, this,
          [this](int row) { model_.setPosition(model_.devices().at(static_cast<std::size_t>(row))); });
  connect(package_, &PackageView::chosen, this, &PinsView::choose);
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
  filter_->setPlaceholderText(tr("name, pin, in, out, moving, driven"));
  filter_->setAccessibleName(tr("Show only ports like this"));
  filter_->setClearButtonEnabled(true);
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
  chosen_ = mutedLabel(box, {});
  chosen_->setObjectName("pinsChosen");
  column->addWidget(chosen_);
  auto* levels = new QHBoxLayout;
  const auto button = [&](const char* name, const QString& text, const QString& what) {
    QToolButton* made = smallButton(box, text, what);
    made->setObjectName(name);
    made->setMinimumWidth(44);
    levels->addWidget(made);
    return made;
  };
  low_ = button("pinsLow", "0", tr("Drive the port with 0"));
  high_ = button("pinsHigh", "1", tr("Drive the port with 1"));
  open_ = button("pinsOpen", tr("let go"), tr("Let the port go"));
  traced_ = button("pinsTraced", tr("trace"), tr("Show what the port did last"));
  levels->addStretch(1);
  column->addLayout(levels);
  all_ = firmButton(box, "pinsAll");
  all_->setText(tr("Let everything go     Esc"));
  column->addWidget(all_);
  connect(filter_, &QLineEdit::textChanged, this, [this](const QString& words) {
    items_->setFilter(words);
    refresh();
  });
  connect(list_->selectionModel(), &QItemSelectionModel::currentChanged, this, &PinsView::refresh);
  connect(items_, &QAbstractItemModel::modelReset, this, &PinsView::refresh);
  connect(low_, &QToolButton::clicked, this, [this] { drive(false); });
  connect(high_, &QToolButton::clicked, this, [this] { drive(true); });
  connect(open_, &QToolButton::clicked, this, [this] { drive(std::nullopt); });
  connect(traced_, &QToolButton::clicked, this, [this] {
    if (const auto port = current()) trace_->toggle(*port);
  });
  connect(all_, &QPushButton::clicked, letGo_, &QAction::trigger);
  return box;
}

std::optional<std::size_t> PinsView::current() const {
  const QModelIndex index = list_->currentIndex();
  if (!index.isValid() || index.row() >= items_->rowCount()) return std::nullopt;
  return items_->portOf(index.row());
}

void PinsView::choose(std::size_t port) {
  if (!items_->rowOf(port)) filter_->clear();
  if (const auto row = items_->rowOf(port)) list_->setCurrentIndex(items_->index(*row));
}

void PinsView::drive(pins::Level level) {
  const auto port = current();
  if (!port) return;
  // The first time it is said before it is done.
  if (level && !model_.drivesAny() && announced_ != std::pair{*port, *level}) {
    announced_ = std::pair{*port, *level};
    return refresh();
  }
  announced_.reset();
  model_.drive(*port, level);
}

void PinsView::refreshDevices() {
  const QSignalBlocker quiet(device_);
  device_->clear();
  for (const std::size_t position : model_.devices()) {
    device_->addItem(model_.nameOf(position));
    if (position == model_.position()) device_->setCurrentIndex(device_->count() - 1);
  }
  device_->setVisible(device_->count() > 0);
}

void PinsView::refresh() {
  state_->setText(model_.state());
  if (announced_ && (model_.drivesAny() || current() != announced_->first || !model_.isSampled())) announced_.reset();
  const QString before = announced_ ? model_.wouldDrive(announced_->first, announced_->second) : QString();
  strip_->setVisible(model_.drivesAny() || !before.isEmpty());
  const Theme& theme = Theme::current();
  strip_->setStyleSheet(QString("background: %1; color: %2; border: 1px solid %3; border-radius: 4px;")
                            .arg(theme.erasingTint.name(), theme.ink.name(), theme.erasing.name()));
  strip_->setText(before.isEmpty() ? model_.drivenWords() + tr("  Esc lets everything go.")
                                   : before + tr("  The same button again drives it."));
  count_->setText(QString::fromStdString(countText(model_.ports().ports.size(), "port")) +
                  (items_->rowCount() < static_cast<int>(model_.ports().ports.size())
                       ? tr(", %1 shown").arg(items_->rowCount())
                       : QString()));
  const auto port = current();
  package_->setCurrent(port);
  QString words = tr("Choose a port to drive it.");
  QString why;
  if (port) {
    const pins::BoundaryPort& of = model_.ports().ports[*port];
    words = QString::fromStdString(of.name);
    if (!of.pin.empty()) words += tr(", pin %1").arg(QString::fromStdString(of.pin));
    why = model_.whyNot(*port);
  }
  chosen_->setText(why.isEmpty() ? words : why);
  const bool may = port && why.isEmpty() && model_.isSampled() && !bench_.run().isRunning();
  low_->setEnabled(may);
  high_->setEnabled(may);
  open_->setEnabled(may && model_.drives().contains(*port));
  traced_->setEnabled(port && model_.ports().ports[*port].input);
  all_->setEnabled(model_.drivesAny());
  list_->viewport()->update();
}

void PinsView::showSampled() {
  state_->setText(model_.state());
  list_->viewport()->update();
  if (!low_->isEnabled()) refresh();
}

View* makePinsView(const ViewContext& context, QWidget* parent) {
  return new PinsView(context, parent);
}

}  // namespace imprimo::app
