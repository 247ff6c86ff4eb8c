// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/device/device_page.h"

#include <QHBoxLayout>
#include <QStyle>
#include <QVBoxLayout>

#include "app/device/card_trial.h"
#include "app/look/small_widgets.h"
#include "core/base/number.h"

namespace imprimo::app {

DevicePage::DevicePage(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  setObjectName("devicePage");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(8);
  auto* head = new QHBoxLayout;
  name_ = new QLabel(this);
  name_->setFont(textFont(16, QFont::DemiBold));
  figure_ = mutedLabel(this, {});
  figure_->setObjectName("deviceFigure");
  card_ = smallButton(this, tr("its card…"), tr("Write its configuration card, and try it step by step"));
  card_->setObjectName("openConfigCard");
  connect(card_, &QToolButton::clicked, this, &DevicePage::openCard);
  head->addWidget(name_);
  head->addWidget(figure_);
  head->addStretch(1);
  head->addWidget(card_);
  column->addLayout(head);
  field_ = new BitField(this);
  column->addWidget(field_, 5);
  caption_ = mutedLabel(this, {});
  caption_->setObjectName("deviceCaption");
  caption_->setWordWrap(true);
  column->addWidget(caption_);
  column->addWidget(stateCard());
  facts_ = mutedLabel(this, {});
  facts_->setWordWrap(true);
  facts_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  column->addWidget(facts_);
  for (const auto signal :
       {&Workbench::deviceChanged, &Workbench::memoryChanged, &Workbench::linkChanged, &Workbench::sheetChanged})
    connect(&bench_, signal, this, &DevicePage::refresh);
  connect(&bench_.session(), &BenchSession::runStarted, this, &DevicePage::refresh);
  for (const auto signal : {&Workbench::runChanged, &Workbench::planChanged})
    connect(&bench_, signal, this, &DevicePage::refreshProgress);
  refresh();
}

QFrame* DevicePage::stateCard() {
  auto* card = new QFrame(this);
  card->setObjectName("card");
  auto* inside = new QVBoxLayout(card);
  inside->setContentsMargins(14, 10, 14, 12);
  inside->setSpacing(6);
  auto* top = new QHBoxLayout;
  runs_ = new QLabel(card);
  runs_->setObjectName("deviceRuns");
  runs_->setFont(textFont(15, QFont::DemiBold));
  usercode_ = new QLabel(card);
  usercode_->setObjectName("deviceUsercode");
  usercode_->setFont(byteFont(12));
  usercode_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  look_ = smallButton(card, tr("look again"), tr("Read the status"));
  look_->setObjectName("lookAgain");
  restart_ = new QToolButton(card);
  restart_->setDefaultAction(bench_.restartAction);
  restart_->setFont(textFont(12));
  connect(look_, &QToolButton::clicked, this, [this] { bench_.session().lookAtDevices(); });
  top->addWidget(runs_);
  top->addSpacing(10);
  top->addWidget(usercode_);
  top->addStretch(1);
  top->addWidget(look_);
  top->addWidget(restart_);
  inside->addLayout(top);
  status_ = new StatusBits(card);
  inside->addWidget(status_);
  return card;
}

void DevicePage::refresh() {
  if (!bench_.atDevice()) return;
  const DeviceWork& device = bench_.device();
  name_->setText(QString::fromStdString(device.name()));
  const auto& config = device.config();
  QString words;
  if (config) {
    words = QString::fromStdString(config->description->entity);
    words += config->byCard()           ? tr(" · configured by its card")
             : config->description->isc ? tr(" · configured as IEEE 1532 has it")
                                        : tr(" · nothing says how it is configured");
    if (!config->byCard() && config->description->isc && !config->description->isc->pinBehavior.empty())
      words += tr(", its pins are %1 meanwhile").arg(QString::fromStdString(config->description->isc->pinBehavior));
  }
  figure_->setText(words);
  figure_->setToolTip(config && config->card ? QString::fromStdString(config->card->fileName) : QString());
  card_->setEnabled(config != nullptr && !bench_.run().isRunning());

  // How it was before says nothing of a device that something is done to now.
  const bool busy = bench_.run().isRunning();
  const bench::DeviceReport* report = busy ? nullptr : bench_.link().deviceReport(device.position());
  QString runs = tr("Not asked yet");
  const char* role = "muted";
  if (report != nullptr) {
    runs = !report->runs   ? tr("Does not tell whether it runs")
           : *report->runs ? tr("● A design runs")
                           : tr("○ No design runs");
    role = report->runs == true ? "agrees" : report->runs == false ? "differs" : "muted";
  } else if (busy) {
    runs = tr("Status is read after the run");
  } else if (bench_.link().state() == LinkState::Connected) {
    runs = tr("Reports no status");
  }
  runs_->setText(runs);
  setRole(runs_, role);
  usercode_->setText(report != nullptr && report->usercode
                         ? tr("user code %1").arg(QString::fromStdString(hexIdcode(*report->usercode)))
                         : QString());
  if (!busy) status_->show(report != nullptr ? report->bits : std::vector<bench::DeviceReport::Bit>{});
  look_->setEnabled(bench_.link().state() == LinkState::Connected && !bench_.run().isRunning());

  const auto input = device.data();
  QStringList facts;
  if (input) {
    for (const auto& [key, value] : input->facts)
      facts += QString("%1: %2").arg(QString::fromStdString(key), QString::fromStdString(value));
  }
  facts_->setText(facts.join(" · "));
  facts_->setVisible(!facts.isEmpty());
  refreshProgress();
}

void DevicePage::refreshProgress() {
  if (!bench_.atDevice()) return;
  const DeviceWork& device = bench_.device();
  card_->setEnabled(device.config() != nullptr && !bench_.run().isRunning());
  look_->setEnabled(bench_.link().state() == LinkState::Connected && !bench_.run().isRunning());
  status_->setEnabled(!bench_.run().isRunning());
  const auto input = device.data();
  const configure::ConfigData::Section* bits = input && !input->sections.empty() ? &input->sections.front() : nullptr;
  std::uint64_t rowBits = 0;
  if (bits != nullptr && device.config() && !device.config()->byCard() && device.config()->description->isc)
    rowBits = bench::rowBitsOf(*device.config()->description->isc);
  field_->setWords(device.problem().isEmpty() ? tr("This action needs no file.") : device.problem());
  field_->setBits(bits != nullptr ? std::shared_ptr<const BitVector>(input, &bits->bits) : nullptr, rowBits);

  // How far the file's bits have gone: those of the first step that shifts them; a later one confirms.
  std::uint64_t done = 0;
  bool confirmed = false, broken = false;
  if (bench_.run().plan()) {
    const auto& steps = bench_.run().plan()->steps;
    for (std::size_t i = 0; i < steps.size() && i < bench_.run().steps().size(); ++i) {
      const StepStatus& status = bench_.run().steps()[i];
      broken = broken || status.state == StepStatus::Broken;
      if (steps[i].bits() == 0) continue;
      done = std::max(done, status.state == StepStatus::Done ? steps[i].bits() : status.done);
    }
  }
  const auto& record = bench_.run().record();
  if (record && record->good() && record->device == device.name()) confirmed = record->outcome != run::Outcome::Done;
  field_->setDone(done, confirmed, broken);
  QString caption;
  if (bits != nullptr) {
    caption =
        tr("%1 · %2").arg(QString::fromStdString(input->file), QString::fromStdString(bitsText(bits->bits.size())));
    if (rowBits > 0 && bits->bits.size() % rowBits == 0)
      caption += tr(" · %1 rows of %2").arg(bits->bits.size() / rowBits).arg(rowBits);
    if (const auto code = device.config() ? bench::usercodeIn(*device.config(), *input) : std::nullopt)
      caption += tr(" · the file's user code is %1").arg(QString::fromStdString(hexIdcode(*code)));
  }
  caption_->setText(caption);
  caption_->setVisible(!caption.isEmpty());
}

void DevicePage::openCard() {
  auto* dialog = new CardTrial(bench_, this);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  dialog->open();
}

}  // namespace imprimo::app
