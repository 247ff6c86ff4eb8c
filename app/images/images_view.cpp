// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/images/images_view.h"

#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QMimeData>
#include <filesystem>

#include "app/images/image_files.h"
#include "app/images/image_output.h"
#include "app/images/wrapper_editor.h"
#include "app/session/help_words.h"
#include "core/base/atomic_file.h"
#include "core/base/number.h"

namespace imprimo::app {

ImagesView::ImagesView(const ViewContext& context, QWidget* parent)
    : QWidget(parent), bench_(context.bench), show_(context.show), document_(context.bench) {
  setObjectName("page");
  setAcceptDrops(true);
  makeActions();
  auto* across = new QHBoxLayout(this);
  across->setContentsMargins(18, 12, 18, 12);
  across->setSpacing(measure::kGap + 4);
  auto* files = new ImageFiles(document_, this);
  files->setFixedWidth(measure::kRailWidth + 20);
  across->addWidget(files);
  across->addWidget(middle(), 1);
  auto* output = new ImageOutput(bench_, document_, saveAction, toBenchAction, this);
  output->setFixedWidth(measure::kRightWidth + 16);
  across->addWidget(output);
  connect(files, &ImageFiles::wrapperWanted, this, &ImagesView::writeWrapper);
  connect(&document_, &ImageDocument::changed, this, &ImagesView::refresh);
  connect(&document_, &ImageDocument::message, &bench_, &Workbench::message);
  connect(&document_, &ImageDocument::changed, this,
          [this] { bench_.keeping().setViewHasChanges(document_.isUnkept()); });
  connect(&bench_.keeping(), &SheetKeeping::saving, &document_, &ImageDocument::keepAll);
  refresh();
}

void ImagesView::makeActions() {
  undoAction = document_.history().createUndoAction(this, tr("Undo"));
  undoAction->setShortcut(QKeySequence::Undo);
  redoAction = document_.history().createRedoAction(this, tr("Redo"));
  redoAction->setShortcuts({QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Z), QKeySequence(Qt::CTRL | Qt::Key_Y)});
  saveAction = new QAction(tr("Save image…"), this);
  saveAction->setShortcut(QKeySequence(Qt::CTRL | Qt::Key_E));
  connect(saveAction, &QAction::triggered, this, &ImagesView::saveDialog);
  compareAction = new QAction(tr("compare with…"), this);
  connect(compareAction, &QAction::triggered, this, &ImagesView::compare);
  toBenchAction = new QAction(tr("Take it to the bench"), this);
  toBenchAction->setShortcut(QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_B));
  connect(toBenchAction, &QAction::triggered, this, [this] {
    document_.keepInSheet();
    bench_.selectMemory(document_.state().memory);
    show_("bench");
  });
  undoAction->setObjectName("undoImage");
  redoAction->setObjectName("redoImage");
  saveAction->setObjectName("saveImage");
  compareAction->setObjectName("compareImage");
  toBenchAction->setObjectName("imageToBench");
}

QWidget* ImagesView::middle() {
  auto* box = new QWidget(this);
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(6);
  auto* head = new QHBoxLayout;
  title_ = new QLabel(box);
  title_->setObjectName("imageTitle");
  title_->setFont(textFont(14, QFont::DemiBold));
  title_->setFixedHeight(measure::kViewHead);
  figure_ = new ElidedLabel(box);
  figure_->setProperty("role", "muted");
  figure_->setFont(textFont(12));
  const auto button = [&](const char* name, const QString& words) {
    auto* b = new QToolButton(box);
    b->setObjectName(name);
    b->setText(words);
    b->setFont(textFont(12));
    return b;
  };
  auto* undo = button("undo", tr("undo"));
  connect(undo, &QToolButton::clicked, undoAction, &QAction::trigger);
  connect(&document_.history(), &QUndoStack::canUndoChanged, undo, &QWidget::setEnabled);
  connect(&document_.history(), &QUndoStack::undoTextChanged, undo,
          [undo](const QString& what) { undo->setToolTip(what); });
  undo->setEnabled(false);
  compareButton_ = button("compareButton", compareAction->text());
  connect(compareButton_, &QToolButton::clicked, compareAction, &QAction::trigger);
  reportButton_ = button("reportButton", tr("report…"));
  connect(reportButton_, &QToolButton::clicked, this, &ImagesView::saveReport);
  head->addWidget(title_);
  head->addSpacing(8);
  head->addWidget(figure_, 1);
  head->addWidget(undo);
  head->addWidget(compareButton_);
  head->addWidget(reportButton_);
  column->addLayout(head);
  auto* ruler = new AddressRuler(document_, box);
  column->addWidget(ruler, 1);
  // The menu key, or a right click, on the piece that is chosen.
  ruler->setContextMenuPolicy(Qt::CustomContextMenu);
  connect(ruler, &QWidget::customContextMenuRequested, this, [this, ruler](const QPoint& at) {
    if (!document_.selected()) return;
    QMenu* menu = findChild<ImageFiles*>()->menuFor(*document_.selected());
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->popup(ruler->mapToGlobal(at));
  });
  hint_ = new ElidedLabel(box);
  hint_->setProperty("role", "muted");
  hint_->setFont(textFont(11));
  column->addWidget(hint_);
  place_ = new ImagePlace(document_, box);
  column->addWidget(place_);
  auto* bytes = new ImageBytes(document_, box);
  for (const auto signal : {&ImagePlace::reached, &ImagePlace::left})
    connect(place_, signal, bytes, qOverload<>(&QWidget::setFocus));
  bytes->setFixedHeight(152);
  column->addWidget(bytes);
  return box;
}

void ImagesView::refresh() {
  const ImageState& s = document_.state();
  title_->setText(s.memory.empty() ? tr("Image") : tr("%1 image").arg(QString::fromStdString(s.memory)));
  figure_->setWhole(
      document_.comparison().other()
          ? tr("differs from %1 in %2")
                .arg(document_.comparison().name(),
                     QString::fromStdString(sizeText(document_.comparison().differences().bytes)))
          : (s.size > 0 ? tr("%1, empty bytes %2").arg(QString::fromStdString(sizeText(s.size))) : tr("empty bytes %2"))
                .arg(QString("%1").arg(s.fill, 2, 16, QChar('0')).toUpper()));
  if (s.size == 0 && !document_.comparison().other()) figure_->setWhole(tr("size not known"));
  compareButton_->setText(document_.comparison().other() ? tr("stop comparing") : compareAction->text());
  reportButton_->setVisible(document_.comparison().other() && document_.comparison().differences().bytes > 0);
  const std::uint64_t step = s.block > 0 ? s.block : 0x1000;
  hint_->setWhole(
      tr("drag a piece, or Ctrl+↑↓: it snaps to %1, with Alt to a byte · Ctrl+wheel or + − zooms, 0 shows all")
          .arg(QString::fromStdString(sizeText(step))));
  saveAction->setEnabled(document_.canSave());
  toBenchAction->setEnabled(!s.memory.empty() && !s.placements.empty());
}

void ImagesView::saveDialog() {
  const char* extension = document_.state().format == ImageFormat::Raw        ? "bin"
                          : document_.state().format == ImageFormat::IntelHex ? "hex"
                                                                              : "srec";
  const QString proposal =
      document_.lastSaved().isEmpty() ? document_.absolute(document_.name() + "." + extension) : document_.lastSaved();
  const QString path = QFileDialog::getSaveFileName(this, tr("Save the image"), proposal);
  if (!path.isEmpty()) document_.save(path);
}

void ImagesView::compare() {
  if (document_.comparison().other()) return document_.stopComparing();
  const QString path =
      QFileDialog::getOpenFileName(this, tr("Compare with an image or a read-back"), document_.absolute("."));
  if (!path.isEmpty()) document_.compareWith(path);
}

void ImagesView::saveReport() {
  const QString path = QFileDialog::getSaveFileName(this, tr("Save the report"), document_.absolute("differences.txt"));
  if (path.isEmpty()) return;
  try {
    writeFileAtomically(path.toStdString(),
                        std::string_view(document_.comparison().report(document_.pieces()).toStdString()));
    emit document_.message(tr("Report saved: %1").arg(path), false);
  } catch (const Error& e) {
    emit document_.message(told(e), true);
  }
}

void ImagesView::writeWrapper(std::size_t index) {
  Placement placement = document_.state().placements.at(index);
  try {
    WrapperEditor editor(document_.absolute(placement.file),
                         placement.wrapper.empty() ? QString() : document_.absolute(placement.wrapper), this);
    if (editor.exec() != QDialog::Accepted) return;
    placement.wrapper = document_.relative(editor.savedAs()).toStdString();
    placement.format.reset();
    document_.setPlacement(index, placement, tr("Header by a card"));
  } catch (const Error& e) {
    emit document_.message(told(e), true);
  }
}

void ImagesView::dragEnterEvent(QDragEnterEvent* event) {
  const auto urls = event->mimeData()->urls();
  if (urls.isEmpty() || urls.front().toLocalFile().endsWith(".imprimo")) return;
  event->acceptProposedAction();
}

/// Known by its name, or as ELF by what it begins with: compilers give that no ending.
bool ImagesView::opens(const QString& file) const {
  static const QStringList kEndings{"hex", "ihex", "mcs", "srec", "s19", "s28", "s37", "mot", "elf", "bin"};
  if (kEndings.contains(QFileInfo(file).suffix(), Qt::CaseInsensitive)) return true;
  std::error_code none;
  if (!std::filesystem::is_regular_file(file.toStdString(), none)) return false;  // a pipe would be waited for
  QFile begin(file);
  return begin.open(QIODevice::ReadOnly) && begin.read(4) == QByteArray(
                                                                 "\x7f"
                                                                 "ELF");
}

void ImagesView::dropEvent(QDropEvent* event) {
  for (const QUrl& url : event->mimeData()->urls()) {
    if (url.isLocalFile()) document_.addFile(url.toLocalFile());
  }
  event->acceptProposedAction();
}

QList<QAction*> ImagesView::actions() const {
  return {undoAction, redoAction, saveAction, toBenchAction, place_->gotoAction, place_->findAction};
}

QList<QWidget*> ImagesView::panes() {
  return {findChild<ImageFiles*>(), findChild<AddressRuler*>(), findChild<ImageBytes*>(), findChild<ImageOutput*>()};
}

QList<KeyWords> ImagesView::keyWords() const {
  return {{tr("Up, Down"), tr("Ruler: choose a piece")},
          {tr("Ctrl+Up, Ctrl+Down"), tr("Ruler: move it by a block, with Shift by 16, with Alt by a byte")},
          {tr("Page Up, Page Down"), tr("Ruler and bytes: further up or down")},
          {tr("+, -, 0"), tr("Ruler: nearer, further, all of it")},
          {tr("Delete"), tr("Ruler: take the piece out")},
          {tr("Arrow keys"), tr("Bytes: go over them")}};
}

View::Unsaved ImagesView::unsaved() const {
  if (!document_.isUnsavedImage()) return {};
  return {tr("The image is not saved"), tr("Save the image to a file?")};
}

bool ImagesView::save() {
  saveAction->trigger();
  return !document_.isUnsavedImage();
}

View* makeImagesView(const ViewContext& context, QWidget* parent) {
  return new ImagesView(context, parent);
}

}  // namespace imprimo::app
