// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/device/device_panel.h"

#include <QCheckBox>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QToolButton>

#include "app/look/small_widgets.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

QString readable(const std::string& name) {
  QString text = QString::fromStdString(name).toLower();
  if (text.startsWith("proc_")) text.remove(0, 5);
  return text.replace('_', ' ');
}

}  // namespace

DevicePanel::DevicePanel(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  setObjectName("devicePanel");
  setAcceptDrops(true);
  inside_ = new QVBoxLayout(this);
  inside_->setContentsMargins(0, 0, 0, 0);
  inside_->setSpacing(6);
  // Rebuilt behind the event that asked for it: the widget that was clicked is one of those that go.
  for (const auto signal : {&Workbench::deviceChanged, &Workbench::memoryChanged})
    connect(&bench_, signal, this, &DevicePanel::rebuild, Qt::QueuedConnection);
  connect(&bench_, &Workbench::runChanged, this, [this] { setEnabled(!bench_.run().isRunning()); });
  rebuild();
}

void DevicePanel::rebuild() {
  const QString focus = focusWidget() != nullptr ? focusWidget()->objectName() : QString();
  for (QWidget* child : findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly)) {
    child->setObjectName({});  // it is still there until the event loop comes round
    child->deleteLater();
  }
  while (QLayoutItem* item = inside_->takeAt(0)) delete item;
  if (!bench_.atDevice()) return;
  DeviceWork& device = bench_.device();
  auto* title = new QLabel(tr("What is done"), this);
  title->setFont(textFont(14, QFont::DemiBold));
  inside_->addWidget(title);
  if (device.actions().size() > 1) {
    auto* choice = new QToolButton(this);
    choice->setObjectName("deviceAction");
    choice->setProperty("role", "choice");
    choice->setText(sentence(readable(device.action()->text())) + "  ▾");
    choice->setAccessibleName(tr("What is done to the part"));
    choice->setFont(textFont(13, QFont::DemiBold));
    choice->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(choice);
    for (std::size_t i = 0; i < device.actions().size(); ++i) {
      connect(menu->addAction(sentence(readable(device.actions()[i].text()))), &QAction::triggered, this,
              [this, i] { bench_.device().chooseAction(i); });
    }
    choice->setMenu(menu);
    inside_->addWidget(choice, 0, Qt::AlignLeft);
  }
  const run::DeviceAction* action = device.action();
  if (action == nullptr) {
    auto* why = mutedLabel(this, device.isDescribed() ? device.problem() : tr("Nothing yet."));
    why->setWordWrap(true);
    inside_->addWidget(why);
    return;
  }
  if (action->needsFile) inside_->addWidget(fileCard());
  addChoices();
  if (action->reads) {
    auto* into =
        new QPushButton(device.output().isEmpty() ? tr("Into a file…") : QFileInfo(device.output()).fileName(), this);
    into->setObjectName("deviceOutput");
    into->setProperty("role", "quiet");
    connect(into, &QPushButton::clicked, this, &DevicePanel::chooseOutput);
    inside_->addWidget(into);
  }
  if (!focus.isEmpty()) {
    if (auto* again = findChild<QWidget*>(focus)) again->setFocus();
  }
}

QFrame* DevicePanel::fileCard() {
  DeviceWork& device = bench_.device();
  const sheet::Configuration* file = device.file();
  auto* frame = new QFrame(this);
  frame->setObjectName(file != nullptr ? "card" : "kept");
  auto* column = new QVBoxLayout(frame);
  column->setContentsMargins(10, 7, 6, 7);
  column->setSpacing(2);
  auto* row = new QHBoxLayout;
  auto* choose = smallButton(frame, file != nullptr ? tr("other…") : tr("add file…"), tr("Choose the file to load"));
  choose->setObjectName("deviceFile");
  connect(choose, &QToolButton::clicked, this, &DevicePanel::chooseFile);
  if (file == nullptr) {
    row->addWidget(mutedLabel(frame, tr("drop a file here, or")));
    row->addWidget(choose);
    row->addStretch(1);
    column->addLayout(row);
    return frame;
  }
  const QString name = QFileInfo(QString::fromStdString(file->file.file)).fileName();
  auto* title = new QLabel(name, frame);
  title->setObjectName("deviceFileName");
  title->setFont(textFont(13, QFont::DemiBold));
  auto* remove = smallButton(frame, "×", tr("Take %1 out").arg(name));
  remove->setObjectName("removeDeviceFile");
  connect(remove, &QToolButton::clicked, this, [this] { bench_.device().removeFile(); });
  row->addWidget(title);
  row->addStretch(1);
  row->addWidget(choose);
  row->addWidget(remove);
  column->addLayout(row);
  const auto input = device.data();
  auto* second = new QHBoxLayout;
  const auto kind = [&] {
    using Format = configure::ConfigData::Format;
    return input->format == Format::Fuses     ? tr("fuse file")
           : input->format == Format::IscData ? tr("IEEE 1532 data")
                                              : tr("bitstream");
  };
  auto* size = mutedLabel(
      frame, input ? tr("%1, %2").arg(kind(), QString::fromStdString(bitsText(
                                                  input->sections.empty() ? 0 : input->sections.front().bits.size())))
                   : tr("not readable"));
  if (!input) size->setProperty("role", "differs");
  second->addWidget(size);
  second->addStretch(1);
  if (!input || input->format == configure::ConfigData::Format::Raw) {
    auto* bits = smallButton(frame, file->file.reversed ? tr("bits reversed") : tr("bits as they are"),
                             tr("Swap bit 7 and bit 0 of each byte"));
    bits->setObjectName("deviceBits");
    connect(bits, &QToolButton::clicked, this,
            [this, now = file->file.reversed] { bench_.device().setReversed(!now); });
    second->addWidget(bits);
  }
  column->addLayout(second);
  return frame;
}

void DevicePanel::addChoices() {
  DeviceWork& device = bench_.device();
  for (const run::DeviceAction::Choice& choice : device.action()->choices) {
    auto* box = new QCheckBox(sentence(readable(choice.procedure)), this);
    box->setObjectName("choice_" + QString::fromStdString(choice.procedure));
    box->setFont(textFont(12));
    box->setChecked(device.chosen(choice));
    box->setToolTip(choice.recommended ? tr("The part's maker recommends it.") : tr("Done only when you want it."));
    connect(box, &QCheckBox::toggled, this, [this, choice](bool on) { bench_.device().choose(choice, on); });
    inside_->addWidget(box);
  }
  const bool code =
      device.config() && !device.config()->byCard() && run::takesUsercode(*device.config(), *device.action());
  if (!code) return;
  auto* row = new QWidget(this);
  auto* line = new QHBoxLayout(row);
  line->setContentsMargins(0, 0, 0, 0);
  auto* edit = new QLineEdit(row);
  edit->setObjectName("deviceUsercodeEdit");
  edit->setFont(byteFont(12));
  edit->setFixedWidth(110);
  edit->setText(device.usercode());
  edit->setPlaceholderText(tr("the file's"));
  edit->setAccessibleName(tr("User code in hexadecimal digits"));
  connect(edit, &QLineEdit::editingFinished, this, [this, edit] { bench_.device().setUsercode(edit->text()); });
  line->addWidget(mutedLabel(row, tr("User code")));
  line->addWidget(edit);
  line->addStretch(1);
  inside_->addWidget(row);
}

void DevicePanel::chooseFile() {
  const QString folder = QString::fromStdString(bench_.document().sheet().folder().string());
  const QString path = QFileDialog::getOpenFileName(this, tr("The file to load"), folder);
  if (!path.isEmpty()) bench_.device().setFile(path);
}

void DevicePanel::chooseOutput() {
  const QString path = QFileDialog::getSaveFileName(this, tr("Where what is read goes"), "read.isc",
                                                    tr("IEEE 1532 data (*.isc);;All files (*)"));
  if (!path.isEmpty()) bench_.device().setOutput(path);
}

void DevicePanel::dragEnterEvent(QDragEnterEvent* event) {
  if (event->mimeData()->urls().size() == 1 && bench_.atDevice() && !bench_.run().isRunning())
    event->acceptProposedAction();
}

void DevicePanel::dropEvent(QDropEvent* event) {
  bench_.fileForDevice(bench_.device().position(), event->mimeData()->urls().front().toLocalFile());
  event->acceptProposedAction();
}

}  // namespace imprimo::app
