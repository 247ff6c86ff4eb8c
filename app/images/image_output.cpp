// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/images/image_output.h"

#include <QFormLayout>
#include <QHBoxLayout>
#include <QPainter>
#include <QScrollArea>
#include <QStyle>
#include <QToolButton>

#include "app/images/output_choices.h"
#include "app/look/text.h"
#include "app/look/theme.h"
#include "core/base/number.h"
#include "core/image/sync_word.h"

namespace imprimo::app {
namespace {

/// A mark that says by its shape too how a finding stands.
class Mark : public QWidget {
 public:
  Mark(Finding::Level level, bool answered, QWidget* parent) : QWidget(parent), level_(level), answered_(answered) {
    setFixedSize(14, 18);
  }

 protected:
  void paintEvent(QPaintEvent*) override {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    const Theme& t = Theme::current();
    if (level_ == Finding::Fine || answered_) {
      p.setBrush(t.agrees);
      p.drawEllipse(QRectF(2, 5, 9, 9));
    } else if (level_ == Finding::Note) {
      p.setPen(QPen(t.muted, 2));
      p.setBrush(Qt::NoBrush);
      p.drawEllipse(QRectF(3, 6, 7, 7));
    } else {
      p.setBrush(t.differs);
      p.drawRect(QRectF(2, 5, 9, 9));
      if (level_ == Finding::Blocks) {
        p.setPen(QPen(t.panel, 2));
        p.drawLine(QPointF(4, 9.5), QPointF(9, 9.5));
      }
    }
  }

 private:
  Finding::Level level_;
  bool answered_;
};

}  // namespace

ImageOutput::ImageOutput(Workbench& bench, ImageDocument& document, QAction* save, QAction* toBench, QWidget* parent)
    : QWidget(parent), bench_(bench), document_(document) {
  setObjectName("imageOutput");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(6);
  auto* title = new QLabel(tr("Output"), this);
  title->setFont(textFont(14, QFont::DemiBold));
  title->setFixedHeight(measure::kViewHead);
  column->addWidget(title);
  column->addWidget(form());
  auto* head = new QHBoxLayout;
  auto* looked = new QLabel(tr("Checks"), this);
  looked->setFont(textFont(14, QFont::DemiBold));
  verdict_ = new QLabel(this);
  verdict_->setObjectName("verdict");
  verdict_->setFont(textFont(12, QFont::DemiBold));
  head->addWidget(looked);
  head->addStretch(1);
  head->addWidget(verdict_);
  column->addSpacing(4);
  column->addLayout(head);
  auto* frame = new QFrame(this);
  frame->setObjectName("card");
  auto* around = new QVBoxLayout(frame);
  around->setContentsMargins(2, 2, 2, 2);
  auto* scroll = new QScrollArea(frame);
  scroll->setFocusPolicy(Qt::NoFocus);
  scroll->setWidgetResizable(true);
  scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* inside = new QWidget(scroll);
  inside->setStyleSheet("background: transparent;");
  findings_ = new QVBoxLayout(inside);
  findings_->setContentsMargins(8, 6, 6, 6);
  findings_->setSpacing(5);
  scroll->setWidget(inside);
  around->addWidget(scroll);
  column->addWidget(frame, 1);

  const auto button = [&](QAction* action, const char* name, const char* look) {
    auto* b = new QPushButton(this);
    b->setObjectName(name);
    b->setFont(textFont(13, QFont::DemiBold));
    b->setText(action->text());
    if (*look != '\0') b->setProperty("role", look);
    connect(b, &QPushButton::clicked, action, &QAction::trigger);
    column->addWidget(b);
    return b;
  };
  save_ = button(save, "imageSave", "main");
  toBench_ = button(toBench, "toBench", "quiet");
  keep_ = new QPushButton(tr("Keep it in the sheet"), this);
  keep_->setObjectName("keepInSheet");
  keep_->setProperty("role", "quiet");
  keep_->setFont(textFont(12));
  connect(keep_, &QPushButton::clicked, &document_, &ImageDocument::keepInSheet);
  column->addWidget(keep_);
  connect(&document_, &ImageDocument::changed, this, &ImageOutput::refresh, Qt::QueuedConnection);
  connect(&bench_, &Workbench::sheetChanged, this, &ImageOutput::refresh, Qt::QueuedConnection);
  refresh();
}

void ImageOutput::refresh() {
  const ImageState& s = document_.state();
  for_->clear();
  if (bench_.document().isOpen()) {
    for (const sheet::MemoryEntry& m : bench_.document().sheet().memories)
      for_->addItem(tr("%1 of the sheet").arg(text(m.name)), text(m.name));
  }
  for_->addItem(tr("no part of a sheet"), QString());
  for_->setCurrentIndex(for_->findData(text(s.memory)));
  use_->setCurrentIndex(s.use == MemoryUse::Configuration ? 0 : s.use == MemoryUse::CoreCode ? 1 : 2);
  const auto set = [](QLineEdit* edit, const QString& words) {
    if (!edit->hasFocus() || !edit->isModified()) edit->setText(words);
  };
  const auto sized = [](std::uint64_t n) {
    return n == 0               ? QString()
           : n % (1 << 20) == 0 ? QString("%1M").arg(n >> 20)
           : n % 1024 == 0      ? QString("%1K").arg(n >> 10)
                                : text(hexAddress(n));
  };
  set(size_, sized(s.size));
  set(block_, sized(s.block));
  set(sync_, text(digitsOf(s.sync)));
  set(fill_, QString("%1").arg(s.fill, 2, 16, QChar('0')).toUpper());
  set(record_, QString::number(s.recordLength));
  record_->setEnabled(s.format != ImageFormat::Raw);
  for (int i = 0; i < format_->count(); ++i) {
    if (kFormats[i].format == s.format && (s.format == ImageFormat::Raw || kFormats[i].bits == s.addressBits))
      format_->setCurrentIndex(i);
  }
  whole_->setChecked(s.wholeMemory);
  whole_->setEnabled(s.size > 0);
  save_->setEnabled(document_.canSave());
  toBench_->setEnabled(!s.memory.empty() && !s.placements.empty());
  keep_->setEnabled(!s.memory.empty() && !document_.keptInSheet());
  keep_->setText(s.memory.empty()          ? tr("No sheet to keep it in")
                 : document_.keptInSheet() ? tr("It is as in the sheet")
                                           : tr("Keep it in the sheet"));
  refreshFindings();
}

void ImageOutput::refreshFindings() {
  while (QLayoutItem* item = findings_->takeAt(0)) {
    if (item->widget() != nullptr) item->widget()->deleteLater();
    delete item;
  }
  int decide = 0, block = 0;
  for (const Finding& f : document_.findings()) {
    const bool answered = f.level == Finding::Trouble &&
                          document_.state().meant.contains(ImageDocument::answerKey(f, document_.pieces()));
    decide += f.level == Finding::Trouble && !answered ? 1 : 0;
    block += f.level == Finding::Blocks ? 1 : 0;
    findings_->addWidget(findingRow(f, answered));
  }
  findings_->addStretch(1);
  verdict_->setProperty("role", decide + block > 0 ? "differs" : "agrees");
  verdict_->style()->unpolish(verdict_);
  verdict_->style()->polish(verdict_);
  QString verdict = tr("all well");
  if (block > 0) {
    verdict = block == 1 ? tr("1 error") : tr("%1 errors").arg(block);
  } else if (decide > 0) {
    verdict = decide == 1 ? tr("1 warning") : tr("%1 warnings").arg(decide);
  } else if (document_.pieces().empty()) {
    verdict.clear();
  }
  verdict_->setText(verdict);
}

QWidget* ImageOutput::findingRow(const Finding& finding, bool answered) {
  auto* row = new QWidget(this);
  row->setObjectName("finding");
  row->setProperty("code", QString(nameOf(finding.kind)));
  row->setProperty("level", nameOf(finding.level));
  auto* across = new QHBoxLayout(row);
  across->setContentsMargins(0, 0, 0, 0);
  across->setSpacing(6);
  across->addWidget(new Mark(finding.level, answered, row), 0, Qt::AlignTop);
  auto* words = new QVBoxLayout;
  words->setSpacing(1);
  auto* what = new QLabel(text(finding.what), row);
  what->setFont(textFont(12));
  what->setWordWrap(true);
  words->addWidget(what);
  if (!finding.remedy.empty() && !answered) {
    auto* remedy = new QLabel(text(finding.remedy), row);
    remedy->setProperty("role", "muted");
    remedy->setFont(textFont(11));
    remedy->setWordWrap(true);
    words->addWidget(remedy);
    words->addLayout(findingLinks(finding, row));
  }
  across->addLayout(words, 1);
  return row;
}

/// What can be done about it.
QHBoxLayout* ImageOutput::findingLinks(const Finding& finding, QWidget* row) {
  auto* links = new QHBoxLayout;
  const auto link = [&](const char* name, const QString& label, auto&& act) {
    auto* button = new QToolButton(row);
    button->setObjectName(name);
    button->setText(label);
    button->setFont(textFont(11));
    connect(button, &QToolButton::clicked, this, act);
    links->addWidget(button);
  };
  if (finding.where) {
    link("findingShow", tr("show"), [this, finding] {
      if (!finding.pieces.empty()) document_.select(document_.fileOf(finding.pieces.back()));
      document_.setPosition(finding.where->begin);
    });
  }
  const auto file = finding.pieces.empty() ? std::nullopt : document_.fileOf(finding.pieces.front());
  if (finding.level == Finding::Trouble) {
    if (finding.kind == Finding::SyncReversed && file) {
      link("findingMend", tr("do it"), [this, file] {
        Placement next = document_.state().placements[*file];
        next.reversed = !next.reversed;
        document_.setPlacement(*file, next, tr("Bits of each byte reversed"));
      });
    }
    if (finding.kind == Finding::Code && file)
      link("findingRemove", tr("take it out"), [this, file] { document_.remove(*file); });
    link("findingMeant", tr("accept"), [this, finding] { document_.accept(finding); });
  }
  if (finding.kind == Finding::Block && file) {
    link("findingAlign", tr("align it"), [this, file] {
      const AddressRange extent = document_.files()[*file].piece->image.extent();
      const std::uint64_t block = document_.state().block;
      document_.moveTo(*file, (extent.begin + block - 1) / block * block);
    });
  }
  links->addStretch(1);
  return links;
}

}  // namespace imprimo::app
