// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/vectors/vectors_view.h"

#include <QDragEnterEvent>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QMimeData>
#include <QScrollArea>
#include <QVBoxLayout>

#include "app/look/small_widgets.h"
#include "app/look/tab_button.h"
#include "core/base/number.h"

namespace imprimo::app {
namespace {

const char* const kFilter = QT_TRANSLATE_NOOP("VectorsView", "Vectors (*.svf);;All files (*)");

}  // namespace

VectorsView::VectorsView(const ViewContext& context, QWidget* parent)
    : QStackedWidget(parent), bench_(context.bench), document_(context.bench) {
  setObjectName("page");
  setAcceptDrops(true);
  addWidget(emptyPage());
  addWidget(filePage());
  connect(&document_, &VectorDocument::message, &bench_, &Workbench::message);
  connect(&document_, &VectorDocument::openRequested, this, &VectorsView::openDialog);
  connect(&document_, &VectorDocument::findRequested, this, &VectorsView::showFind);
  for (const auto signal : {&VectorDocument::changed, &VectorDocument::surveyChanged, &VectorDocument::positionChanged,
                            &VectorDocument::playChanged, &VectorDocument::factsChanged})
    connect(&document_, signal, this, &VectorsView::refresh);
  connect(&bench_, &Workbench::vectorsWanted, this, [this, show = context.show] {
    show("vectors");
    document_.makePreview();
  });
  // Keys go to the statements as soon as there are some.
  connect(&document_, &VectorDocument::changed, this, [this] {
    setFocusProxy(document_.isOpen() ? list_ : nullptr);
    if (isVisible() && document_.isOpen() && !find_->hasFocus()) list_->setFocus();
  });
  refresh();
}

QWidget* VectorsView::emptyPage() {
  auto* page = new QWidget(this);
  auto* column = new QVBoxLayout(page);
  column->setSpacing(10);
  column->addStretch(2);
  auto* title = new QLabel(tr("No file of vectors is open"), page);
  title->setFont(textFont(18, QFont::DemiBold));
  title->setAlignment(Qt::AlignCenter);
  column->addWidget(title);
  auto* hint = mutedLabel(page, tr("An SVF file from anywhere is looked through and played here, scan by scan.\nWhat "
                                   "the bench plans can be taken to another station as one."));
  hint->setAlignment(Qt::AlignCenter);
  column->addWidget(hint);
  auto* row = new QHBoxLayout;
  row->addStretch(1);
  for (QAction* action : {document_.openAction, document_.previewAction}) {
    auto* button = new QPushButton(action->text(), page);
    button->setObjectName(action->objectName() + "Button");
    if (action == document_.openAction)
      button->setProperty("role", "main");
    else
      button->setProperty("role", "quiet");
    button->setEnabled(action->isEnabled());
    connect(button, &QPushButton::clicked, action, &QAction::trigger);
    connect(action, &QAction::changed, button, [button, action] { button->setEnabled(action->isEnabled()); });
    row->addWidget(button);
  }
  row->addStretch(1);
  column->addLayout(row);
  column->addStretch(3);
  return page;
}

QWidget* VectorsView::filePage() {
  auto* page = new QWidget(this);
  auto* column = new QVBoxLayout(page);
  column->setContentsMargins(18, 12, 18, 12);
  column->setSpacing(10);
  auto* head = new QHBoxLayout;
  head->setSpacing(12);
  name_ = new QLabel(page);
  name_->setObjectName("vectorsName");
  name_->setFont(textFont(15, QFont::DemiBold));
  figure_ = mutedLabel(page, {});
  figure_->setObjectName("vectorsFigure");
  stand_ = new QLabel(page);
  stand_->setObjectName("vectorsStand");
  stand_->setFont(textFont(13, QFont::DemiBold));
  auto* another = smallButton(page, tr("open…"), document_.openAction->text());
  another->setObjectName("vectorsOpen");
  connect(another, &QToolButton::clicked, document_.openAction, &QAction::trigger);
  auto* preview = smallButton(page, tr("from the bench"), document_.previewAction->text());
  preview->setObjectName("vectorsPreview");
  connect(preview, &QToolButton::clicked, document_.previewAction, &QAction::trigger);
  connect(document_.previewAction, &QAction::changed, preview,
          [this, preview] { preview->setEnabled(document_.previewAction->isEnabled()); });
  head->addWidget(name_);
  head->addWidget(figure_);
  head->addStretch(1);
  head->addWidget(stand_);
  head->addWidget(another);
  head->addWidget(preview);
  column->addLayout(head);
  auto* strip = new VectorStrip(document_, page);
  strip->setFixedHeight(138);
  column->addWidget(strip);
  auto* across = new QHBoxLayout;
  across->setSpacing(measure::kGap + 4);
  across->addWidget(listCard(), 1);
  auto* side = new VectorSide(bench_, document_, page);
  // Where the window is low the side scrolls; it never makes the window higher.
  auto* area = new QScrollArea(page);
  area->setWidgetResizable(true);
  area->setFrameShape(QFrame::NoFrame);
  area->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  area->setFocusPolicy(Qt::NoFocus);
  area->setFixedWidth(measure::kRightWidth + 16);
  area->setWidget(side);
  area->viewport()->setAutoFillBackground(false);
  side->setAutoFillBackground(false);
  across->addWidget(area);
  column->addLayout(across, 1);
  return page;
}

QWidget* VectorsView::listCard() {
  auto* box = new QFrame(this);
  box->setObjectName("card");
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(1, 8, 1, 8);
  column->setSpacing(6);
  auto* head = new QHBoxLayout;
  head->setContentsMargins(13, 0, 8, 0);
  around_ = new QLabel(box);
  around_->setFont(textFont(13, QFont::DemiBold));
  find_ = new QLineEdit(box);
  find_->setObjectName("vectorsFind");
  find_->setPlaceholderText(tr("find text"));
  find_->setAccessibleName(tr("Find in the file"));
  find_->setFixedWidth(150);
  connect(find_, &QLineEdit::returnPressed, this, [this] { document_.find(find_->text()); });
  const auto choice = [&](const QString& text, const char* name) {
    auto* button = smallButton(box, {}, {});
    makeOneOf(button);
    setWords(button, text, text);
    button->setObjectName(name);
    button->setProperty("role", "choice");
    return button;
  };
  decoded_ = choice(tr("decoded"), "vectorsDecoded");
  asWritten_ = choice(tr("as written"), "vectorsAsWritten");
  decoded_->setChecked(true);
  head->addWidget(around_);
  head->addStretch(1);
  head->addWidget(find_);
  head->addWidget(decoded_);
  head->addWidget(asWritten_);
  column->addLayout(head);
  list_ = new VectorList(document_, box);
  connect(asWritten_, &QToolButton::toggled, list_, &VectorList::setAsWritten);
  column->addWidget(list_, 1);
  auto* inner = new QHBoxLayout;
  inner->setContentsMargins(11, 0, 11, 2);
  inner->addWidget(new MismatchPanel(document_, box));
  column->addLayout(inner);
  return box;
}

void VectorsView::refresh() {
  setCurrentIndex(document_.isOpen() ? 1 : 0);
  if (!document_.isOpen()) return;
  const svf::Survey& survey = document_.survey();
  name_->setText(document_.title());
  const auto size = QString::fromStdString(sizeText(document_.file()->text().size()));
  QString figure = survey.whole || survey.problem ? tr("%1 · %2 lines").arg(size).arg(survey.end.line)
                                                  : tr("%1 · read to line %2, %3 %")
                                                        .arg(size)
                                                        .arg(survey.end.line)
                                                        .arg(100 * survey.end.offset / document_.file()->text().size());
  const auto& facts = document_.facts();
  if (facts && !facts->contents.memories.empty())
    figure += tr(" · for %1").arg(QString::fromStdString(facts->contents.memories.front().name));
  if (survey.hz) figure += tr(" · %1 MHz").arg(*survey.hz / 1e6);
  figure_->setText(figure);
  QString stand;
  const char* role = "muted";
  const auto line = document_.playing().played().place.line;
  switch (document_.playing().state()) {
    case PlayState::Nothing:
      if (survey.problem) stand = tr("cannot be read to its end"), role = "differs";
      break;
    case PlayState::Playing:
      stand = tr("playing, line %1 of %2").arg(line).arg(survey.end.line);
      role = "brand";
      break;
    case PlayState::Paused:
      stand = tr("pausing at line %1 of %2").arg(line).arg(survey.end.line);
      role = "brand";
      break;
    case PlayState::AtMismatch:
      stand = tr("waits at line %1 of %2").arg(document_.playing().mismatch()->place.line).arg(survey.end.line);
      role = "differs";
      break;
    case PlayState::Ended:
      if (document_.playing().report() && document_.playing().report()->record.outcome == run::Outcome::Played) {
        stand = tr("played to its end"), role = "agrees";
      } else {
        const auto at = document_.playing().mismatch() ? document_.playing().mismatch()->place.line : line;
        stand = tr("stopped at line %1 of %2").arg(at).arg(survey.end.line), role = "differs";
      }
      break;
  }
  stand_->setText(stand);
  setRole(stand_, role);
  const VectorRow* row = document_.file()->row(survey, document_.row());
  around_->setText(row != nullptr ? tr("Around line %1").arg(row->place.line) : QString());
}

void VectorsView::openDialog() {
  const QString path = QFileDialog::getOpenFileName(this, tr("Open a file of vectors"), {}, tr(kFilter));
  if (!path.isEmpty()) document_.open(path);
}

void VectorsView::showFind() {
  find_->setFocus();
  find_->selectAll();
}

void VectorsView::dragEnterEvent(QDragEnterEvent* event) {
  if (event->mimeData()->urls().size() == 1) event->acceptProposedAction();
}

void VectorsView::dropEvent(QDropEvent* event) {
  document_.open(event->mimeData()->urls().front().toLocalFile());
}

QList<QWidget*> VectorsView::panes() {
  if (currentIndex() == 0) return {currentWidget()};
  return {findChild<VectorStrip*>(), list_, findChild<VectorSide*>()};
}

QList<KeyWords> VectorsView::keyWords() const {
  return {{tr("Up, Down, Page Up, Page Down"), tr("Statements: go over them")},
          {tr("Left, Right"), tr("Strip and statements: the step before, the next one")},
          {tr("Home, End"), tr("Strip and statements: begin and end of the file")}};
}

QList<QAction*> VectorsView::actions() const {
  return {document_.playAction, document_.pauseAction,    document_.stopAction,
          document_.findAction, document_.bookmarkAction, document_.nextBookmarkAction};
}

View* makeVectorsView(const ViewContext& context, QWidget* parent) {
  return new VectorsView(context, parent);
}

}  // namespace imprimo::app
