// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/library/library_rows.h"

#include <QFileInfo>
#include <QPainter>

#include "app/look/theme.h"
#include "core/store/shared_folders.h"

namespace imprimo::app {
namespace {

constexpr int kRow = 26, kHeading = 34;

QString text(const std::string& words) {
  return QString::fromStdString(words);
}

}  // namespace

LibraryRows::LibraryRows(Workbench& bench, QObject* parent) : QAbstractListModel(parent), bench_(bench) {
  connect(&bench_.library(), &LibraryModel::changed, this, &LibraryRows::rebuild);
  connect(&bench_, &Workbench::sheetChanged, this, &LibraryRows::rebuild);
  rebuild();
}

QString LibraryRows::usedBy(const store::Description& d) const {
  QStringList names;
  const sheet::Sheet& sheet = bench_.document().sheet();
  std::error_code none;
  const auto same = [&](const std::string& file) {
    return !file.empty() && std::filesystem::equivalent(sheet.folder() / file, d.file, none);
  };
  for (const sheet::Device& device : sheet.chain) {
    if (same(device.bsdlFile) || same(device.configCard)) names += text(device.name);
  }
  for (const sheet::CoreEntry& core : sheet.cores) {
    if (same(core.card)) names += text(core.name);
  }
  for (const sheet::MemoryEntry& memory : sheet.memories) {
    if (same(memory.partCard.value_or(""))) names += text(memory.name);
  }
  return names.join(", ");
}

void LibraryRows::setFilter(const QString& words) {
  filter_ = words;
  rebuild();
}

void LibraryRows::rebuild() {
  beginResetModel();
  rows_.clear();
  const store::Catalog& catalog = bench_.library().catalog();
  found_ = catalog.search(filter_.toStdString());
  std::stable_sort(found_.begin(), found_.end(), [](const auto& a, const auto& b) { return a.kind < b.kind; });
  const std::vector<std::string> folders = store::sharedFolders();
  if (filter_.trimmed().isEmpty() && !folders.empty()) {
    rows_.push_back({Row::Heading, tr("Folders that are looked through"), QString::number(folders.size()), {}, 0});
    for (const std::string& folder : folders) {
      const bool there = QFileInfo(text(folder)).isDir();
      rows_.push_back({Row::Folder, text(folder), there ? QString() : tr("is not there now"), {}, 0});
    }
  }
  for (std::size_t i = 0; i < found_.size(); ++i) {
    const store::Description& d = found_[i];
    if (i == 0 || found_[i - 1].kind != d.kind) {
      const auto count = std::count_if(found_.begin(), found_.end(), [&](const auto& o) { return o.kind == d.kind; });
      rows_.push_back({Row::Heading,
                       sentence(text(store::nameOf(d.kind))) + (count > 1 ? "s" : ""),
                       QString::number(count),
                       {},
                       0});
    }
    rows_.push_back({Row::Entry, text(d.name), d.copy ? tr("the same file once more") : text(d.says), usedBy(d), i});
  }
  endResetModel();
}

int LibraryRows::rowCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : static_cast<int>(rows_.size());
}

QVariant LibraryRows::data(const QModelIndex& index, int role) const {
  const Row& row = this->row(index.row());
  if (role == Qt::DisplayRole) return row.title;
  if (role == Qt::ToolTipRole && row.kind == Row::Entry) return text(description(row).file.string());
  if (role == Qt::AccessibleTextRole)
    return QStringList{row.title, row.words, row.used.isEmpty() ? "" : tr("used by %1").arg(row.used)}.join(", ");
  return {};
}

Qt::ItemFlags LibraryRows::flags(const QModelIndex& index) const {
  return row(index.row()).kind == Row::Heading ? Qt::ItemIsEnabled : Qt::ItemIsEnabled | Qt::ItemIsSelectable;
}

QSize LibraryPainter::sizeHint(const QStyleOptionViewItem&, const QModelIndex& index) const {
  const auto* rows = static_cast<const LibraryRows*>(index.model());
  return {200, rows->row(index.row()).kind == LibraryRows::Row::Heading ? kHeading : kRow};
}

void LibraryPainter::paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const {
  const auto* rows = static_cast<const LibraryRows*>(index.model());
  const LibraryRows::Row& row = rows->row(index.row());
  const Theme& theme = Theme::current();
  painter->save();
  painter->setRenderHint(QPainter::Antialiasing);
  const QRect inner = option.rect.adjusted(20, 0, -16, 0);
  if (row.kind == LibraryRows::Row::Heading) {
    painter->setFont(textFont(13, QFont::DemiBold));
    painter->setPen(theme.planned);
    painter->drawText(inner.adjusted(0, 0, 0, -5), Qt::AlignBottom | Qt::AlignLeft, row.title);
    painter->setPen(theme.muted);
    painter->setFont(textFont(12));
    painter->drawText(inner.adjusted(0, 0, 0, -5), Qt::AlignBottom | Qt::AlignRight, row.words);
    painter->setPen(theme.line);
    painter->drawLine(inner.bottomLeft() - QPoint(0, 2), inner.bottomRight() - QPoint(0, 2));
    painter->restore();
    return;
  }
  if (option.state.testFlag(QStyle::State_Selected)) {
    painter->setPen(option.state.testFlag(QStyle::State_HasFocus) ? QPen(theme.planned, 1.6) : Qt::NoPen);
    painter->setBrush(theme.plannedTint);
    painter->drawRoundedRect(QRectF(option.rect).adjusted(12, 1.5, -10, -1.5), 3, 3);
  }
  const auto column = [&](const QString& words, int from, int to, const QColor& colour, const QFont& font) {
    painter->setFont(font);
    painter->setPen(colour);
    const QRect place(inner.left() + inner.width() * from / 100, inner.top(), inner.width() * (to - from) / 100 - 10,
                      inner.height());
    painter->drawText(place, Qt::AlignVCenter | Qt::AlignLeft,
                      painter->fontMetrics().elidedText(words, Qt::ElideRight, place.width()));
  };
  if (row.kind == LibraryRows::Row::Folder) {
    column(row.title, 0, 70, theme.ink, byteFont(12));
    column(row.words, 70, 100, theme.differs, textFont(12));
  } else {
    const store::Description& d = rows->description(row);
    column(row.title, 0, 28, d.copy ? theme.muted : theme.ink, textFont(13, QFont::Medium));
    column(row.words, 28, 60, theme.muted, textFont(12));
    column(row.used.isEmpty() ? QString() : LibraryRows::tr("● used by %1").arg(row.used), 60, 78, theme.agrees,
           textFont(12));
    column(d.own ? text(d.file.filename().string()) : text(d.file.string()), 78, 100, theme.muted, byteFont(11));
  }
  painter->restore();
}

}  // namespace imprimo::app
