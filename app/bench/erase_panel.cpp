// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/erase_panel.h"

#include <QFrame>
#include <QHBoxLayout>
#include <QStyle>

#include "app/look/small_widgets.h"
#include "core/base/number.h"

namespace imprimo::app {

ErasePanel::ErasePanel(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  setObjectName("erasePanel");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(6);
  auto* head = new QHBoxLayout;
  auto* title = new QLabel(tr("Erase"), this);
  title->setFont(textFont(14, QFont::DemiBold));
  auto* all = smallButton(this, tr("all of it"), tr("Erase the whole memory, but for what is kept"));
  all->setObjectName("eraseAll");
  head->addWidget(title);
  head->addStretch(1);
  head->addWidget(all);
  column->addLayout(head);
  rows_ = new QVBoxLayout;
  rows_->setSpacing(6);
  column->addLayout(rows_);
  list_ = std::make_unique<KeptRows>(rows_, all);
  range_ = new QLineEdit(this);
  range_->setObjectName("eraseRange");
  range_->setAccessibleName(tr("Range to erase"));
  range_->setFont(byteFont(12));
  range_->setPlaceholderText("0x600000..0x60FFFF");
  range_->setToolTip(tr("A..B with both ends, or A+N: 0x600000..0x60FFFF, 6M+64K. Or drag over the map."));
  column->addWidget(range_);
  whole_ = new QCheckBox(tr("whole blocks, including other data"), this);
  whole_->setObjectName("wholeBlocks");
  whole_->setFont(textFont(12));
  column->addWidget(whole_);
  skip_ = new QCheckBox(tr("skip what is kept"), this);
  skip_->setObjectName("skipKept");
  skip_->setFont(textFont(12));
  column->addWidget(skip_);
  others_ = mutedLabel(this, {});
  others_->setObjectName("eraseOthers");
  others_->setWordWrap(true);
  column->addWidget(others_);
  connect(range_, &QLineEdit::returnPressed, this, &ErasePanel::addTyped);
  connect(range_, &QLineEdit::textEdited, this, [this] { setWrong(range_, false); });
  connect(whole_, &QCheckBox::toggled, &bench_.choice(), &WriteChoice::setWholeBlocks);
  connect(skip_, &QCheckBox::toggled, &bench_.choice(), &WriteChoice::setSkipKept);
  connect(all, &QToolButton::clicked, this, [this] {
    const auto g = bench_.geometry();
    if (!g) return;
    if (keptIsAsked({g->whole()})) bench_.choice().setSkipKept(true);  // all of it, but for what is kept
    bench_.choice().addEraseRange(g->whole());
  });
  for (const auto signal : {&Workbench::intentChanged, &Workbench::sheetChanged, &Workbench::memoryChanged})
    connect(&bench_, signal, this, &ErasePanel::rebuild, Qt::QueuedConnection);
  connect(&bench_, &Workbench::planChanged, this, [this] { others_->setText(othersText()); });
  // What is not in sight says nothing of it.
  connect(&bench_, &Workbench::runChanged, this, [this] {
    if (isVisible() || !bench_.run().isRunning()) setEnabled(!bench_.run().isRunning());
  });
  rebuild();
}

void ErasePanel::addTyped() {
  const auto range = parseRange(range_->text().trimmed().toStdString());
  const bool wrong = !range && !range_->text().trimmed().isEmpty();
  setWrong(range_, wrong);
  if (wrong) {
    emit bench_.inputRefused(
        tr("'%1' is no range: write A..B (both ends included) or A+N, with A before B.").arg(range_->text()));
    return;
  }
  if (!range) return;
  emit bench_.inputMended();
  bench_.choice().addEraseRange(*range);
  range_->clear();
}

QWidget* ErasePanel::makeRow() {
  auto* frame = new QFrame(this);
  frame->setObjectName("card");
  auto* row = new QHBoxLayout(frame);
  row->setContentsMargins(10, 5, 6, 5);
  auto* name = smallButton(frame, {}, {});
  name->setObjectName("eraseName");
  name->setFont(byteFont(12));
  name->setProperty("role", "name");
  auto* remove = smallButton(frame, "×", {});
  remove->setObjectName("removeErase");
  row->addWidget(name);
  row->addStretch(1);
  row->addWidget(mutedLabel(frame, {}));
  row->addWidget(remove);
  const auto index = [frame] { return static_cast<std::size_t>(frame->property("index").toInt()); };
  connect(name, &QToolButton::clicked, this, [this, index] {
    const auto ranges = bench_.choice().eraseRanges();
    if (index() < ranges.size()) bench_.cursor().jumpTo(ranges[index()].begin);
  });
  connect(remove, &QToolButton::clicked, this, [this, index] { bench_.choice().removeEraseRange(index()); });
  return frame;
}

void ErasePanel::rebuild() {
  const std::vector<AddressRange> ranges = bench_.choice().eraseRanges();
  QStringList words;
  for (const AddressRange& range : ranges) words += QString::fromStdString(rangeText(range));
  list_->show(
      words, [this] { return makeRow(); },
      [&](QWidget* row, std::size_t i) {
        row->setProperty("index", static_cast<int>(i));
        const QString& text = words[static_cast<qsizetype>(i)];
        setWords(row->findChild<QToolButton*>("eraseName"), text, tr("Go to where %1 begins").arg(text));
        setWords(row->findChild<QToolButton*>("removeErase"), "×", tr("Take %1 off the list").arg(text));
        row->findChild<QLabel*>()->setText(QString::fromStdString(sizeText(ranges[i].size())));
      });
  whole_->setChecked(bench_.choice().wholeBlocks());
  skip_->setChecked(bench_.choice().skipKept());
  skip_->setVisible(bench_.choice().skipKept() || keptIsAsked(ranges));
  others_->setText(othersText());
}

bool ErasePanel::keptIsAsked(const std::vector<AddressRange>& ranges) const {
  if (!bench_.document().isOpen()) return false;
  const RangeSet asked(ranges);
  const std::vector<AddressRange> kept = bench_.document().sheet().keptIn(bench_.memory());
  return std::any_of(kept.begin(), kept.end(), [&](const AddressRange& k) { return asked.overlaps(k); });
}

QString ErasePanel::othersText() const {
  const PlanPtr& plan = bench_.run().plan();
  if (bench_.choice().intent() != Intent::Erase || !plan || bench_.choice().eraseRanges().empty()) return {};
  QStringList lines;
  RangeSet shared, asked(bench_.choice().eraseRanges());
  for (const plan::BlockPlan& block : plan->blocks) {
    if (block.fate == plan::BlockFate::Renew) shared.add(block.range);
  }
  for (const AddressRange& r : shared.ranges()) {
    if (lines.size() == 3) {
      lines += tr("… and %1 more").arg(shared.ranges().size() - 3);
      break;
    }
    lines += tr("%1: other data lives there and is put back").arg(QString::fromStdString(rangeText(r)));
  }
  if (bench_.choice().wholeBlocks()) {
    RangeSet more;
    for (const plan::BlockPlan& block : plan->blocks) more.add(block.range);
    const std::uint64_t extra = more.size() - std::min(more.size(), asked.size());
    if (extra > 0) lines += tr("%1 beside the ranges go too").arg(QString::fromStdString(sizeText(extra)));
  }
  std::map<std::uint64_t, std::size_t> sizes;
  for (const plan::Step& step : plan->steps) {
    for (const memory::EraseBlock& e : step.erases) ++sizes[e.range.size()];
  }
  QStringList commands;
  for (const auto& [size, count] : sizes)
    commands += tr("%1 × %2").arg(count).arg(QString::fromStdString(sizeText(size)));
  if (!commands.isEmpty()) lines += tr("erase commands: %1").arg(commands.join(", "));
  return lines.join('\n');
}

}  // namespace imprimo::app
