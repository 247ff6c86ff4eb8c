// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/images/wrapper_editor.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QStyle>
#include <QTextBlock>
#include <QVBoxLayout>

#include "app/look/theme.h"
#include "app/session/help_words.h"
#include "core/base/atomic_file.h"
#include "core/base/error.h"
#include "core/base/input_file.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

constexpr std::size_t kShown = 1024;
constexpr int kPerRow = 16;

QLabel* heading(QWidget* parent, const QString& words) {
  auto* label = new QLabel(words, parent);
  label->setFont(textFont(13, QFont::DemiBold));
  return label;
}

}  // namespace

/// A card to begin with: it fits every file, and shows what can be said.
QString WrapperEditor::beginning(const QString& name) {
  return QString(R"({
  "imprimo_wrapper": 1,
  "name": "%1",
  "byte_order": "high-first",
  "header": [
    {"skip": 0}
  ]
}
)")
      .arg(name);
}

WrapperEditor::WrapperEditor(const QString& filePath, const QString& cardPath, QWidget* parent)
    : QDialog(parent), bytes_(readFile(filePath.toStdString())), cardPath_(cardPath) {
  setObjectName("wrapperEditor");
  const QString name = QFileInfo(filePath).fileName();
  setWindowTitle(tr("Wrapper card for %1").arg(name));
  resize(1080, 640);
  auto* column = new QVBoxLayout(this);
  auto* across = new QHBoxLayout;
  auto* left = new QVBoxLayout;
  left->addWidget(heading(this, tr("%1, its first bytes").arg(name)));
  dump_ = new QPlainTextEdit(this);
  dump_->setObjectName("wrapperBytes");
  dump_->setAccessibleName(tr("The file's first bytes"));
  dump_->setReadOnly(true);
  dump_->setFont(byteFont(12));
  dump_->setLineWrapMode(QPlainTextEdit::NoWrap);
  left->addWidget(dump_, 3);
  left->addWidget(heading(this, tr("What they become")));
  fields_ = new QLabel(this);
  fields_->setObjectName("wrapperFields");
  fields_->setTextFormat(Qt::RichText);
  fields_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  fields_->setFont(textFont(12));
  fields_->setAlignment(Qt::AlignTop);
  left->addWidget(fields_, 2);
  auto* right = new QVBoxLayout;
  right->addWidget(heading(this, tr("The card")));
  text_ = new QPlainTextEdit(this);
  text_->setObjectName("wrapperText");
  text_->setAccessibleName(tr("The wrapper card's text"));
  text_->setFont(byteFont(12));
  text_->setTabStopDistance(QFontMetrics(byteFont(12)).horizontalAdvance("  "));
  right->addWidget(text_, 1);
  across->addLayout(left, 11);
  across->addSpacing(10);
  across->addLayout(right, 10);
  column->addLayout(across, 1);
  auto* bottom = new QHBoxLayout;
  problem_ = new QLabel(this);
  problem_->setObjectName("wrapperProblem");
  problem_->setWordWrap(true);
  problem_->setFont(textFont(12));
  save_ = new QPushButton(cardPath_.isEmpty() ? tr("Save the card and use it…") : tr("Save the card and use it"), this);
  save_->setObjectName("wrapperSave");
  save_->setProperty("role", "main");
  auto* cancel = new QPushButton(tr("Leave it"), this);
  cancel->setObjectName("wrapperCancel");
  cancel->setAutoDefault(false);
  save_->setAutoDefault(false);
  bottom->addWidget(problem_, 1);
  bottom->addWidget(cancel);
  bottom->addWidget(save_);
  column->addLayout(bottom);
  connect(text_, &QPlainTextEdit::textChanged, this, &WrapperEditor::look);
  connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
  connect(save_, &QPushButton::clicked, this, &WrapperEditor::save);
  text_->setPlainText(cardPath_.isEmpty() ? beginning(QFileInfo(filePath).completeBaseName())
                                          : QString::fromStdString(readTextFile(cardPath_.toStdString())));
}

void WrapperEditor::look() {
  card_.reset();
  QString problem;
  try {
    card_ = parseWrapperCard(text_->toPlainText().toStdString(), "the card");
    result_ = tryUnwrap(*card_, bytes_);
    problem = QString::fromStdString(result_.problem);
  } catch (const Error& e) {
    problem = told(e);  // the fields of the last card that was one stay on screen
  }
  const std::uint64_t behind = result_.payload.end < bytes_.size() ? bytes_.size() - result_.payload.end : 0;
  problem_->setText(!problem.isEmpty() ? sentence(problem)
                    : behind == 0      ? tr("The file fits the card.")
                                       : tr("The file fits the card, but %1 after the payload would be left out.")
                                        .arg(QString::fromStdString(sizeText(behind))));
  if (problem.isEmpty() && behind > 0) problem = problem_->text();
  problem_->setProperty("role", problem.isEmpty() ? "agrees" : "differs");
  problem_->style()->unpolish(problem_);
  problem_->style()->polish(problem_);
  save_->setEnabled(card_ && result_.problem.empty());
  showBytes();
}

void WrapperEditor::showBytes() {
  const Theme& theme = Theme::current();
  QString dump;
  const std::size_t count = std::min(bytes_.size(), kShown);
  for (std::size_t at = 0; at < count; at += kPerRow) {
    dump += QString("%1  ").arg(at, 6, 16, QChar('0')).toUpper();
    for (std::size_t i = at; i < at + kPerRow; ++i)
      dump += i < count ? QString("%1 ").arg(bytes_[i], 2, 16, QChar('0')).toUpper() : QString("   ");
    dump += ' ';
    for (std::size_t i = at; i < std::min(count, at + kPerRow); ++i)
      dump += bytes_[i] >= 0x20 && bytes_[i] < 0x7F ? QChar(bytes_[i]) : QChar(u'·');
    dump += '\n';
  }
  if (dump_->toPlainText() != dump) dump_->setPlainText(dump);
  QList<QTextEdit::ExtraSelection> marks;
  QString table = "<table cellspacing='3'>";
  const auto mark = [&](const AddressRange& range, const QColor& color, const QColor& ink) {
    for (std::uint64_t at = range.begin; at < std::min<std::uint64_t>(range.end, count);) {
      const std::uint64_t row = at / kPerRow, end = std::min<std::uint64_t>({range.end, count, (row + 1) * kPerRow});
      QTextEdit::ExtraSelection selection;
      selection.cursor = QTextCursor(dump_->document()->findBlockByNumber(static_cast<int>(row)));
      selection.cursor.movePosition(QTextCursor::Right, QTextCursor::MoveAnchor,
                                    8 + static_cast<int>(at % kPerRow) * 3);
      selection.cursor.movePosition(QTextCursor::Right, QTextCursor::KeepAnchor, static_cast<int>(end - at) * 3 - 1);
      selection.format.setBackground(color);
      selection.format.setForeground(ink);
      marks += selection;
      at = end;
    }
  };
  std::size_t shown = 0;
  for (const Unwrapped::Field& field : result_.fields) {
    QColor color = field.name.empty() ? theme.line : theme.pieceColor(shown);
    if (!field.name.empty()) {
      ++shown;
      table +=
          QString(
              "<tr><td><span style='color:%1'>■</span> %2</td><td width='12'></td><td><b>%3</b></td><td "
              "width='12'></td><td>%4</td></tr>")
              .arg(color.name(), QString::fromStdString(field.name).toHtmlEscaped(),
                   QString::fromStdString(field.text).toHtmlEscaped(), QString::fromStdString(rangeText(field.at)));
    }
    mark(field.at, color, field.name.empty() ? theme.ink : theme.onPlanned);
  }
  if (!result_.payload.empty()) {
    table += QString("<tr><td>%1</td><td></td><td><b>%2</b></td><td></td><td>%3</td></tr>")
                 .arg(tr("payload"), QString::fromStdString(sizeText(result_.payload.size())),
                      QString::fromStdString(rangeText(result_.payload)));
    mark(result_.payload, theme.plannedTint, theme.ink);
  }
  dump_->setExtraSelections(marks);
  fields_->setText(table + "</table>");
}

void WrapperEditor::save() {
  QString path = cardPath_;
  if (path.isEmpty())
    path = QFileDialog::getSaveFileName(this, tr("Save the wrapper card"), "wrapper.json", tr("Cards (*.json)"));
  if (path.isEmpty()) return;
  try {
    writeFileAtomically(path.toStdString(), std::string_view(text_->toPlainText().toStdString()));
    savedAs_ = path;
    accept();
  } catch (const Error& e) {
    problem_->setText(told(e));
  }
}

}  // namespace imprimo::app
