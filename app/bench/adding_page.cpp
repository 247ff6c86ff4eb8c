// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/adding_page.h"

#include <QFrame>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QPushButton>
#include <QScrollArea>

#include "app/look/small_widgets.h"
#include "core/base/number.h"

namespace imprimo::app {

AddingPage::AddingPage(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  setObjectName("addingPage");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(8);
  title_ = new QLabel(this);
  title_->setObjectName("addingTitle");
  title_->setFont(textFont(16, QFont::DemiBold));
  words_ =
      mutedLabel(this, tr("What this device could lead to a memory by; what answers is marked. Nothing is written."));
  words_->setWordWrap(true);
  column->addWidget(title_);
  column->addWidget(words_);
  offers_ = new OfferList(bench_.ways());
  auto* area = new QScrollArea(this);
  area->setWidget(offers_);
  area->setWidgetResizable(true);
  area->setFrameShape(QFrame::NoFrame);
  area->setFocusProxy(offers_);
  area_ = area;
  constexpr int kBeforeTheRest = 100;
  column->addWidget(area, kBeforeTheRest);
  called_ = new QWidget(this);
  auto* row = new QHBoxLayout(called_);
  row->setContentsMargins(0, 0, 0, 0);
  auto* label = new QLabel(tr("It is called"), called_);
  label->setFont(textFont(13));
  name_ = new QLineEdit(called_);
  name_->setObjectName("newMemoryName");
  name_->setAccessibleName(tr("Name of the memory"));
  name_->setFont(textFont(13));
  name_->setFixedWidth(200);
  row->addWidget(label);
  row->addWidget(name_);
  row->addStretch(1);
  column->addWidget(called_);
  trouble_ = new QLabel(this);
  trouble_->setObjectName("addingTrouble");
  trouble_->setFont(textFont(13));
  trouble_->setWordWrap(true);
  trouble_->setProperty("role", "differs");
  column->addWidget(trouble_);
  then_ =
      mutedLabel(this, tr("Then drop a bitstream or an image on it, look at what will happen, and press the button. "
                          "Escape goes back."));
  then_->setWordWrap(true);
  column->addWidget(then_);
  column->addStretch(1);
  connect(name_, &QLineEdit::textEdited, &bench_.ways(), &WayModel::setName);
  connect(name_, &QLineEdit::returnPressed, bench_.goAction, &QAction::trigger);
  connect(&bench_.ways(), &WayModel::changed, this, &AddingPage::refresh);
  refresh();
}

void AddingPage::refresh() {
  const WayModel& ways = bench_.ways();
  const bool opened = ways.position() != 0 && shown_ != ways.position();
  shown_ = ways.position();
  title_->setText(tr("A memory behind %1").arg(ways.deviceName()));
  called_->setVisible(!ways.offers().empty() && ways.offers()[ways.chosen()].way.kind != discover::Way::Kind::Direct);
  if (name_->text() != ways.name()) name_->setText(ways.name());
  trouble_->setText(ways.trouble());
  trouble_->setVisible(!ways.trouble().isEmpty());
  // As high as what it holds, so that what belongs together stands together.
  area_->setMaximumHeight(offers_->layoutOfOffers().bottom + 4);
  area_->setMinimumHeight(std::min(offers_->layoutOfOffers().bottom + 4, 260));
  if (opened) offers_->setFocus();
}

void AddingPage::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Escape) return bench_.ways().end();
  QWidget::keyPressEvent(event);
}

SheetSoFar::SheetSoFar(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 6, 0);
  column->setSpacing(10);
  auto* head = new QLabel(tr("The sheet so far"), this);
  head->setFont(textFont(14, QFont::DemiBold));
  column->addWidget(head);
  auto* card = new QFrame(this);
  card->setObjectName("card");
  auto* inCard = new QVBoxLayout(card);
  inCard->setContentsMargins(16, 14, 16, 14);
  words_ = new QLabel(card);
  words_->setObjectName("sheetSoFar");
  words_->setFont(textFont(13));
  words_->setTextFormat(Qt::RichText);
  words_->setWordWrap(true);
  words_->setAlignment(Qt::AlignTop);
  inCard->addWidget(words_);
  inCard->addStretch(1);
  auto* area = new QScrollArea(this);
  area->setWidget(card);
  area->setWidgetResizable(true);
  area->setFrameShape(QFrame::NoFrame);
  column->addWidget(area, 1);
  auto* go = firmButton(this, "addMemory");
  go->setProperty("role", "main");
  connect(bench_.goAction, &QAction::changed, go, [this, go] {
    go->setText(bench_.goAction->text());
    go->setEnabled(bench_.goAction->isEnabled());
  });
  connect(go, &QPushButton::clicked, bench_.goAction, &QAction::trigger);
  auto* back = smallButton(this, tr("back"), tr("Add nothing (Escape)"));
  back->setObjectName("addNothing");
  connect(back, &QToolButton::clicked, &bench_.ways(), &WayModel::end);
  column->addWidget(go);
  column->addWidget(back, 0, Qt::AlignLeft);
  connect(&bench_.ways(), &WayModel::changed, this, &SheetSoFar::refresh);
}

void SheetSoFar::refresh() {
  if (bench_.ways().position() == 0) return;
  const sheet::Sheet& sheet = bench_.document().sheet();
  const auto text = [](const std::string& words) { return QString::fromStdString(words).toHtmlEscaped(); };
  QString html = "<b>" + (sheet.title.empty() ? tr("Untitled board") : text(sheet.title)) + "</b>";
  if (sheet.clockHz) html += "<br>" + text(hertzText(*sheet.clockHz));
  const auto section = [&](const QString& title, const QStringList& lines) {
    html += "<p><b>" + title + "</b><br>" + (lines.isEmpty() ? tr("none yet") : lines.join("<br>")) + "</p>";
  };
  QStringList lines;
  for (std::size_t i = 0; i < sheet.chain.size(); ++i) {
    const sheet::Device& device = sheet.chain[i];
    lines += QString("%1&nbsp;&nbsp;%2&nbsp;&nbsp;%3")
                 .arg(i + 1)
                 .arg(text(device.name), device.description     ? text(device.description->entity)
                                         : device.lengthAssumed ? tr("length?")
                                                                : tr("%1 bits").arg(device.irLength));
  }
  section(tr("Devices"), lines);
  lines.clear();
  for (const sheet::MemoryEntry& entry : sheet.memories) lines += text(entry.name) + ", " + text(entry.route->words());
  section(tr("Memories"), lines);
  lines.clear();
  for (const Placement& placement : sheet.placements)
    lines += text(placement.pattern ? patternText(*placement.pattern) : placement.file);
  section(tr("Files"), lines);
  section(tr("Afterwards"), {sheet.restartAfter ? tr("restart the board") : tr("nothing")});
  words_->setText(html);
}

}  // namespace imprimo::app
